// What-if: a form on a large plan in a branch with 100,000 changes, typing in it, and what a changed cell takes on disk.
import type pg from 'pg';
import { BranchLayer, compileQuery, Overlay, Reader, View } from '../src/lib/core';
import { branchesFor, branchHere, makeBranch, mergeBranch, readChanges } from '../src/lib/server/branch';
import { transaction } from '../src/lib/server/database';
import { writeBranch, type BranchCell } from '../src/lib/server/database/branch-series';
import { addressDimensions } from '../src/lib/server/database/definitions';
import { openForm } from '../src/lib/server/form';
import { personById } from '../src/lib/server/session';
import { withDemo } from './application';
import { benchData, type BenchData } from './data';
import { formQuery, millions } from './open-form';
import { inTurns, measure, medianOf, type Measure } from './timing';

const CHANGES = 100_000;
const MODEL = 1;
const MANY = 1_000;

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
	// What opening a branch in which something ran costs beside its cells: every series is looked at once.
	const results = new BranchLayer(cube);
	let run = 0;
	const turn = () => results.setOwn(run++ % 2 === 0 ? new Map([[999_999, undefined]]) : new Map());
	const [own] = await inTurns(11, turn, open(new Reader(cube)));
	console.log(`saying which results are a branch’s own on ${millions(data)} cells: ${own.toFixed(0)} ms`);
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
	const cells = await cellsToChange(pool, entry);
	const began = performance.now();
	await transaction((client) => writeBranch(client, id, { person: osric.id, acting: null, words: 'Bench' }, cells, 12));
	console.log(`writing ${cells.length} cells of a branch: ${((performance.now() - began) / 1_000).toFixed(1)} s`);
	console.log(`bytes a changed cell, where whole years change: ${(((await sizeOf()) - before) / cells.length).toFixed(0)} (aim: ≤ 60)`);
	const list = await medianOf(5, () => branchesFor(osric, MODEL));
	console.log(`the list of ${next + 3} branches, one with ${cells.length} changes: ${list.toFixed(0)} ms`);
	const everything = { id, find: '', account: null, person: null, movedOnly: false };
	await readChanges(osric, MODEL, { ...everything, from: 0 });
	const page = await medianOf(5, () => readChanges(osric, MODEL, { ...everything, from: 0 }));
	console.log(`the first page of ${cells.length} changes: ${page.toFixed(0)} ms (aim: ≤ 300)`);
	const form = () => openForm(osric, MODEL, 'route-contribution', { members: {} });
	await form();
	const alone = await medianOf(15, form);
	const memoryBefore = process.memoryUsage.rss();
	const many: number[] = [];
	const manyBegan = performance.now();
	for (let at = 0; at < MANY; at++) {
		const { id: of } = await makeBranch(osric, MODEL, { name: `Many ${at}`, purpose: '', due: null, everybody: 'nothing', people: [] });
		many.push(of);
		const own = cells.slice((at * 100) % 90_000, ((at * 100) % 90_000) + 100);
		await transaction((client) => writeBranch(client, of, { person: osric.id, acting: null, words: 'Bench' }, own, 12));
	}
	console.log(`${MANY} branches of 100 changes made and written: ${((performance.now() - manyBegan) / 1_000).toFixed(0)} s`);
	const among = await medianOf(15, form);
	// As if people went through them: an engine lets those go that were looked at longest ago.
	for (const of of many.slice(0, 100)) {
		const branch = await branchHere(osric, MODEL, of);
		await openForm({ ...osric, branch }, MODEL, 'route-contribution', { members: {} });
	}
	const megabytes = (bytes: number) => (bytes / 2 ** 20).toFixed(0);
	console.log(
		`memory of the process: ${megabytes(memoryBefore)} MB before, ${megabytes(process.memoryUsage.rss())} MB with ${MANY} branches, 100 of them looked at (aim: ≤ 1.2×)`
	);
	console.log(`the list of them: ${(await medianOf(5, () => branchesFor(osric, MODEL))).toFixed(0)} ms`);
	const mergeBegan = performance.now();
	const merged = await mergeBranch(osric, MODEL, {
		...everything,
		places: null,
		decides: 'branch',
		leavesRefused: true,
		also: { runs: [], loads: [] }
	});
	console.log(
		`merging ${merged.kind === 'merged' ? `${merged.cells} cells` : merged.kind}: ${((performance.now() - mergeBegan) / 1_000).toFixed(1)} s (aim: 100,000 in ≤ 3 s)`
	);
	return [measure(`a form of the plan among ${MANY} branches (peer: among a dozen)`, among, alone, 1.05)];
}

/** Stored cells of the budget as entries that are one more than they are, in whole years. */
async function cellsToChange(pool: pg.Pool, origin: number): Promise<BranchCell[]> {
	const dimensions = await addressDimensions(pool, MODEL);
	const found = await pool.query<{ address: number[]; year: number; amounts: (number | null)[] }>(
		`SELECT DISTINCT ON (1, 2) ARRAY[${dimensions.map((id) => `d${id}`).join(', ')}] AS address, fiscal_year AS year, amounts FROM cells_${MODEL} WHERE fiscal_year > 0 LIMIT $1`,
		[Math.ceil(CHANGES / 12)]
	);
	return found.rows.flatMap(({ address, year, amounts }) =>
		amounts.flatMap((amount, position) =>
			amount === null || Number.isNaN(amount) ? [] : [{ origin, address, year, position, value: amount + 1, seen: amount }]
		)
	);
}
