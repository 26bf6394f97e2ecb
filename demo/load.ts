// Loads the demo into an empty, migrated database.
import { hash } from '@node-rs/argon2';
import type pg from 'pg';
import { generatePeriods, type Expression, type FormLayout } from '../src/lib/core';
import { createCellTable } from '../src/lib/server/database/cells';
import { lockModel, postChangeSet, type EntryChange } from '../src/lib/server/database/change-set';
import { transaction } from '../src/lib/server/database/pool';
import type { SeriesChange } from '../src/lib/server/database/series';
import { figures } from './figures';
import { accountMapLines, FILE_MONTH, ledgerUnit, MEASURES } from './ledger';
import { monthFacts } from './months';
import { DEMO_PASSWORD, demoPeople } from './people.mjs';
import { seededRandom } from './random';
import { ACCOUNTS, CALENDAR, DEPARTMENTS, ENTITIES, RATES, ROUTE_TREE, ROUTES, SCENARIOS, VERSIONS, type Branch } from './structure';

/** Ids by code. */
type Ids = Map<string, number>;

const ROLES = [
	{ code: 'administrator', name: 'Administrator', permissions: ['structure.read', 'data.read', 'data.load', 'form.read', 'form.enter'] },
	{ code: 'controller', name: 'Controller', permissions: ['structure.read', 'data.read', 'data.load', 'form.read', 'form.enter'] },
	{ code: 'planner', name: 'Planner', permissions: ['form.read', 'form.enter'] },
	{ code: 'reviewer', name: 'Reviewer', permissions: ['form.read'] },
	{ code: 'auditor', name: 'Auditor', permissions: ['structure.read', 'data.read', 'form.read'] }
];

/**
 * Writes people, structure, figures, imports, forms, grants and locks.
 * @returns how many cells and people there are
 */
export async function loadDemo(database: pg.Pool): Promise<{ cells: number; people: number }> {
	return transaction(async (client) => {
		const people = await loadPeople(client);
		const periods = await loadPeriods(client);
		const entities = await loadTree(client, 'line', 'Line', 'entity', ENTITIES);
		const dimensions = {
			account: await loadTree(client, 'account', 'Account', 'account', ACCOUNTS),
			scenario: await loadTree(
				client,
				'scenario',
				'Scenario',
				'scenario',
				SCENARIOS.map(({ code, name }) => ({ code, name }))
			),
			entity: entities,
			department: await loadTree(client, 'department', 'Department', 'general', DEPARTMENTS),
			route: await loadTree(client, 'route', 'Route', 'general', ROUTE_TREE),
			version: await loadTree(client, 'version', 'Version', 'general', VERSIONS)
		};
		await loadCurrencies(client);
		await loadFacts(client, dimensions, periods);
		const modelId = await insertId(
			client,
			"INSERT INTO model (code, name, reporting_currency) VALUES ('group', 'Group plan', 'EUR') RETURNING id",
			[]
		);
		const ordered = [
			dimensions.account,
			dimensions.scenario,
			dimensions.entity,
			dimensions.department,
			dimensions.route,
			dimensions.version
		];
		await client.query(
			'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, d, o FROM unnest($2::integer[]) WITH ORDINALITY AS u (d, o)',
			[modelId, [ordered[0]!.id, periods.id, ...ordered.slice(1).map(({ id }) => id)]]
		);
		await client.query("INSERT INTO model_currency (model_id, currency, position) VALUES ($1, 'EUR', 1), ($1, 'GBP', 2), ($1, 'NOK', 3)", [
			modelId
		]);
		await loadFormulas(client, modelId, dimensions.account.ids);
		await createCellTable(
			client,
			modelId,
			ordered.map(({ id, code }) => ({ id, code }))
		);
		const origins = await loadOrigins(client, modelId);
		await loadImports(client, modelId, dimensions, periods, origins);
		const cells = await loadFigures(client, modelId, ordered, dimensions, periods.ids, origins, people);
		await loadForms(client, modelId, dimensions, periods);
		await loadAccess(client, modelId, dimensions, periods, people);
		await client.query("INSERT INTO setting (key, value) VALUES ('demo', 'Brinewater Crossings')");
		return { cells, people: people.size };
	}, database);
}

interface LoadedDimension {
	id: number;
	code: string;
	ids: Ids;
}

