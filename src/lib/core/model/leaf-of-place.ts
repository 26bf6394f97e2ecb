import type { Model } from './model';

/**
 * The leaf period by which the cell at a place of a series is looked at: its own; of a fact of the year the first of that
 * year's that a test lets pass; undefined for a fact of all time, or where none passes.
 */
export function leafOfPlace(
	model: Model,
	account: number,
	year: number,
	position: number,
	passes: (leaf: number) => boolean
): number | undefined {
	if (year === 0) return undefined;
	if (model.account(account)?.frequency !== 'per year') return model.periods.at(year, position)?.index;
	if (position !== 0) return undefined;
	for (let place = 0; place < model.periods.width; place++) {
		const leaf = model.periods.at(year, place)?.index;
		if (leaf !== undefined && passes(leaf)) return leaf;
	}
	return undefined;
}
