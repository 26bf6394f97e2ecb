import { standingOrigins, type Cube, type Model } from '../../../core';
import type { FormView } from '../form-view';
import type { FormAsk } from './form';
import type { ModelEngine } from '../model-engine';

/** Cells looked at: beyond it a form says nothing of results, as looking would hold others up. */
const MOST_CELLS = 10_000;

/** The leaf cells of a form in which the result of a step stands, with its origin. */
function resultsOnForm(model: Model, cube: Cube, form: FormView): { cell: number; origin: number }[] {
	const found: { cell: number; origin: number }[] = [];
	if (form.rows * form.columns > MOST_CELLS || !model.definition.origins.some(({ result }) => result)) return found;
	for (let row = 0; row < form.rows; row++)
		for (let column = 0; column < form.columns; column++) {
			if (!form.isRead(row, column)) continue;
			const { members, range } = form.cell(row, column);
			if (range.from !== range.to || !model.dimensions.every((dimension, axis) => dimension.isLeaf(members[axis]!))) continue;
			const { fiscalYear, position } = model.periods.leaf(range.from);
			const account = members[model.accountAxis]!;
			const contributions = cube.contributions(members, fiscalYear, position);
			if (contributions.length === 0) continue;
			for (const origin of standingOrigins(model, account, contributions))
				if (model.origin(origin)?.result) {
					found.push({ cell: row * form.columns + column, origin });
					break;
				}
		}
	return found;
}

/** The leaf cells of a form that show a result, with its origin. */
export const results = async (engine: ModelEngine, ask: FormAsk): Promise<{ results: { cell: number; origin: number }[] }> => ({
	results: resultsOnForm(engine.model, engine.cube, (await engine.openForm(ask)).form)
});