type Dimensions = Record<'account' | 'scenario' | 'entity' | 'department' | 'route' | 'version', LoadedDimension>;

async function insertId(client: pg.PoolClient, text: string, values: unknown[]): Promise<number> {
	return (await client.query<{ id: number }>(text, values)).rows[0]!.id;
}

async function loadPeople(client: pg.PoolClient): Promise<Ids> {
	for (const role of ROLES) {
		const id = await insertId(client, 'INSERT INTO role (code, name) VALUES ($1, $2) RETURNING id', [role.code, role.name]);
		await client.query('INSERT INTO role_permission (role_id, permission) SELECT $1, unnest($2::text[])', [id, role.permissions]);
	}
	const ids: Ids = new Map();
	for (const person of demoPeople) {
		const id = await insertId(client, 'INSERT INTO person (email, name, title, password_hash) VALUES ($1, $2, $3, $4) RETURNING id', [
			person.email,
			person.name,
			person.title,
			await hash(DEMO_PASSWORD)
		]);
		await client.query('INSERT INTO person_role (person_id, role_id) SELECT $1, id FROM role WHERE code = $2', [id, person.role]);
		ids.set(person.email, id);
	}
	return ids;
}

/** Members first, then their places in the main hierarchy, each in one statement. */
async function loadTree(client: pg.PoolClient, code: string, name: string, kind: string, branches: Branch[]): Promise<LoadedDimension> {
	const id = await insertId(client, 'INSERT INTO dimension (code, name, kind) VALUES ($1, $2, $3) RETURNING id', [code, name, kind]);
	const flat: { branch: Branch; parent: string | null }[] = [];
	const visit = (branch: Branch, parent: string | null) => {
		flat.push({ branch, parent });
		for (const child of branch.children ?? []) visit(child, branch.code);
	};
	for (const branch of branches) visit(branch, null);
	const ids = await loadMembers(
		client,
		id,
		flat.map(({ branch, parent }) => ({
			code: branch.code,
			name: branch.name,
			unassigned: branch.unassigned ?? false,
			parent,
			weight: branch.weight ?? 1
		}))
	);
	return { id, code, ids };
}

async function loadMembers(
	client: pg.PoolClient,
	dimension: number,
	members: { code: string; name: string; unassigned: boolean; parent: string | null; weight: number }[]
): Promise<Ids> {
	const inserted = await client.query<{ id: number; code: string }>(
		'INSERT INTO member (dimension_id, code, name, unassigned) SELECT $1, c, n, u FROM unnest($2::text[], $3::text[], $4::boolean[]) AS m (c, n, u) RETURNING id, code',
		[dimension, members.map((member) => member.code), members.map((member) => member.name), members.map((member) => member.unassigned)]
	);
	const ids: Ids = new Map(inserted.rows.map((row) => [row.code, row.id]));
	const hierarchy = await insertId(client, "INSERT INTO hierarchy (dimension_id, name, main) VALUES ($1, 'Main', true) RETURNING id", [
		dimension
	]);
	await client.query(
		`INSERT INTO hierarchy_node (hierarchy_id, dimension_id, member_id, parent_id, weight, position)
		SELECT $1, $2, m, p, w, o FROM unnest($3::integer[], $4::integer[], $5::smallint[]) WITH ORDINALITY AS n (m, p, w, o)`,
		[
			hierarchy,
			dimension,
			members.map((member) => ids.get(member.code)),
			members.map((member) => (member.parent ? ids.get(member.parent) : null)),
			members.map((member) => member.weight)
		]
	);
	return ids;
}

