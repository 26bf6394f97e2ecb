// Two questions that are being played through beside the plan.
import type pg from 'pg';
import { namedKey, originModeOf } from '../../src/lib/core';
import { transaction } from '../../src/lib/server/database';
import { lockBranch, writeBranch, writeBranchRun, type BranchCell } from '../../src/lib/server/database/branch-series';
import { addressDimensions } from '../../src/lib/server/database/definitions';
import { insertSnapshot } from '../../src/lib/server/database/snapshots';
import { modelVersions } from '../../src/lib/server/database/structure-version';
import { ModelEngine } from '../../src/lib/server/engine/model-engine';
import { planRun } from '../../src/lib/server/engine/requests/run';
import { takeSnapshot } from '../../src/lib/server/engine/requests/snapshot';
import { stepsOf } from '../../src/lib/server/definition/steps';
import type { Ids } from './dimensions';

const YEAR = 2_028;
const PLACES = 12;

interface Change {
	by: string;
	/** Through which form, as the list of changes says it. */
	through: string;
	daysAgo: number;
	/** Codes of the accounts and the line that are changed, in the budget. */
	accounts: readonly string[];
	line: string;
	/** Of months by their place in the year. */
	months: readonly number[];
	factor: number;
}

interface Branch {
	name: string;
	purpose: string;
	by: string;
	dueIn: number;
	people: Readonly<Record<string, 'read' | 'work'>>;
	changes: readonly Change[];
	comments: readonly (readonly [by: string, daysAgo: number, text: string])[];
	run?: { runbook: string; by: string; daysAgo: number; answers: Record<string, number> };
}

const WHOLE_YEAR = [...Array(PLACES).keys()];
const WINTER = [7, 8, 9, 10, 11];
const [OSRIC, IMKE, TOVE, RUNA] = ['osric.hale', 'imke.solberg', 'tove.brandal', 'runa.eskild'] as const;

const BRANCHES: readonly Branch[] = [
	{
		name: 'Dear fuel',
		purpose: 'What if marine fuel doubles, and Skerry sails a tenth less in winter?',
		by: OSRIC,
		dueIn: 12,
		people: { [IMKE]: 'work', [TOVE]: 'work', [RUNA]: 'read' },
		changes: [
			{ by: OSRIC, through: 'Route contribution', daysAgo: 4, accounts: ['6010'], line: 'NOR', months: WHOLE_YEAR, factor: 2 },
			{ by: OSRIC, through: 'Route contribution', daysAgo: 4, accounts: ['6010'], line: 'SKE', months: WHOLE_YEAR, factor: 2 },
			{ by: TOVE, through: 'Route contribution', daysAgo: 2, accounts: ['S10', 'S30'], line: 'SKE', months: WINTER, factor: 0.9 },
			{ by: TOVE, through: 'Route contribution', daysAgo: 2, accounts: ['6010'], line: 'SKE', months: WINTER, factor: 1.8 }
		],
		comments: [
			[TOVE, 2, 'A tenth fewer sailings in winter is what the timetable allows; the freight contracts stay.'],
			[OSRIC, 1, 'Then half of the rise stays with us. I put it before the board on Thursday.']
		],
		run: { runbook: 'Open the stretch plan', by: OSRIC, daysAgo: 1, answers: { growth: 0.01 } }
	},
	{
		name: 'Second winter vessel',
		purpose: 'A chartered vessel on the Northgate crossing from November',
		by: RUNA,
		dueIn: 30,
		people: { [IMKE]: 'work', [OSRIC]: 'work' },
		changes: [
			{
				by: IMKE,
				through: 'Route contribution',
				daysAgo: 9,
				accounts: ['S10', 'S30', '6010', '6020'],
				line: 'NOR',
				months: WINTER,
				factor: 1.4
			},
			{ by: IMKE, through: 'Crew pay', daysAgo: 8, accounts: ['6110'], line: 'NOR', months: WINTER, factor: 1.3 },
			{ by: RUNA, through: 'Fleet care', daysAgo: 6, accounts: ['6310'], line: 'NOR', months: WINTER, factor: 1.25 }
		],
		comments: [[RUNA, 6, 'Docking is in; the charter itself is not, we wait for the offer.']]
	}
];

