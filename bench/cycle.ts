// Locks and rounds in a large house: 500 entities, 60 months, 2,000 locks, a round of 2,000 units.
import type pg from 'pg';
import { compileQuery, LockTable, Reader, View, WriteGuard, type Lock } from '../src/lib/core';
import { lookAtSubmission, moveUnits, roundBoard, saveRound, startRound, unitKey, type RoundDefinition } from '../src/lib/server/cycle';
import { askRunner } from '../src/lib/server/engine';
import { openForm } from '../src/lib/server/form';
import { lockBoard } from '../src/lib/server/locks';
import { personById, type SignedIn } from '../src/lib/server/session';
import { withDemo } from './application';
import { benchData, type BenchData } from './data';
import { formQuery, millions } from './open-form';
import { inTurns, measure, medianOf, type Measure } from './timing';

const ENTITIES = 500;
const LOCKS = 2_000;
const DEPARTMENTS = ['DK', 'EN', 'SH', 'TM'];
const MODEL = 1;

export async function cycleMeasures(): Promise<Measure[]> {
	return [...(await verdicts(await benchData(1_000_000))), ...(await withDemo(house))];
}

/** What a form of 249 × 17 costs with a verdict on every cell, under 2,000 locks and under none; and the same many verdicts at members far apart. */
async function verdicts(data: BenchData): Promise<Measure[]> {
	const { model, cube } = data;
	const { query } = formQuery(data);
	const [entities, others] = [model.dimensions[3]!, model.dimensions[4]!];
	const locks = Array.from({ length: LOCKS }, (_, at): Lock => ({
		id: at + 1,
		layer: (['board', 'cycle', 'period close'] as const)[at % 3]!,
		state: (['closed', 'held', 'open'] as const)[at % 3]!,
		name: `l${at}`,
		slice: {
			[entities.id]: [entities.members[(at * 7) % entities.members.length]!.id],
			...(at % 2 === 0 && { [others.id]: [others.members[(at * 3) % others.members.length]!.id] })
		}
	}));
	const rules = { mayEnter: true, grants: [{ name: 'All', level: 'write' as const, slice: {} }] };
	const axes = [...model.dimensions, model.periods.dimension];
	const placed = query.rows.flatMap((row) =>
		query.columns.map((column) => axes.map((dimension) => dimension.ordinal({ ...query.slice, ...row, ...column }[dimension.id]!)!))
	);
	const open = (guard: WriteGuard, isApart: boolean) => () => {
		const compiled = compileQuery(model, query);
		const view = new View(compiled);
		view.fill(new Reader(cube));
		const { values } = view.evaluate();
		const members = new Int32Array(model.dimensions.length);
		for (let cell = 0; cell < values.length; cell++) {
			const own = placed[cell]!;
			for (let axis = 0; axis < members.length; axis++)
				members[axis] = isApart ? (cell * (axis + 1)) % model.dimensions[axis]!.members.length : own[axis]!;
			guard.verdict(members, isApart ? { from: cell % 12, to: cell % 12 } : model.periods.range(own.at(-1)!));
		}
		return values;
	};
	const guards = [locks, []].map((all) => new WriteGuard(model, rules, new LockTable(model, all)));
	const [under, without] = await inTurns(21, open(guards[0]!, false), open(guards[1]!, false));
	// The first who opens one after locks have changed.
	const table = new LockTable(model, locks);
	const cold = await medianOf(7, () => open(new WriteGuard(model, rules, table), false)());
	console.log(`the same for who opens it first after locks have changed: ${cold.toFixed(0)} ms`);
	const [apart, freely] = await inTurns(21, open(guards[0]!, true), open(guards[1]!, true));
	return [
		measure(`a form on ${millions(data)} cells with its verdicts under ${LOCKS} locks (peer: under none)`, under, without, 1.1),
		measure('the same with verdicts at members far apart (peer: under none)', apart, freely, 2)
	];
}