async function loadPeriods(client: pg.PoolClient): Promise<LoadedDimension> {
	const calendar = await insertId(
		client,
		`INSERT INTO calendar (name, grain, fiscal_start_month, named_by, first_year, years, levels)
		VALUES ('April to March', 'month', $1, $2, $3, $4, $5) RETURNING id`,
		[CALENDAR.fiscalStartMonth, CALENDAR.namedBy, CALENDAR.firstYear, CALENDAR.years, CALENDAR.levels]
	);
	const id = await insertId(
		client,
		"INSERT INTO dimension (code, name, kind, calendar_id) VALUES ('period', 'Period', 'period', $1) RETURNING id",
		[calendar]
	);
	const periods = generatePeriods(CALENDAR);
	const ids = await loadMembers(
		client,
		id,
		periods.map((period) => ({ code: period.code, name: period.name, unassigned: false, parent: period.parent ?? null, weight: 1 }))
	);
	await client.query(
		`INSERT INTO period (member_id, level, start_date, end_date, fiscal_year)
		SELECT * FROM unnest($1::integer[], $2::text[], $3::date[], $4::date[], $5::smallint[])`,
		[
			periods.map((period) => ids.get(period.code)),
			periods.map((period) => period.level),
			periods.map((period) => period.start),
			periods.map((period) => period.end),
			periods.map((period) => period.fiscalYear)
		]
	);
	return { id, code: 'period', ids };
}

/** Month by month rates for what has happened, one flat rate a year for the budgets. */
async function loadCurrencies(client: pg.PoolClient): Promise<void> {
	await client.query("INSERT INTO currency (code, decimals) VALUES ('EUR', 2), ('GBP', 2), ('NOK', 2)");
	const random = seededRandom(4_711);
	const rates: { set: number; currency: string; kind: string; from: string; to: string; value: number }[] = [];
	const set = (name: string) => insertId(client, "INSERT INTO rate_set (name, pivot) VALUES ($1, 'EUR') RETURNING id", [name]);
	const actual = await set('Actual rates');
	const budgets = [await set('Budget rates FY2027'), await set('Budget rates FY2028')];
	const months = generatePeriods(CALENDAR).filter((period) => period.level === 'month');
	for (const [currency, around] of Object.entries(RATES)) {
		let drift = 1;
		for (const month of months) {
			drift *= 1 + (random() - 0.5) * 0.012;
			const value = (factor: number) => Number((around * drift * factor).toFixed(5));
			rates.push({ set: actual, currency, kind: 'average', from: month.start, to: month.end, value: value(1) });
			rates.push({ set: actual, currency, kind: 'closing', from: month.end, to: month.end, value: value(1 + (random() - 0.5) * 0.008) });
		}
		budgets.forEach((budget, index) => {
			for (const kind of ['average', 'closing'])
				rates.push({
					set: budget,
					currency,
					kind,
					from: '2024-04-01',
					to: '2029-03-31',
					value: Number((around * (1 + 0.01 * index)).toFixed(4))
				});
		});
	}
	await client.query(
		`INSERT INTO rate (rate_set_id, currency, kind, valid_from, valid_to, value)
		SELECT * FROM unnest($1::integer[], $2::text[], $3::text[], $4::date[], $5::date[], $6::double precision[])`,
		[
			rates.map((rate) => rate.set),
			rates.map((rate) => rate.currency),
			rates.map((rate) => rate.kind),
			rates.map((rate) => rate.from),
			rates.map((rate) => rate.to),
			rates.map((rate) => rate.value)
		]
	);
}

async function loadFacts(client: pg.PoolClient, dimensions: Dimensions, periods: LoadedDimension): Promise<void> {
	for (const branch of flatten(ACCOUNTS))
		if (branch.account)
			await client.query(
				'INSERT INTO account (member_id, kind, value_type, time_behaviour, consolidation, decimals, unit) VALUES ($1, $2, $3, $4, $5, $6, $7)',
				[
					dimensions.account.ids.get(branch.code),
					branch.account.kind,
					branch.account.valueType,
					branch.account.timeBehaviour,
					branch.account.consolidation,
					branch.account.decimals,
					branch.account.unit
				]
			);
	for (const branch of flatten(ENTITIES))
		if (branch.currency)
			await client.query('INSERT INTO entity (member_id, currency) VALUES ($1, $2)', [
				dimensions.entity.ids.get(branch.code),
				branch.currency
			]);
	for (const scenario of SCENARIOS)
		await client.query(
			`INSERT INTO scenario (member_id, span_from, span_to, entry_from, entry_to, rate_set_id, continues_from)
			SELECT $1, $2, $3, $4, $5, id, $7 FROM rate_set WHERE name = $6`,
			[
				dimensions.scenario.ids.get(scenario.code),
				periods.ids.get(scenario.from),
				periods.ids.get(scenario.to),
				scenario.entry ? periods.ids.get(scenario.entry[0]) : null,
				scenario.entry ? periods.ids.get(scenario.entry[1]) : null,
				scenario.rates,
				scenario.continues ? dimensions.scenario.ids.get(scenario.continues) : null
			]
		);
	for (const scenario of SCENARIOS)
		await client.query('UPDATE scenario SET compared_with = $2 WHERE member_id = $1', [
			dimensions.scenario.ids.get(scenario.code),
			dimensions.scenario.ids.get(scenario.compared)
		]);
}

