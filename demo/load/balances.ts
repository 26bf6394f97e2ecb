// The model Balances by flow: its dimensions, what its lines have and what moves, the form, and the runbook that carries it.
import type pg from 'pg';
import {
	Cube,
	Model,
	namedKey,
	runSteps,
	type FormLayout,
	type RollForwardLine,
	type RollForwardStep,
	type Slice,
	type Step
} from '../../src/lib/core';
import { createCellTable } from '../../src/lib/server/database/cells';
import { lockModel, postChangeSet } from '../../src/lib/server/database/change-set';
import { readModelDefinition } from '../../src/lib/server/database/definitions';
import type { SeriesChange } from '../../src/lib/server/database/series';
import { BALANCE_ACCOUNTS, BALANCE_ROLES, balanceAmounts, FLOWS } from '../balances';
import { demoPeople } from '../people.mjs';
import { insertId, type Dimensions, type Ids, type LoadedDimension } from './dimensions';
import { loadAccounts, loadTree } from './structure';

interface BalanceModel {
	id: number;
	account: LoadedDimension;
	scenario: LoadedDimension;
	line: LoadedDimension;
	flow: LoadedDimension;
	periods: LoadedDimension;
	author: number;
}

/** Makes the model, loads what moves, and carries it through two years as its runbook does. */
export async function loadBalances(client: pg.PoolClient, main: Dimensions, periods: LoadedDimension, people: Ids): Promise<void> {
	const account = await loadTree(client, 'balance-account', 'Balance', 'account', BALANCE_ACCOUNTS);
	await loadAccounts(client, BALANCE_ACCOUNTS, account, { route: main.route.id, period: periods.id });
	const flow = await loadTree(client, 'flow', 'Flow', 'general', FLOWS);
	for (const [code, role] of Object.entries(BALANCE_ROLES))
		await client.query('INSERT INTO balance_role (member_id, role) VALUES ($1, $2)', [flow.ids.get(code), role]);
	const id = await insertId(
		client,
		"INSERT INTO model (code, name, reporting_currency) VALUES ('balances', 'Balances by flow', 'EUR') RETURNING id",
		[]
	);
	const model = {
		id,
		account,
		scenario: main.scenario,
		line: main.entity,
		flow,
		periods,
		author: people.get('osric.hale@brinewater.example')!
	};
	const addressed = [account, main.scenario, main.entity, flow];
	await client.query(
		'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, d, o FROM unnest($2::integer[]) WITH ORDINALITY AS u (d, o)',
		[id, [account.id, periods.id, ...addressed.slice(1).map((each) => each.id)]]
	);
	await client.query("INSERT INTO model_currency (model_id, currency, position) VALUES ($1, 'EUR', 1), ($1, 'GBP', 2), ($1, 'NOK', 3)", [
		id
	]);
	await createCellTable(client, id, addressed);
	await client.query("INSERT INTO origin (model_id, mode, name) VALUES ($1, 'entry', 'Entry')", [id]);
	const movements = await insertId(
		client,
		"INSERT INTO origin (model_id, mode, name) VALUES ($1, 'loads', 'Planned movements') RETURNING id",
		[id]
	);
	const series = seriesOf(model, movements);
	const step = await loadRunbook(client, model);
	await loadForm(client, model);
	for (const { email, grants } of demoPeople) {
		// Who sees the whole group, and who plans a whole line.
		if (grants.length === 0 || grants.some(({ department }) => department)) continue;
		const grant = await insertId(
			client,
			"INSERT INTO access_grant (model_id, person_id, name, level) VALUES ($1, $2, $3, 'write') RETURNING id",
			[id, people.get(email), grants[0]!.name]
		);
		await client.query('INSERT INTO access_grant_member (grant_id, member_id) SELECT $1, unnest($2::integer[])', [
			grant,
			grants.flatMap(({ entity }) => entity ?? []).map((code) => main.entity.ids.get(code))
		]);
	}
	const post = async (kind: 'load' | 'run', through: string, changes: SeriesChange[]) => {
		const cells = changes.reduce((sum, { amounts }) => sum + amounts.filter((amount) => !Number.isNaN(amount)).length, 0);
		await lockModel(client, id);
		await postChangeSet(
			client,
			{ modelId: id, person: model.author, kind, through, cells },
			addressed.map((each) => each.id),
			changes
		);
	};
	await post('load', 'Planned movements', series);
	await post('run', 'Carry balances forward', await carried(client, model, step, series));
	await client.query("UPDATE change_set SET at = timestamptz '2026-11-12 10:20+01' WHERE model_id = $1", [id]);
}

/** The amounts as series of a year: what stood in March in the outlook, what moves after it in the stretch plan. */
function seriesOf({ account, scenario, line, flow }: BalanceModel, origin: number): SeriesChange[] {
	const found = new Map<string, SeriesChange>();
	for (const { line: of, account: on, flow: by, month, amount } of balanceAmounts()) {
		const year = month < 0 ? 2_027 : 2_028 + Math.floor(month / 12);
		const key = `${of} ${on} ${by} ${year}`;
		let series = found.get(key);
		if (!series)
			found.set(
				key,
				(series = {
					origin,
					members: [account.ids.get(on)!, scenario.ids.get(month < 0 ? 'OUT27' : 'STR')!, line.ids.get(of)!, flow.ids.get(by)!],
					year,
					amounts: new Float64Array(12).fill(Number.NaN),
					before: new Float64Array(12).fill(Number.NaN)
				})
			);
		(series.amounts as Float64Array)[(month + 12) % 12] = amount;
	}
	return [...found.values()];
}

