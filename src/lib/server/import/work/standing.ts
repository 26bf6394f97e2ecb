import type pg from 'pg';
import { SeriesStore, type Block, type Model } from '../../../core';
import { readOriginSeries } from '../../database/cells';
import type { Gathered } from './gather';

/** The structure moved while rows were read: they are read again. */
export class StructureMoved extends Error {}

/** What this import holds in the fiscal years of the file, and with which revision each value was written. */
export async function readStanding(
	client: pg.PoolClient,
	model: Model,
	origin: number,
	loaded: SeriesStore
): Promise<{ standing: SeriesStore; stampsOf: (block: Block, series: number) => Float64Array }> {
	const standing = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
	const years = [...new Set([...loaded.blocks()].map(({ year }) => year))];
	const ids = model.dimensions.map(({ id }) => id);
	const address = new Int32Array(ids.length);
	const stamps = new Map<Block, (number | Float64Array)[]>();
	await readOriginSeries(client, model.definition.id, ids, origin, years, ({ members, year, amounts, stamps: own }) => {
		for (let axis = 0; axis < ids.length; axis++) address[axis] = model.dimensions[axis]!.ordinal(members[axis]!) ?? -1;
		const block = standing.ensureBlockOf(address, year);
		// First the place: making it may replace the block's values by larger ones.
		const series = block.ensure(address);
		block.values.set(amounts, series * block.width);
		const known = stamps.get(block) ?? [];
		stamps.set(block, known);
		known[series] = typeof own === 'number' ? own : own.slice();
	});
	const stampsOf = (block: Block, series: number): Float64Array => {
		const own = stamps.get(block)?.[series] ?? 0;
		return typeof own === 'number' ? new Float64Array(block.width).fill(own) : own;
	};
	return { standing, stampsOf };
}

/** Whether a load may take away what stands at a cell. */
export function mayEmpty(model: Model, guard: Gathered['guard'], address: Int32Array, year: number, position: number): boolean {
	const leaf = model.periods.at(year, position);
	return leaf === undefined || guard.whyNot(address, leaf.index) === undefined;
}