async function loadFormulas(client: pg.PoolClient, modelId: number, accounts: Ids): Promise<void> {
	const account = (code: string): Expression => ({ kind: 'account', member: accounts.get(code)! });
	for (const branch of flatten(ACCOUNTS))
		if (branch.formula)
			await client.query("INSERT INTO formula (model_id, account_id, timing, expression) VALUES ($1, $2, 'after totals', $3)", [
				modelId,
				accounts.get(branch.code),
				JSON.stringify(branch.formula(account))
			]);
}

const flatten = (branches: Branch[]): Branch[] => branches.flatMap((branch) => [branch, ...flatten(branch.children ?? [])]);

interface Origins {
	entry: number;
	opening: number;
	ledger: number;
	ticketing: number;
	handover: number;
}

async function loadOrigins(client: pg.PoolClient, modelId: number): Promise<Origins> {
	const origin = (mode: string, name: string) =>
		insertId(client, 'INSERT INTO origin (model_id, mode, name) VALUES ($1, $2, $3) RETURNING id', [modelId, mode, name]);
	return {
		entry: await origin('entry', 'Entry'),
		opening: await origin('proposes', 'Opening figures'),
		ledger: await origin('proposes', 'Ledger, monthly'),
		ticketing: await origin('proposes', 'Ticketing counts'),
		handover: await origin('proposes', 'Figures taken over')
	};
}

/** Writes all series in three change sets: what was loaded, what opened the plans, and what planners typed since. */
async function loadFigures(
	client: pg.PoolClient,
	modelId: number,
	ordered: LoadedDimension[],
	dimensions: Dimensions,
	periods: Ids,
	origins: Origins,
	people: Ids
): Promise<number> {
	const months = generatePeriods(CALENDAR).filter((period) => period.level === 'month');
	const loaded: SeriesChange[] = [];
	const opened: SeriesChange[] = [];
	const typed: SeriesChange[] = [];
	const entries: EntryChange[] = [];
	const random = seededRandom(2_028);
	let cells = 0;
	for (const figure of figures())
		for (const scenario of SCENARIOS)
			for (const version of scenario.versions) {
				const members = [
					dimensions.account.ids.get(figure.account)!,
					dimensions.scenario.ids.get(scenario.code)!,
					dimensions.entity.ids.get(figure.entity)!,
					dimensions.department.ids.get(figure.department)!,
					dimensions.route.ids.get(figure.route)!,
					dimensions.version.ids.get(version)!
				];
				const isActual = scenario.code === 'ACT';
				const origin = !isActual
					? origins.opening
					: figure.system === 'ledger'
						? origins.ledger
						: figure.system === 'ticketing'
							? origins.ticketing
							: origins.handover;
				for (let year = CALENDAR.firstYear; year < CALENDAR.firstYear + CALENDAR.years; year++) {
					const amounts = new Float64Array(12).fill(Number.NaN);
					months
						.filter((month) => month.fiscalYear === year)
						.forEach((month, position) => {
							const waits = isActual && month.code === FILE_MONTH && figure.system !== 'people';
							if (month.code < scenario.from || month.code > scenario.to || waits) return;
							amounts[position] = figure.amount(monthFacts(month.code, scenario.code, version));
						});
					const present = amounts.filter((amount) => amount === amount).length;
					if (present === 0) continue;
					cells += present;
					(isActual ? loaded : opened).push({ origin, members, year, amounts, before: new Float64Array(12).fill(Number.NaN) });
					// A planner has been at work on the Skerry Line's summer.
					if (
						scenario.code === 'BUD28' &&
						version === 'WORK' &&
						figure.entity === 'SKE' &&
						figure.account.startsWith('40') &&
						random() < 0.6
					) {
						const own = new Float64Array(12).fill(Number.NaN);
						for (const position of [3, 4]) {
							own[position] = Math.round((amounts[position]! * (1.02 + random() * 0.05)) / 100) * 100;
							const month = months.find((each) => each.fiscalYear === year && each.code.endsWith(position === 3 ? '-07' : '-08'))!;
							entries.push({
								origin: origins.entry,
								address: members,
								period: periods.get(month.code)!,
								before: Number.NaN,
								after: own[position]!,
								beneath: amounts[position]!
							});
						}
						typed.push({ origin: origins.entry, members, year, amounts: own, before: new Float64Array(12).fill(Number.NaN) });
					}
				}
			}
	await lockModel(client, modelId);
	const ids = ordered.map(({ id }) => id);
	const controller = people.get('osric.hale@brinewater.example')!;
	const planner = people.get('tove.brandal@brinewater.example')!;
	await postChangeSet(
		client,
		{ modelId, person: controller, kind: 'load', through: 'Figures to August 2026', cells: countCells(loaded) },
		ids,
		loaded
	);
	await postChangeSet(
		client,
		{ modelId, person: controller, kind: 'load', through: 'Opening figures', cells: countCells(opened) },
		ids,
		opened
	);
	await postChangeSet(
		client,
		{ modelId, person: planner, kind: 'save', through: 'Route contribution', cells: entries.length },
		ids,
		typed,
		entries
	);
	// As if it had happened in the weeks before the demo's today.
	await client.query(
		`UPDATE change_set SET at = CASE revision WHEN 1 THEN timestamptz '2026-09-08 09:12+02' WHEN 2 THEN timestamptz '2026-11-03 14:40+01' ELSE timestamptz '2026-11-19 16:02+01' END WHERE model_id = $1`,
		[modelId]
	);
	return cells;
}

