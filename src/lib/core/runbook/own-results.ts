import { isIn, TAKEN_AWAY, type BranchLayer, type ChangedSeries, type Cube } from '../cube';
import { leafOfPlace } from '../model';
import { EMPTY, isEmpty } from '../number';
import type { CellPlace } from '../cell';
import { NOW } from '../cube';
import type { RunResult } from './run';

/** What a branch is to hold of an origin at a cell: a value, `NOTHING`, `TAKEN_AWAY`; empty for no more than the base has. */
export interface CellToHold extends CellPlace {
	origin: number;
	value: number;
}

/**
 * What a branch holds after a run in it, where that is something else than before: all that stands under the origins that
 * ran, in the periods they reached, also what came to the same as in the base, as those results are its own from here on;
 * of other origins what the run changed. O(series of the cube).
 * @param cube as it was before the run, with the branch laid on it
 */
export function heldAfterRun(cube: Cube, layer: BranchLayer, { changes, reached }: Pick<RunResult, 'changes' | 'reached'>): CellToHold[] {
	const { model } = cube;
	const found: CellToHold[] = [];
	const address = new Int32Array(model.dimensions.length);
	const before = new Float64Array(cube.store.width);
	const heldBy = (origin: number, year: number, position: number): number =>
		layer.heldAt(address, year, position).find((each) => each.origin === origin)?.value ?? EMPTY;
	const take = (origin: number, year: number, values: Float64Array, changed: ChangedSeries | undefined): void => {
		for (let position = 0; position < values.length; position++) {
			const value = values[position]!;
			const isReached =
				reached.has(origin) &&
				isIn(reached.get(origin), (passes) => leafOfPlace(model, address[model.accountAxis]!, year, position, passes), year);
			const held = heldBy(origin, year, position);
			if (isReached) {
				if (isEmpty(value) ? isEmpty(held) : held === value && changed?.stamps[position] !== NOW) continue;
			} else {
				const was = changed?.before[position] ?? value;
				if (was === value || (isEmpty(was) && isEmpty(value))) continue;
			}
			// Of results that are its own the base’s do not show anyway.
			const gone = isReached ? EMPTY : TAKEN_AWAY;
			found.push({ origin, address: address.slice(), year, position, value: isEmpty(value) ? gone : value });
		}
	};
	const byBlock = new Map<ChangedSeries['block'], Map<number, ChangedSeries[]>>();
	for (const changed of changes) {
		let series = byBlock.get(changed.block);
		if (!series) byBlock.set(changed.block, (series = new Map()));
		series.set(changed.series, [...(series.get(changed.series) ?? []), changed]);
	}
	for (const { origin, block, series, year } of cube.seriesOfOrigins(new Set(reached.keys()))) {
		if (
			byBlock
				.get(block)
				?.get(series)
				?.some((changed) => changed.origin === origin)
		)
			continue;
		block.readAddress(series, address);
		take(origin, year, cube.heldAt(block, series, origin, before), undefined);
	}
	for (const changed of changes) {
		address.set(changed.address);
		take(changed.origin, changed.year, changed.after, changed);
	}
	return found;
}

/** Which results are a branch’s own after a run: those that were, and those that ran, in the periods of both. */
export function ownAfterRun(
	own: ReadonlyMap<number, Uint8Array | undefined>,
	reached: RunResult['reached']
): Map<number, Uint8Array | undefined> {
	const after = new Map(own);
	for (const [origin, periods] of reached) {
		const before = after.get(origin);
		const isWhole = !periods || (after.has(origin) && !before);
		after.set(origin, isWhole ? undefined : periods.map((each, leaf) => (each || before?.[leaf] ? 1 : 0)));
	}
	return after;
}