async function loadRunbook(client: pg.PoolClient, { id, account, scenario, flow }: BalanceModel): Promise<Step> {
	const onto = (to: string) => [{ dimension: flow.id, from: flow.ids.get('CLO')!, to: flow.ids.get(to)! }];
	const line = (from: string, more: Partial<RollForwardLine> = {}): RollForwardLine => ({
		from: account.ids.get(from)!,
		to: null,
		members: onto('OPN'),
		reverse: false,
		...more
	});
	const definition: RollForwardStep = {
		kind: 'roll-forward',
		into: 'every period',
		lines: [
			{ ...line('VES', { from: null }), accounts: { kind: 'leaves', of: account.ids.get('NETA')! } },
			line('ACC', { members: onto('TKB'), reverse: true }),
			line('ERN'),
			line('RES', { into: 'later periods of the year' }),
			line('RES', { to: account.ids.get('ERN')!, into: 'first period of the year' })
		]
	};
	const limits: Slice = { [scenario.id]: { kind: 'these', members: [scenario.ids.get('STR')!] } };
	const head = {
		name: 'Closing into opening',
		description:
			'Every closing balance opens the next month. Accrued charges are taken back the month after; the result of a year is earned earlier in the next one.',
		active: true,
		limits
	};
	const runbook = await insertId(
		client,
		'INSERT INTO runbook (model_id, name, description, parameters) VALUES ($1, $2, $3, $4) RETURNING id',
		[id, 'Carry balances forward', 'Through both years of the stretch plan in one run. Run again whenever a movement was changed.', '[]']
	);
	const { kind, ...stored } = definition;
	const step = await insertId(
		client,
		'INSERT INTO runbook_step (runbook_id, position, kind, name, description, active, limits, definition) VALUES ($1, 0, $2, $3, $4, true, $5, $6) RETURNING id',
		[runbook, kind, head.name, head.description, JSON.stringify(limits), JSON.stringify(stored)]
	);
	await client.query(
		"INSERT INTO origin (model_id, mode, name, runbook_id, step_id, answers) VALUES ($1, 'sets', 'Carry balances forward · Closing into opening', $2, $3, $4)",
		[id, runbook, step, namedKey({})]
	);
	return { ...head, ...definition, id: step };
}

/** What the runbook writes, worked out as a run does it. */
async function carried(client: pg.PoolClient, { id }: BalanceModel, step: Step, series: readonly SeriesChange[]): Promise<SeriesChange[]> {
	const model = new Model((await readModelDefinition(client, id))!);
	const cube = new Cube(model);
	for (const { origin, members, year, amounts } of series)
		cube.writeSeries(
			origin,
			Array.from(members, (member, axis) => model.dimensions[axis]!.ordinal(member)!),
			year,
			amounts,
			1
		);
	const origin = model.definition.origins.find(({ result }) => result?.step === step.id)!.id;
	const { changes } = runSteps(model, cube, {
		steps: [step],
		values: new Map(),
		variables: new Map(),
		named: {},
		originOf: new Map([[step.id, origin]]),
		results: [{ origin, step: step.id, named: {} }],
		readBy: new Map(),
		kindOf: (each) => (each === origin ? 'results' : 'loads'),
		whyNot: () => undefined,
		onRefused: 'stop',
		breathe: () => {},
		progress: () => {}
	});
	return changes.map((change) => ({
		origin: change.origin,
		members: [...change.address].map((ordinal, axis) => model.dimensions[axis]!.member(ordinal).id),
		year: change.year,
		amounts: change.after,
		before: change.before
	}));
}

async function loadForm(client: pg.PoolClient, { id, account, scenario, line, flow, periods }: BalanceModel): Promise<void> {
	const of = (dimension: LoadedDimension, code: string) => dimension.ids.get(code)!;
	const layout: FormLayout = {
		version: 2,
		rows: [
			{
				kind: 'cells',
				id: 0,
				parts: [
					{
						dimension: account.id,
						selection: { kind: 'all' }
					}
				]
			}
		],
		columns: ['OPN', 'ADD', 'DIS', 'TKB', 'CLO'].map((code, index) => ({
			kind: 'cells',
			id: index,
			width: code === 'DIS' ? 180 : 130,
			parts: [{ dimension: flow.id, selection: { kind: 'these', members: [of(flow, code)] } }]
		})),
		selectors: [
			{ dimension: line.id, selection: { kind: 'under', of: of(line, 'GROUP') }, initial: of(line, 'SKE') },
			{ dimension: scenario.id, selection: { kind: 'these', members: [of(scenario, 'STR')] }, initial: of(scenario, 'STR') },
			{
				dimension: periods.id,
				selection: { kind: 'these', members: ['FY2028', 'FY2029'].map((code) => of(periods, code)) },
				initial: of(periods, 'FY2028')
			}
		],
		pinned: [],
		currencies: ['EUR', 'local']
	};
	await client.query(
		`WITH made AS (
			INSERT INTO form (model_id, code, name, folder, description, instructions, layout) VALUES ($1, 'balances-by-flow', 'Balances by flow', 'Planning', $2, '', $3)
			RETURNING id, version, name, folder, description, instructions, roles, layout
		) INSERT INTO form_version (form_id, version, name, folder, description, instructions, roles, layout) SELECT * FROM made`,
		[
			id,
			'What opened each balance, what moved it, and what closes it; in every period at the rates each of these has.',
			JSON.stringify(layout)
		]
	);
}
