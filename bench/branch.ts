// What-if: a form on a large plan in a branch with 100,000 changes, typing in it, and what a changed cell takes on disk.
import type pg from 'pg';
import { BranchLayer, compileQuery, Overlay, Reader, View } from '../src/lib/core';
import { branchesFor, makeBranch } from '../src/lib/server/branch';
import { transaction } from '../src/lib/server/database';
import { writeBranch, type BranchCell } from '../src/lib/server/database/branch-series';
import { personById } from '../src/lib/server/session';
import { withDemo } from './application';
import { benchData, type BenchData } from './data';
import { formQuery, millions } from './open-form';
import { inTurns, measure, medianOf, type Measure } from './timing';

const CHANGES = 100_000;
const MODEL = 1;

export async function branchMeasures(): Promise<Measure[]> {
	const data = await benchData(5_000_000);
	return [...(await forms(data)), ...(await withDemo(stored))];
}

/** A branch that holds an entry at every so-manieth stored cell. */
function branched({ model, cube }: BenchData): BranchLayer {
	const layer = new BranchLayer(cube);
	const entry = model.definition.origins.find(({ mode }) => mode === 'entry')!.id;
	const every = Math.max(1, Math.floor(cube.cells / CHANGES));
	const address = new Int32Array(model.dimensions.length);
	let met = 0;
	for (const { year, block } of cube.store.blocks())
		for (let series = 0; series < block.count; series++)
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (value !== value || ++met % every !== 0) continue;
				layer.hold(entry, block.readAddress(series, address), year, position, value + 1, 1);
			}
	return layer;
}

async function forms(data: BenchData): Promise<Measure[]> {
	const { model, cube } = data;
	const { query } = formQuery(data);
	const layer = branched(data);
	const open = (reader: Reader) => () => {
		const view = new View(compileQuery(model, query));
		view.fill(reader);
		return view.evaluate().values;
	};
	const [inBranch, inPlan] = await inTurns(11, open(new Reader(cube, [layer])), open(new Reader(cube)));
	const typed = (reader: Reader) => {
		const draft = new Overlay(model);
		const over = reader.over(draft);
		const view = new View(compileQuery(model, query));
		view.fill(over);
		view.evaluate();
		const [first] = [...cube.store.blocks()];
		const address = first!.block.readAddress(0, new Int32Array(model.dimensions.length)).slice();
		let value = 1;
		return () => {
			const before = over.read(address, first!.year, 0);
			draft.set(address, first!.year, 0, ++value);
			view.change({ address, year: first!.year, position: 0, before, after: value });
			return view.evaluate().values;
		};
	};
	const [typedInBranch, typedInPlan] = await inTurns(41, typed(new Reader(cube, [layer])), typed(new Reader(cube)));
	return [
		measure(`a form on ${millions(data)} cells in a branch with ${layer.size} changes (peer: in the plan)`, inBranch, inPlan, 1.5),
		measure('typing a leaf there (peer: in the plan)', typedInBranch, typedInPlan, 2)
	];
}

async function stored(pool: pg.Pool): Promise<Measure[]> {
	const osric = await personById((await pool.query<{ id: number }>("SELECT id FROM person WHERE email LIKE 'osric%'")).rows[0]!.id, MODEL);
	let next = 0;
	const made = await medianOf(9, () =>
		makeBranch(osric, MODEL, { name: `Bench ${++next}`, purpose: '', due: null, everybody: 'nothing', people: [] })
	);
	console.log(`making a branch: ${made.toFixed(1)} ms (aim: ≤ 50)`);
	const { id } = await makeBranch(osric, MODEL, { name: 'Large', purpose: '', due: null, everybody: 'nothing', people: [] });
	const entry = (await pool.query<{ id: number }>('SELECT id FROM origin WHERE model_id = $1 AND mode = $2', [MODEL, 'entry'])).rows[0]!.id;
	const sizeOf = async () =>
		(await pool.query<{ size: number }>("SELECT pg_total_relation_size('branch_series')::bigint AS size")).rows[0]!.size;
	const before = await sizeOf();
	const cells = Array.from({ length: CHANGES }, (_, at): BranchCell => ({
		origin: entry,
		address: [1, 2, 3, 4, 5, 10 + Math.floor(at / 12)],
		year: 2_028,
		position: at % 12,
		value: at,
		seen: at - 1
	}));
	const began = performance.now();
	await transaction((client) => writeBranch(client, id, { person: osric.id, acting: null, words: 'Bench' }, cells, 12));
	console.log(`writing ${CHANGES} cells of a branch: ${((performance.now() - began) / 1_000).toFixed(1)} s`);
	console.log(`bytes a changed cell, where whole years change: ${(((await sizeOf()) - before) / CHANGES).toFixed(0)} (aim: ≤ 60)`);
	const list = await medianOf(5, () => branchesFor(osric, MODEL));
	console.log(`the list of ${next + 3} branches, one with ${CHANGES} changes: ${list.toFixed(0)} ms`);
	return [];
}
