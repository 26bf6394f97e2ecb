// Insight: a board of twelve tiles, a figure typed beneath them, turning a view to another axis, why a total differs, and
// the journal among two million entries.
import type pg from 'pg';
import { compileQuery, Overlay, Reader, takeApart, View, type Query } from '../src/lib/core';
import { boardFigures, readJournal } from '../src/lib/server/insight';
import { personById } from '../src/lib/server/session';
import { withDemo } from './application';
import { benchData, type BenchData } from './data';
import { formQuery, millions } from './open-form';
import { inTurns, measure, medianOf, type Measure } from './timing';

const TILES = 12;
const ENTRIES = 2_000_000;
const MODEL = 1;

export async function insightMeasures(): Promise<Measure[]> {
	const data = await benchData(5_000_000);
	return [...(await figures(data)), ...(await withDemo(journal))];
}

/** What the tiles of a board ask for: single figures with their course, charts over months, tables by another dimension. */
function tileQueries(data: BenchData): Query[] {
	const { model } = data;
	const { query } = formQuery(data);
	const months = query.columns.slice(0, 12);
	const year = query.columns.slice(-1);
	const { accounts } = model;
	return Array.from({ length: TILES }, (_, tile): Query => {
		const rows = accounts.members.slice(tile * 3, tile * 3 + (tile % 3 === 2 ? 20 : 1)).map(({ id }) => ({ [accounts.id]: id }));
		return { ...query, rows, columns: tile % 3 === 0 ? [...year, ...months] : tile % 3 === 1 ? months : year };
	});
}

async function figures(data: BenchData): Promise<Measure[]> {
	const { model, cube, duck } = data;
	const { query, sql, members } = formQuery(data);
	const filled = (each: Query, reader: Reader) => {
		const view = new View(compileQuery(model, each));
		view.fill(reader);
		view.evaluate();
		return view;
	};
	const reader = new Reader(cube);
	const board = () => tileQueries(data).map((each) => filled(each, reader));
	const [whole, form] = await inTurns(7, board, () => filled(query, reader));
	console.log(`a board of ${TILES} tiles first complete on ${millions(data)} cells: ${whole.toFixed(0)} ms (aim 500)`);

	// A leaf typed: every tile follows from the draft.
	const draft = new Overlay(model);
	const over = reader.over(draft);
	const views = tileQueries(data).map((each) => filled(each, over));
	const [first] = [...cube.store.blocks()];
	const address = first!.block.readAddress(0, new Int32Array(model.dimensions.length)).slice();
	let value = 1;
	const typed = () => {
		const before = over.read(address, first!.year, 0);
		draft.set(address, first!.year, 0, ++value);
		for (const view of views) {
			view.change({ address, year: first!.year, position: 0, before, after: value });
			view.evaluate();
		}
	};
	const typing = await medianOf(41, typed);
	console.log(`a typed figure in all of them: ${typing.toFixed(2)} ms (aim 100)`);

	// Turned: entities down instead of accounts, all else as it was.
	const entity = model.dimensions.find(
		(dimension, axis) => axis !== model.accountAxis && axis !== model.scenarioAxis && query.slice[dimension.id] !== undefined
	)!;
	const { [entity.id]: _, ...rest } = query.slice;
	const turned: Query = {
		...query,
		slice: { ...rest, [model.accounts.id]: model.accounts.member(members[model.accountAxis]!).id },
		rows: entity.members.map(({ id }) => ({ [entity.id]: id }))
	};
	const grouped = sql
		.replace('SELECT account, period', `SELECT "${entity.code}", period`)
		.replace('GROUP BY account, period', `GROUP BY "${entity.code}", period`)
		.replace(new RegExp(`"${entity.code}" IN \\([^)]*\\) AND |"${entity.code}" IN \\([^)]*\\)(?= AND period)`), '');
	const [pivot, peer] = await inTurns(
		9,
		() => filled(turned, reader),
		() => duck.runAndReadAll(grouped)
	);

	const side = {
		reader,
		currency: 'EUR',
		figure: { members: Int32Array.from(members), period: model.periods.dimension.ordinalOfCode('FY2027')! }
	};
	const after = { ...side, reader: over };
	const apart = await medianOf(7, () => takeApart([side, after], { dimension: null, most: 40 }));
	console.log(`why a total differs, by all ${model.dimensions.length + 1} dimensions: ${apart.toFixed(0)} ms (aim 200)`);
	return [
		measure(`a board of ${TILES} tiles on ${millions(data)} cells (peer: one form of ${query.rows.length} × 17)`, whole, form, 3),
		measure('a typed figure in all its tiles (peer: opening them)', typing, whole, 0.05),
		measure('a view turned to another axis (peer: the same grouping in DuckDB, and 50 ms)', pivot, 0.5 * peer + 50, 1),
		measure('why a total differs, by every dimension (peer: one form)', apart, form, 8)
	];
}