const countCells = (series: SeriesChange[]): number =>
	series.reduce((total, { amounts }) => total + amounts.filter((amount) => amount === amount).length, 0);

interface DemoMapLine {
	kind: string;
	member: string;
	reverseSign?: boolean;
	terms: object;
}

async function loadImports(
	client: pg.PoolClient,
	modelId: number,
	dimensions: Dimensions,
	periods: LoadedDimension,
	origins: Origins
): Promise<void> {
	const map = async (name: string, dimension: LoadedDimension, lines: DemoMapLine[]): Promise<number> => {
		const id = await insertId(client, 'INSERT INTO map (dimension_id, name) VALUES ($1, $2) RETURNING id', [dimension.id, name]);
		for (const [index, line] of lines.entries())
			await client.query('INSERT INTO map_line (map_id, position, member_id, reverse_sign, kind, terms) VALUES ($1, $2, $3, $4, $5, $6)', [
				id,
				index + 1,
				dimension.ids.get(line.member),
				line.reverseSign ?? false,
				line.kind,
				JSON.stringify(line.terms)
			]);
		return id;
	};
	const rule = (
		importId: number,
		dimension: LoadedDimension,
		values: { column?: string; map?: number; member?: number; format?: string }
	) =>
		client.query(
			'INSERT INTO import_rule (import_id, dimension_id, come_from, source_column, map_id, member_id, date_format) VALUES ($1, $2, $3, $4, $5, $6, $7)',
			[
				importId,
				dimension.id,
				values.format ? 'date' : values.map ? 'column' : 'fixed',
				values.column ?? null,
				values.map ?? null,
				values.member ?? null,
				values.format ?? null
			]
		);
	const importOf = (origin: number, code: string, name: string, description: string, source: object) =>
		insertId(
			client,
			'INSERT INTO import (model_id, origin_id, code, name, description, source) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
			[modelId, origin, code, name, description, JSON.stringify(source)]
		);
	const patterns = (pairs: Record<string, string>): DemoMapLine[] =>
		Object.entries(pairs).map(([pattern, member]) => ({ kind: 'pattern', member, terms: { pattern } }));

	const ledger = await importOf(
		origins.ledger,
		'ledger',
		'Ledger, monthly',
		'The month’s postings of all lines, in each line’s own currency. Replaces what it loaded before for the same months.',
		{
			delimiter: ';',
			encoding: 'utf-8',
			amountColumn: 'Amount',
			decimal: '.',
			group: ' '
		}
	);
	const unitLines = patterns({ 'N-*': 'NOR', 'S-*': 'SKE', 'A-*': 'AMB', 'G-*': 'SVC' });
	const departments = ['DK', 'EN', 'SH', 'TM', 'BK', 'FC', 'AD'];
	await rule(ledger, dimensions.account, { column: 'Account', map: await map('Ledger accounts', dimensions.account, accountMapLines()) });
	await rule(ledger, dimensions.entity, { column: 'Unit', map: await map('Ledger units to lines', dimensions.entity, unitLines) });
	await rule(ledger, dimensions.department, {
		column: 'Unit',
		map: await map(
			'Ledger units to departments',
			dimensions.department,
			patterns(Object.fromEntries(departments.map((code) => [ledgerUnit('NOR', code).replace('N-', '*-'), code])))
		)
	});
	await rule(ledger, dimensions.route, {
		column: 'Route',
		map: await map('Ledger routes', dimensions.route, [
			...ROUTES.map((route) => ({ kind: 'single', member: route.code, terms: { value: `RT-${route.code.slice(1)}` } })),
			{ kind: 'single', member: 'NOROUTE', terms: { value: '' } }
		])
	});
	await rule(ledger, periods, { column: 'Posting date', format: 'DD.MM.YYYY' });
	await rule(ledger, dimensions.scenario, { member: dimensions.scenario.ids.get('ACT')! });
	await rule(ledger, dimensions.version, { member: dimensions.version.ids.get('FINAL')! });

	const ticketing = await importOf(
		origins.ticketing,
		'ticketing',
		'Ticketing counts',
		'Departures, capacity, passengers and vehicles by route and month.',
		{
			delimiter: ',',
			encoding: 'utf-8',
			amountColumn: 'count',
			decimal: '.',
			group: ''
		}
	);
	await rule(ticketing, dimensions.account, {
		column: 'measure',
		map: await map(
			'Ticketing measures',
			dimensions.account,
			Object.entries(MEASURES).map(([member, value]) => ({ kind: 'single', member, terms: { value } }))
		)
	});
	await rule(ticketing, dimensions.entity, {
		column: 'line',
		map: await map(
			'Ticketing lines',
			dimensions.entity,
			['NOR', 'SKE', 'AMB'].map((code) => ({ kind: 'single', member: code, terms: { value: code } }))
		)
	});
	await rule(ticketing, dimensions.route, {
		column: 'route',
		map: await map(
			'Ticketing routes',
			dimensions.route,
			ROUTES.map(({ code }) => ({ kind: 'single', member: code, terms: { value: code } }))
		)
	});
	await rule(ticketing, periods, { column: 'month', format: 'YYYYMM' });
	await rule(ticketing, dimensions.department, { member: dimensions.department.ids.get('NODEP')! });
	await rule(ticketing, dimensions.scenario, { member: dimensions.scenario.ids.get('ACT')! });
	await rule(ticketing, dimensions.version, { member: dimensions.version.ids.get('FINAL')! });
}

