import type { Block, Cube } from '../cube';
import type { Model } from '../model';
import { gatherPools, type PoolCells } from './pools';
import type { ReadyAllocation, ReadyChange } from './ready';
import { LineSharing, Results, type Sharing } from './sharing';
import { TieOut, type Stranded, type TieRow } from './tie-out';
import { LineTracer, type LineTrace } from './trace';
import { Translation } from './translation';
import { UnitFigures } from './unit-figures';
import { nameOfLeaf, weightsOf } from './weights';

/** What an allocation is given to work with. */
export interface AllocationWork {
	model: Model;
	cube: Cube;
	breathe: () => void;
	/** An error that names the step. */
	fault: (message: string) => Error;
	/** What steps above have brought to a cell in this run. */
	broughtTo?: (address: Int32Array, leaf: number) => number;
	/** Told of every sharing out, where that is wanted. */
	shared?: (sharing: Sharing) => void;
	/** Told how each line was shared out, to be kept. */
	traced?: (trace: LineTrace) => void;
}

export interface Allocated {
	/** What comes to each cell, in its own currency, by leaf period. */
	results: Block;
	/** Figures of the pools that are kept beside: what a unit cost, how many were used. */
	figures: Block;
	tieOut: TieRow[];
	/** Pools that found nobody, the largest first. */
	stranded: Stranded[];
}

/**
 * Shares pools out. Each cell of a pool is divided among the lines and what is kept, to the cent; what goes to the same
 * receivers is put together and divided among them, to the cent; and what went out is taken out of the pool by the contra.
 * O(cells of the pools and drivers + receivers × pools).
 * @throws the fault, with a sentence, where it cannot be followed: nothing is written then
 */
export function allocate(work: AllocationWork, ready: ReadyAllocation): Allocated {
	const { model } = work;
	const translation = new Translation(model, work.fault);
	const weighing = { ...work, translation };
	const { pools, kept } = gatherPools(weighing, ready);
	const results = new Results(model, work.fault);
	const figures = new UnitFigures(model, translation);
	const tieOut = new TieOut(model, ready, translation);
	const without: string[] = [];
	const sources = work.broughtTo && {
		brought: work.broughtTo,
		whole: (address: Int32Array, leaf: number) => {
			const { fiscalYear, position } = model.periods.leaf(leaf);
			return work.cube.read(address, fiscalYear, position);
		}
	};
	pools.forEach((pool, place) => {
		if (pool.cells.count === 0) return;
		const weights = weightsOf(weighing, pool.line, ready);
		const tracer = work.traced && new LineTracer(model, pool);
		const sharing = new LineSharing(work, ready, translation, pool, place);
		sharing.each((at, group, leaf, amount) => {
			work.breathe();
			const own = weights.at(at);
			const capacity = sharing.capacityAt(at, leaf);
			if (capacity !== undefined && capacity <= 0) return tieOut.strand(place, at, leaf, amount, pool.crosses, 'There is no capacity.');
			const used = pool.line.keeps ? (own?.at(leaf).reduce((sum, weight) => sum + weight, 0) ?? 0) : 0;
			if (used > 0) figures.keep(pool, at, leaf, { amount, used, capacity }, ready.currency);
			// Of a capacity only what is used goes out.
			const part = capacity === undefined ? amount : sharing.partOf(at, amount, used / capacity);
			let out = own && sharing.shareOut(own, at, leaf, part, results, (done) => tracer?.note(done, group));
			const evenly = out === undefined && ready.noDriver === 'evenly';
			if (evenly) out = sharing.shareOut(weights.even(), at, leaf, amount, results, (done) => tracer?.note(done, group));
			if (out === undefined) {
				if (ready.noDriver === 'stop') without.push(nameOfLeaf(model, leaf));
				tieOut.strand(
					place,
					at,
					leaf,
					amount,
					pool.crosses,
					pool.line.basis.by === 'even' ? 'There is nobody to receive it.' : 'Nothing weighs the receivers.'
				);
				return;
			}
			sharing.settle(group, leaf, out.amount);
			tieOut.share(place, at, leaf, { amount, out: out.amount, below: out.below, evenly }, pool.crosses);
		});
		sharing.takeOut(results);
		if (sources) notePassed(sources, pool.cells, pool.line.changes, place, tieOut);
		if (tracer) work.traced!(tracer.trace(ready.currency));
	});
	if (without.length > 0) throw work.fault(`there is no driver in ${[...new Set(without)].join(', ')}, and the step stops then.`);
	keepRest(kept, tieOut);
	if (sources) notePassed(sources, kept, [], -1, tieOut);
	return { results: results.block, figures: figures.block, tieOut: tieOut.rows(), stranded: tieOut.stranded() };
}

/** What is known of a cell: what steps above have brought to it, and all it holds. */
export interface CellSources {
	brought: (address: Int32Array, leaf: number) => number;
	whole: (address: Int32Array, leaf: number) => number;
}

/** Tells the proof what of a line's pool (−1: of what is kept) steps above had brought: of a cell's parts each has as much of it. */
export function notePassed(
	{ brought, whole }: CellSources,
	cells: PoolCells,
	changes: readonly ReadyChange[],
	line: number,
	tieOut: TieOut,
	counts: (group: number) => boolean = () => true
): void {
	const address = new Int32Array(cells.addresses.coordinates.length);
	for (let cell = 0; cell < cells.count; cell++) {
		if (!counts(cells.group[cell]!)) continue;
		cells.addresses.readAddress(cells.series[cell]!, address);
		const leaf = cells.leaf[cell]!;
		const came = brought(address, leaf);
		if (came === 0) continue;
		const all = whole(address, leaf);
		const weight = changes.reduce((product, { axis, weights }) => product * weights[address[axis]!]!, 1);
		if (all !== 0 && all === all) tieOut.pass(line, address, leaf, (weight * came * cells.part[cell]!) / all);
	}
}

/** Tells the proof what no line shares out. */
export function keepRest(kept: PoolCells, tieOut: TieOut, counts: (line: number) => boolean = () => true): void {
	const address = new Int32Array(kept.addresses.coordinates.length);
	for (let cell = 0; cell < kept.count; cell++)
		if (counts(kept.group[cell]!))
			tieOut.keep(kept.addresses.readAddress(kept.series[cell]!, address), kept.leaf[cell]!, kept.amount[cell]!);
}