/** Makes the branches, each with its changes as people would have typed them. */
export async function loadBranches(database: pg.Pool, modelId: number, people: Ids): Promise<void> {
	const idOf = (name: string) => people.get(`${name}@brinewater.example`)!;
	for (const { name, purpose, by, dueIn, people: with_, changes, comments, run } of BRANCHES) {
		const made = await transaction(async (client) => {
			const made = await client.query<{ id: number }>(
				`INSERT INTO branch (model_id, name, purpose, due, made_by, made_at) VALUES ($1, $2, $3, current_date + $4::integer, $5, now() - interval '10 days') RETURNING id`,
				[modelId, name, purpose, dueIn, idOf(by)]
			);
			const branch = made.rows[0]!.id;
			for (const [who, may] of Object.entries(with_))
				await client.query('INSERT INTO branch_person (branch_id, person_id, may) VALUES ($1, $2, $3)', [branch, idOf(who), may]);
			for (const change of changes) {
				const version = await writeBranch(
					client,
					branch,
					{ person: idOf(change.by), acting: null, words: change.through },
					await cellsOf(client, modelId, change),
					PLACES
				);
				await client.query('UPDATE branch_change SET at = now() - make_interval(days => $3) WHERE branch_id = $1 AND version = $2', [
					branch,
					version,
					change.daysAgo
				]);
			}
			for (const [who, daysAgo, text] of comments)
				await client.query(
					'INSERT INTO branch_comment (branch_id, person_id, at, text) VALUES ($1, $2, now() - make_interval(days => $3), $4)',
					[branch, idOf(who), daysAgo, text]
				);
			return branch;
		}, database);
		if (run) await runInBranch(database, modelId, made, { ...run, person: idOf(run.by) });
	}
	await takeSubmitted(database, modelId, idOf(OSRIC));
}

/** Runs a runbook in a branch, as a press on its page would. */
async function runInBranch(
	database: pg.Pool,
	modelId: number,
	branch: number,
	{ runbook: name, person, daysAgo, answers }: NonNullable<Branch['run']> & { person: number }
): Promise<void> {
	const found = await database.query<{ id: number; parameters: never[] }>(
		'SELECT id, parameters FROM runbook WHERE model_id = $1 AND name = $2',
		[modelId, name]
	);
	const { id, parameters } = found.rows[0]!;
	const steps = (await stepsOf(database, 'to read', id)).map(({ step }) => step);
	const originOf: [number, number][] = [];
	for (const step of steps) {
		const mode = originModeOf(step);
		if (!mode) continue;
		const origin = await insertOrigin(database, [modelId, mode, `${name} · ${step.name}`, id, step.id, namedKey({})]);
		originOf.push([step.id, origin]);
	}
	const engine = await ModelEngine.open(database, modelId, () => {});
	const plan = await planRun(engine, {
		...(await modelVersions(database, modelId)),
		...{ steps, parameters, answers, originOf, unknown: [], named: {}, readBy: [], onRefused: 'skip', preview: false },
		results: originOf.map(([step, origin]) => ({ origin, step, named: {} })),
		kinds: originOf.map(([, origin]) => [origin, 'results']),
		rules: EVERYTHING,
		branch: (await database.query<{ id: number; version: number }>('SELECT id, version FROM branch WHERE id = $1', [branch])).rows[0]
	});
	await transaction(async (client) => {
		await lockBranch(client, branch);
		const words = `${plan.cells.toLocaleString('en')} cells changed.`;
		const run = await client.query<{ id: number }>(
			`INSERT INTO run (model_id, runbook_id, name, person_id, at, state, words, answers, definition, log, totals, cells, read_revision, branch_id, part)
			VALUES ($1, $2, $3, $4, now() - make_interval(days => $5), 'done', $6, $7, $8, $9, $10, $11, $12, $13, '{"only": null, "clears": false}') RETURNING id`,
			[
				...[modelId, id, name, person, daysAgo, words, JSON.stringify(answers), JSON.stringify({ id, name, parameters, steps })],
				...[JSON.stringify(plan.log), JSON.stringify(plan.totals), plan.cells, plan.revision, branch]
			]
		);
		const version = await writeBranchRun(
			client,
			branch,
			{ person, acting: null, words: `Run of “${name}”` },
			{ run: run.rows[0]!.id, ...plan.inBranch!, reads: plan.reads }
		);
		await client.query('UPDATE run SET branch_version = $2 WHERE id = $1', [run.rows[0]!.id, version]);
	}, database);
}