async function loadForms(client: pg.PoolClient, modelId: number, dimensions: Dimensions, periods: LoadedDimension): Promise<void> {
	const account = (code: string) => dimensions.account.ids.get(code)!;
	const selector = (dimension: LoadedDimension, roots: string[], initial: string): FormLayout['selectors'][number] => ({
		dimension: dimension.id,
		selection:
			roots.length === 1
				? { kind: 'under', of: dimension.ids.get(roots[0]!)! }
				: { kind: 'these', members: roots.map((code) => dimension.ids.get(code)!) },
		initial: dimension.ids.get(initial)!
	});
	const shared = {
		line: selector(dimensions.entity, ['GROUP'], 'SKE'),
		route: selector(dimensions.route, ['ALLROUTES'], 'ALLROUTES'),
		department: selector(dimensions.department, ['ALLDEP'], 'ALLDEP'),
		scenario: selector(
			dimensions.scenario,
			SCENARIOS.map(({ code }) => code),
			'BUD28'
		),
		version: selector(dimensions.version, ['WORK', 'FINAL'], 'WORK'),
		year: selector(
			periods,
			[0, 1, 2, 3, 4].map((offset) => `FY${CALENDAR.firstYear + offset}`),
			'FY2028'
		)
	};
	const months: FormLayout['columns'] = [
		{ parts: [{ dimension: periods.id, selection: { kind: 'leaves', of: 'chosen' } }] },
		{ parts: [{ dimension: periods.id, selection: { kind: 'these', members: ['chosen'] } }] }
	];
	const under = (code: string): FormLayout['rows'][number] => ({
		parts: [{ dimension: dimensions.account.id, selection: { kind: 'under', of: account(code) } }]
	});
	const these = (...codes: string[]): FormLayout['rows'][number] => ({
		parts: [{ dimension: dimensions.account.id, selection: { kind: 'these', members: codes.map(account) } }]
	});
	const forms: { code: string; name: string; description: string; layout: Omit<FormLayout, 'version' | 'columns' | 'currencies'> }[] = [
		{
			code: 'route-contribution',
			name: 'Route contribution',
			description: 'Loads and running costs of your routes, down to the contribution.',
			layout: {
				rows: [under('OC'), these('MARGIN', 'LOAD', 'PERSAIL', 'PERPAX', 'FUELPRICE'), these('S10', 'S20', 'S30', 'S40', 'S50', 'S60')],
				selectors: [shared.line, shared.route, shared.department, shared.scenario, shared.version, shared.year],
				pinned: []
			}
		},
		{
			code: 'crew-and-terminal-pay',
			name: 'Crew and terminal pay',
			description: 'What people at sea and in the terminals cost, with headcount.',
			layout: {
				rows: [under('CREW'), these('S70')],
				selectors: [shared.line, shared.route, shared.department, shared.scenario, shared.version, shared.year],
				pinned: []
			}
		},
		{
			code: 'net-assets',
			name: 'Net assets',
			description: 'Month-end balances of a line.',
			layout: {
				rows: [under('BS')],
				selectors: [shared.line, shared.scenario, shared.version, shared.year],
				pinned: [
					{ dimension: dimensions.department.id, member: dimensions.department.ids.get('NODEP')! },
					{ dimension: dimensions.route.id, member: dimensions.route.ids.get('NOROUTE')! }
				]
			}
		}
	];
	for (const form of forms)
		await client.query("INSERT INTO form (model_id, code, name, folder, description, layout) VALUES ($1, $2, $3, 'Planning', $4, $5)", [
			modelId,
			form.code,
			form.name,
			form.description,
			JSON.stringify({ version: 1, columns: months, currencies: ['EUR', 'local'], ...form.layout } satisfies FormLayout)
		]);
}