async function house(pool: pg.Pool): Promise<Measure[]> {
	const osric = await personById((await pool.query<{ id: number }>("SELECT id FROM person WHERE email LIKE 'osric%'")).rows[0]!.id, MODEL);
	const ids = await fill(pool, osric);
	await openForm(osric, MODEL, 'route-contribution', { members: {} });
	const opened = await medianOf(9, () => openForm(osric, MODEL, 'route-contribution', { members: {} }));
	const board = await medianOf(7, () =>
		lockBoard(osric, MODEL, { layer: 'board', rows: [ids.line], columns: ids.period, within: null, chosen: { [ids.scenario]: ids.BUD28! } })
	);
	console.log(`lock board of ${ENTITIES} entities × 60 months (and their quarters and years): ${board.toFixed(0)} ms (aim: ≤ 200)`);
	const definition: RoundDefinition = {
		name: 'Large',
		scenario: ids.BUD28!,
		from: ids['2027-04']!,
		to: ids['2028-03']!,
		settings: {
			dimensions: [ids.line, ids.department],
			leaveOut: ids.leaveOut,
			owners: [{ dimension: ids.line, by: 'owner' }],
			reviews: [[{ dimension: ids.line, by: 'reviewers' }]],
			named: [{ unit: unitKey([ids.GROUP!]), owner: osric.id, reviewers: [] }],
			due: [],
			remind: 0,
			snapshots: 'never',
			forms: [],
			alsoChecked: [],
			checks: 'bar',
			compared: null,
			instructions: ''
		}
	};
	const { id } = await saveRound(osric, MODEL, { id: null, version: 0, ...definition });
	const began = performance.now();
	const { units } = await startRound(osric, MODEL, { id });
	const started = performance.now() - began;
	console.log(`starting a round of ${units} units: ${started.toFixed(0)} ms (aim: ≤ 3,000)`);
	await roundBoard(osric, MODEL, id);
	const cycle = await medianOf(5, () => roundBoard(osric, MODEL, id));
	console.log(`board of ${units} units: ${cycle.toFixed(0)} ms (aim: ≤ 300)`);
	await pool.query("DELETE FROM access_lock WHERE layer = 'cycle'");
	await pool.query("UPDATE round SET state = 'ended' WHERE id = $1", [id]);
	const { id: whole } = await saveRound(osric, MODEL, {
		id: null,
		version: 0,
		...definition,
		name: 'Whole',
		settings: {
			...definition.settings,
			dimensions: [ids.line],
			leaveOut: ids.lines.map((line) => unitKey([line])),
			named: definition.settings.named
		}
	}).catch(() => ({ id: 0 }));
	let submitted = 0;
	let cells = 0;
	if (whole) {
		await startRound(osric, MODEL, { id: whole });
		const unit = (
			await pool.query<{ id: number }>('SELECT id FROM cycle_unit WHERE round_id = $1 AND depth = 1 ORDER BY position LIMIT 1', [whole])
		).rows[0]!.id;
		// As the page does before anybody can submit.
		await lookAtSubmission(osric, MODEL, { round: whole, unit });
		await askRunner(MODEL, 'ready', { revision: 0 });
		const from = performance.now();
		await moveUnits(osric, MODEL, { round: whole, units: [unit], move: 'submit', note: '', fields: [], accepts: true });
		submitted = performance.now() - from;
		cells = (await pool.query<{ cells: number }>('SELECT max(cells) AS cells FROM unit_figures')).rows[0]!.cells;
		console.log(`submitting a unit of ${cells} cells: ${submitted.toFixed(0)} ms (aim at 50,000 with 40 checks: ≤ 1,000 plus storing)`);
	}
	return [
		measure(`lock board of ${ENTITIES} × 60 (peer: opening a form)`, board, opened, 10),
		measure(`board of ${units} units (peer: opening a form)`, cycle, opened, 15),
		measure(`starting a round of ${units} units (peer: its board)`, started, cycle, 10),
		measure(`submitting a unit of ${cells} cells (peer: its board)`, submitted, cycle, 10)
	];
}

type Ids = Record<string, number> & { line: number; department: number; period: number; scenario: number } & {
	leaveOut: string[];
	lines: number[];
};

async function fill(pool: pg.Pool, owner: SignedIn): Promise<Ids> {
	const dimensions = await pool.query<{ code: string; id: number; kind: string }>(
		'SELECT d.code, d.id, d.kind FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1'
	);
	const dimension = (code: string) => dimensions.rows.find((each) => each.code === code || each.kind === code)!.id;
	const [line, department, period, scenario] = [dimension('line'), dimension('department'), dimension('period'), dimension('scenario')];
	const made = await pool.query<{ id: number }>(
		`WITH made AS (INSERT INTO member (dimension_id, code, name) SELECT $1, 'E' || n, 'Entity ' || n FROM generate_series(1, $2) n RETURNING id),
			placed AS (INSERT INTO hierarchy_node (hierarchy_id, dimension_id, member_id, parent_id, weight, position)
				SELECT h.id, $1, made.id, (SELECT n.member_id FROM hierarchy_node n WHERE n.hierarchy_id = h.id AND n.parent_id IS NULL LIMIT 1), 1, 1000 + made.id
				FROM made CROSS JOIN hierarchy h WHERE h.dimension_id = $1 AND h.main)
		SELECT id FROM made`,
		[line, ENTITIES]
	);
	await pool.query("INSERT INTO entity (member_id, currency, owner_id) SELECT unnest($1::integer[]), 'EUR', $2", [
		made.rows.map(({ id }) => id),
		owner.id
	]);
	await pool.query('UPDATE model SET structure_version = structure_version + 1');
	const members = await pool.query<{ id: number; code: string; dimension: number }>(
		'SELECT id, code, dimension_id AS dimension FROM member WHERE dimension_id = ANY ($1)',
		[[line, department, period, scenario]]
	);
	const idOf = Object.fromEntries(members.rows.map(({ code, id }) => [code, id]));
	const months = members.rows.filter((each) => each.dimension === period && /^\d{4}-\d\d$/.test(each.code));
	const locks = Array.from({ length: LOCKS }, (_, at) => [
		idOf.BUD28!,
		made.rows[at % ENTITIES]!.id,
		months[(at * 7) % months.length]!.id,
		at
	]);
	await pool.query(
		`INSERT INTO access_lock (model_id, layer, state, name) SELECT 1, 'board', (ARRAY['closed', 'held', 'open'])[1 + n % 3], 'bench ' || n FROM generate_series(0, $1) n`,
		[LOCKS - 1]
	);
	await pool.query(
		`INSERT INTO access_lock_member (lock_id, member_id) SELECT l.id, m FROM unnest($1::integer[], $2::integer[]) AS x (n, m) JOIN access_lock l ON l.name = 'bench ' || x.n ON CONFLICT DO NOTHING`,
		[locks.flatMap((lock) => [lock[3], lock[3], lock[3]]), locks.flatMap((lock) => lock.slice(0, 3))]
	);
	await pool.query('ANALYZE');
	const out = members.rows.filter((each) => each.dimension === department && !DEPARTMENTS.includes(each.code));
	return {
		...idOf,
		line,
		department,
		period,
		scenario,
		lines: made.rows.map(({ id }) => id),
		leaveOut: [...made.rows.map(({ id }) => id), ...['NOR', 'SKE', 'AMB', 'SVC'].map((code) => idOf[code]!)].flatMap((entity) =>
			out.map(({ id }) => unitKey([entity, id]))
		)
	} as unknown as Ids;
}