async function journal(pool: pg.Pool): Promise<Measure[]> {
	const found = await pool.query<{ id: number }>("SELECT id FROM person WHERE email LIKE 'osric.hale@%'");
	const osric = await personById(found.rows[0]!.id, MODEL);
	// Entries of a year, two thousand saves: the same cells over and over.
	await pool.query(
		`INSERT INTO change_set (model_id, revision, number, person_id, at, through, kind, cells)
		SELECT $1, 1000 + n, 1000000 + n, $2, now() - make_interval(mins => (2000 - n) * 200), 'Bench', 'save', $3::integer / 2000 FROM generate_series(1, 2000) n`,
		[MODEL, osric.id, ENTRIES]
	);
	const base = (
		await pool.query<{ count: number }>('SELECT count(*)::integer AS count FROM entry_change WHERE model_id = $1 AND revision < 1000', [
			MODEL
		])
	).rows[0]!.count;
	await pool.query(
		`INSERT INTO entry_change (model_id, revision, origin_id, address, period_id, before, after)
		SELECT e.model_id, 1000 + n, e.origin_id, e.address, e.period_id, n, n + 1
		FROM generate_series(1, 2000) n, entry_change e, generate_series(1, $2) WHERE e.model_id = $1 AND e.revision < 1000`,
		[MODEL, Math.max(1, Math.round(ENTRIES / 2000 / base))]
	);
	await pool.query('ANALYZE entry_change, change_set');
	const { count } = (await pool.query<{ count: number }>('SELECT count(*)::integer AS count FROM entry_change')).rows[0]!;
	const member = (await pool.query<{ id: number }>("SELECT m.id FROM member m WHERE m.code = 'R06'")).rows[0]!.id;
	const board = (await pool.query<{ id: number }>('SELECT id FROM board WHERE model_id = $1 ORDER BY id LIMIT 1', [MODEL])).rows[0]!.id;
	const asked = { id: board, choices: { members: {} }, tab: 0 };
	const tiles = (await boardFigures(osric, MODEL, asked)).tiles.length;
	const answered = await medianOf(11, () => boardFigures(osric, MODEL, asked));
	console.log(`the demo’s board of ${tiles} tiles answered by the server, open before: ${answered.toFixed(0)} ms`);
	const first = await medianOf(7, () => readJournal(osric, MODEL, { of: 'entries', text: '', members: [] }));
	const sliced = await medianOf(7, () => readJournal(osric, MODEL, { of: 'entries', text: '', members: [member], least: 1 }));
	const rare = await medianOf(3, () => readJournal(osric, MODEL, { of: 'entries', text: '', members: [member], least: 1e9 }));
	const scan = await medianOf(3, () => pool.query('SELECT count(*) FROM entry_change WHERE abs(after - before) > 1e9'));
	console.log(
		`the journal among ${(count / 1e6).toFixed(1)}M entries: first page ${first.toFixed(0)} ms, of a route ${sliced.toFixed(0)} ms, of what is nowhere in a stretch ${rare.toFixed(0)} ms (aim 300)`
	);
	return [
		measure('the first page of the journal (peer: one pass over all entries in PostgreSQL)', first, scan, 1),
		measure('looking through a stretch in which nothing fits (peer: the same pass)', rare, scan, 2)
	];
}