const EVERYTHING = { mayEnter: true, grants: [{ name: 'all', level: 'write' as const, slice: {} }] };

async function insertOrigin(database: pg.Pool, values: unknown[]): Promise<number> {
	const known = await database.query<{ id: number }>('SELECT id FROM origin WHERE step_id = $1 AND answers = $2', values.slice(4));
	if (known.rows[0]) return known.rows[0].id;
	const made = await database.query<{ id: number }>(
		'INSERT INTO origin (model_id, mode, name, runbook_id, step_id, answers) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
		values
	);
	return made.rows[0]!.id;
}

/** The budget as the lines have handed it in so far. */
async function takeSubmitted(database: pg.Pool, modelId: number, person: number): Promise<void> {
	const scenario = await database.query<{ dimension: number; member: number; name: string }>(
		"SELECT m.dimension_id AS dimension, m.id AS member, m.name FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.kind = 'scenario' AND m.code = 'BUD28'"
	);
	const { dimension, member, name: part } = scenario.rows[0]!;
	const versions = await modelVersions(database, modelId);
	const engine = await ModelEngine.open(database, modelId, () => {});
	const taken = await takeSnapshot(engine, { ...versions, part: { [dimension]: [member] } });
	const head = { modelId, part, branch: null, revision: versions.revision, person, acting: null, through: '' };
	await transaction(async (client) => {
		const purpose = 'What the lines handed in, before anything was reviewed';
		const id = await insertSnapshot(client, { ...head, name: 'Budget as submitted', purpose }, taken);
		await client.query("UPDATE snapshot SET taken_at = now() - interval '5 days' WHERE id = $1", [id]);
	}, database);
}

/** The cells of the working budget that a change is about, each as it shows in the plan, times its factor. */
async function cellsOf(client: pg.PoolClient, modelId: number, { accounts, line, months, factor }: Change): Promise<BranchCell[]> {
	const dimensions = await addressDimensions(client, modelId);
	const address = `ARRAY[${dimensions.map((id) => `c.d${id}`).join(', ')}]`;
	const ofCode = (code: string, parameter: string) =>
		`${address} && (SELECT array_agg(m.id) FROM member m JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1
			JOIN dimension d ON d.id = m.dimension_id AND d.code = '${code}' WHERE m.code = ANY (${parameter}))`;
	const found = await client.query<{ address: number[]; mode: string; amounts: (number | null)[] }>(
		`SELECT ${address} AS address, g.mode, c.amounts FROM cells_${modelId} c JOIN origin g ON g.id = c.origin_id
		WHERE c.fiscal_year = $2 AND ${ofCode('account', '$3')} AND ${ofCode('line', '$4')} AND ${ofCode('scenario', "ARRAY['BUD28']")} AND ${ofCode('version', "ARRAY['WORK']")}`,
		[modelId, YEAR, accounts, [line]]
	);
	const entry = (await client.query<{ id: number }>("SELECT id FROM origin WHERE model_id = $1 AND mode = 'entry'", [modelId])).rows[0]!.id;
	const shown = new Map<string, { address: number[]; entered: (number | null)[]; loaded: number[] }>();
	for (const { address: at, mode, amounts } of found.rows) {
		const known = shown.get(at.join()) ?? { address: at, entered: [], loaded: new Array<number>(PLACES).fill(Number.NaN) };
		shown.set(at.join(), known);
		if (mode === 'entry') known.entered = amounts;
		else
			amounts.forEach(
				(value, month) => value !== null && !Number.isNaN(value) && (known.loaded[month] = (known.loaded[month] || 0) + value)
			);
	}
	return [...shown.values()].flatMap(({ address: at, entered, loaded }) =>
		months.flatMap((position) => {
			const typed = entered[position];
			const value = typed === null || typed === undefined || Number.isNaN(typed) ? loaded[position]! : typed;
			return Number.isNaN(value)
				? []
				: [{ origin: entry, address: at, year: YEAR, position, value: Math.round(value * factor), seen: value }];
		})
	);
}
