import { factPeriod } from '../../model';
import { EMPTY, isEmpty } from '../../number';
import type { ClearStep, Clears, Slice } from '../definition';
import type { StepWork } from '../step-work';
import { scopeOf } from '../slice';
import type { StepRecord } from './kind';

/** Takes away what was typed, loaded or computed in a slice. O(series of the cube). */
export function runClear(work: StepWork, step: ClearStep & { limits: Slice }): void {
	const { model, cube, variables } = work;
	if (Object.keys(step.limits).length === 0)
		throw work.fault('A clear without limits would empty the whole model. Limit the step to a slice.');
	const limits = scopeOf(model, step.limits, variables);
	const kinds = new Set<Clears>(step.what);
	const address = new Int32Array(model.dimensions.length);
	const axes = [...limits.axes];
	const found: { origin: number; address: Int32Array; year: number; values: Float64Array }[] = [];
	for (const { year, block } of cube.store.blocks())
		each: for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			for (const [axis, allowed] of axes) if (allowed[address[axis]!] === 0) continue each;
			for (const origin of cube.originsOf(block, series))
				if (kinds.has(work.kindOf(origin)))
					found.push({ origin, address: address.slice(), year, values: cube.seriesOf(origin, address, year) });
		}
	for (const { origin, address, year, values } of found) {
		work.breathe();
		for (let position = 0; position < values.length; position++) {
			if (isEmpty(values[position]!)) continue;
			const leaf = model.periods.at(year, position)?.index;
			// Facts of all time belong to no period: they go when no periods are named.
			if (leaf === undefined ? limits.periods !== undefined : limits.periods?.[leaf] === 0) continue;
			work.remove(origin, address, year, position, leaf ?? factPeriod(model, address), EMPTY);
		}
	}
}

/** Takes away what stands in a slice. */
export const clear: StepRecord<ClearStep> = {
	title: 'Clear',
	firstName: 'Clear',
	blank: { kind: 'clear', what: ['results'] },
	unlimited: 'Nothing yet: a clear needs a slice',
	originMode: () => undefined,
	check: (_, step, { find }) => {
		if (Object.keys(step.limits).length === 0)
			find('error', 'A clear without limits would empty the whole model. Limit the step to a slice.');
		if (step.what.length === 0) find('error', 'Nothing is chosen to be cleared.');
	},
	run: (work, step) => runClear(work, step),
	renamed: (own) => own,
	inWords: ({ what }) => `Clears ${what.join(', ') || 'nothing yet'}`
};