async function loadAccess(
	client: pg.PoolClient,
	modelId: number,
	dimensions: Dimensions,
	periods: LoadedDimension,
	people: Ids
): Promise<void> {
	for (const person of demoPeople)
		for (const grant of person.grants) {
			const id = await insertId(
				client,
				"INSERT INTO access_grant (model_id, person_id, name, level) VALUES ($1, $2, $3, 'write') RETURNING id",
				[modelId, people.get(person.email), grant.name]
			);
			const members = [
				...(grant.entity ?? []).map((code) => dimensions.entity.ids.get(code)),
				...(grant.department ?? []).map((code) => dimensions.department.ids.get(code))
			];
			await client.query('INSERT INTO access_grant_member (grant_id, member_id) SELECT $1, unnest($2::integer[])', [id, members]);
		}
	const lock = async (layer: string, state: string, name: string, members: (number | undefined)[]) => {
		const id = await insertId(client, 'INSERT INTO access_lock (model_id, layer, state, name) VALUES ($1, $2, $3, $4) RETURNING id', [
			modelId,
			layer,
			state,
			name
		]);
		await client.query('INSERT INTO access_lock_member (lock_id, member_id) SELECT $1, unnest($2::integer[])', [id, members]);
	};
	await lock('board', 'closed', 'The final version', [
		dimensions.version.ids.get('FINAL'),
		...SCENARIOS.filter(({ code }) => code !== 'ACT').map(({ code }) => dimensions.scenario.ids.get(code))
	]);
	await lock('board', 'closed', 'Harbour dues of the budget, agreed with the ports', [
		dimensions.scenario.ids.get('BUD28'),
		dimensions.account.ids.get('6020')
	]);
	await lock('period close', 'closed', 'Actual to August 2026', [
		dimensions.scenario.ids.get('ACT'),
		...['FY2025', 'FY2026', 'FY2027-Q1', '2026-07', '2026-08'].map((code) => periods.ids.get(code))
	]);
}
