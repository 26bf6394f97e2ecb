import { z } from 'zod';
import type pg from 'pg';
import { generatePeriods, type CalendarDefinition, type FormLayout } from '../../core';
import { letMakerIn } from '../access/maker';
import { transaction } from '../database';
import { createCellTable } from '../database/cells';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel } from './act';
import { calendarSchema } from '../definition/calendar-schema';
import { writeJournal } from '../definition/journal';
import { lockCodes } from '../database/locks';

const label = z.string().trim().min(1, 'a name is missing').max(80);
export const newModelSchema = z.object({
	name: label,
	reportingCurrency: z.string().regex(/^[A-Z]{3}$/),
	currencies: z.array(z.string().regex(/^[A-Z]{3}$/)).max(50),
	calendar: calendarSchema,
	scenarios: z
		.array(z.object({ name: label, firstYear: z.number().int(), lastYear: z.number().int(), takesEntries: z.boolean() }))
		.min(1)
		.max(30),
	/** Codes of dimensions of other models to share. */
	shared: z.array(z.string().max(80)).max(20),
	/** Names of dimensions to start; accounts and entities are started where none is shared. */
	fresh: z.array(label).max(12),
	entityName: label.default('Entity'),
	/** Whether the model has entities at all. */
	entities: z.boolean().default(true)
});
export type NewModel = z.infer<typeof newModelSchema>;

/** The most periods a calendar may have. */
const MOST_PERIODS = 15_000;

interface MadeDimension {
	id: number;
	code: string;
	kind: string;
}

/**
 * Makes a model that can be used at once: calendar, dimensions with what is needed to type a first figure, an entry
 * origin, a form over everything, and a grant for its maker.
 * @throws Fault 422 with a sentence where the choices do not fit together
 */
export async function createModel(person: SignedIn | undefined, wanted: NewModel): Promise<{ id: number; code: string; form: string }> {
	const maker = requirePermission(person, 'structure.write');
	const periods = checkedPeriods(wanted.calendar);
	return transaction(async (client) => {
		// Two at once would be given the same codes.
		await lockCodes(client);
		const names = await client.query<{ name: string }>('SELECT name FROM model WHERE lower(name) = lower($1)', [wanted.name]);
		if (names.rows.length > 0) throw new Fault(422, 'not possible', `There is a model named ${wanted.name} already.`);
		const shared = await sharedDimensions(client, wanted.shared);
		const currencies = [...new Set([wanted.reportingCurrency, ...wanted.currencies])];
		await addCurrencies(client, currencies);
		const code = await freeCode(client, 'model', wanted.name);
		const model = await client.query<{ id: number }>(
			'INSERT INTO model (code, name, reporting_currency) VALUES ($1, $2, $3) RETURNING id',
			[code, wanted.name, wanted.reportingCurrency]
		);
		const id = model.rows[0]!.id;
		await client.query(
			'INSERT INTO model_currency (model_id, currency, position) SELECT $1, c, o FROM unnest($2::text[]) WITH ORDINALITY AS u (c, o)',
			[id, currencies]
		);
		const account = shared.find(({ kind }) => kind === 'account') ?? (await startAccounts(client));
		const calendar = await startCalendar(client, wanted.name, wanted.calendar, periods);
		const rateSet = await client.query<{ id: number }>('INSERT INTO rate_set (name, pivot) VALUES ($1, $2) RETURNING id', [
			await freeName(client, 'rate_set', `${wanted.name} rates`),
			wanted.reportingCurrency
		]);
		const scenario = await startScenarios(client, wanted, periods, calendar, rateSet.rows[0]!.id);
		const entity = !wanted.entities
			? undefined
			: (shared.find(({ kind }) => kind === 'entity') ?? (await startEntities(client, wanted.entityName, wanted.reportingCurrency)));
		const general = shared.filter(({ kind }) => kind === 'general');
		for (const name of wanted.fresh) general.push(await startGeneral(client, name));
		const dimensions = [account, calendar, scenario, ...(entity ? [entity] : []), ...general];
		await client.query(
			'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, d, o FROM unnest($2::integer[]) WITH ORDINALITY AS u (d, o)',
			[id, dimensions.map((dimension) => dimension.id)]
		);
		await createCellTable(
			client,
			id,
			dimensions.filter((dimension) => dimension !== calendar)
		);
		await client.query("INSERT INTO origin (model_id, mode, name) VALUES ($1, 'entry', 'Entry')", [id]);
		await letMakerIn(client, maker, id);
		const form = await startForm(client, id, dimensions, currencies);
		await refuseBrokenModel(client, id);
		await writeJournal(client, {
			person: maker.id,
			modelId: id,
			dimensionId: null,
			words: `Made the model “${wanted.name}”`,
			objects: [{ kind: 'model', id, name: wanted.name, before: null, after: wanted }]
		});
		return { id, code, form };
	});
}

function checkedPeriods(calendar: CalendarDefinition) {
	try {
		const periods = generatePeriods(calendar);
		if (periods.length > MOST_PERIODS)
			throw new Fault(
				422,
				'not possible',
				`This calendar would have ${periods.length} periods; ${MOST_PERIODS} are the most. Choose fewer years or a coarser grain.`
			);
		return periods;
	} catch (error) {
		if (error instanceof RangeError) throw new Fault(422, 'not possible', error.message);
		throw error;
	}
}

async function sharedDimensions(client: pg.PoolClient, codes: readonly string[]): Promise<MadeDimension[]> {
	const found = await client.query<MadeDimension>('SELECT id, code, kind FROM dimension WHERE code = ANY ($1) ORDER BY id', [codes]);
	for (const code of codes)
		if (!found.rows.some((dimension) => dimension.code === code))
			throw new Fault(422, 'not possible', `There is no dimension ${code} to share.`);
	const twice = found.rows.find(({ kind }) => kind === 'period' || kind === 'scenario');
	if (twice) throw new Fault(422, 'not possible', 'A model has a calendar and scenarios of its own; they cannot be shared.');
	for (const kind of ['account', 'entity'])
		if (found.rows.filter((dimension) => dimension.kind === kind).length > 1)
			throw new Fault(422, 'not possible', `A model has one ${kind} dimension; choose one to share.`);
	return found.rows;
}

/** Currencies the installation does not know yet, with their usual decimals (ISO 4217, through Intl). */
export async function addCurrencies(client: pg.PoolClient, codes: readonly string[]): Promise<void> {
	const known = new Set(Intl.supportedValuesOf('currency'));
	const unknown = codes.find((code) => !known.has(code));
	if (unknown) throw new Fault(422, 'not possible', `${unknown} is no currency of ISO 4217.`);
	await client.query('INSERT INTO currency (code, decimals) SELECT * FROM unnest($1::text[], $2::smallint[]) ON CONFLICT DO NOTHING', [
		codes,
		codes.map((currency) => new Intl.NumberFormat('en', { style: 'currency', currency }).resolvedOptions().maximumFractionDigits ?? 2)
	]);
}

/** A code from a name that no other has: lower case, words joined, a number behind where needed. */
export async function freeCode(client: pg.PoolClient, table: 'model' | 'dimension' | 'form', name: string): Promise<string> {
	const base =
		name
			.normalize('NFD')
			.replaceAll(/\p{M}/gu, '')
			.toLowerCase()
			.replaceAll(/[^a-z0-9]+/g, '-')
			.replaceAll(/^-|-$/g, '')
			.slice(0, 40) || table;
	const taken = new Set(
		(await client.query<{ code: string }>(`SELECT code FROM ${table} WHERE code LIKE $1`, [`${base}%`])).rows.map(({ code }) => code)
	);
	for (let number = 1; ; number++) {
		const code = number === 1 ? base : `${base}-${number}`;
		if (!taken.has(code)) return code;
	}
}

async function freeName(client: pg.PoolClient, table: 'rate_set' | 'calendar', name: string): Promise<string> {
	const taken = new Set((await client.query<{ name: string }>(`SELECT name FROM ${table}`)).rows.map((row) => row.name));
	for (let number = 1; ; number++) {
		const free = number === 1 ? name : `${name} ${number}`;
		if (!taken.has(free)) return free;
	}
}

interface Sketch {
	code: string;
	name: string;
	parent?: string;
	weight?: number;
	unassigned?: boolean;
}

/** Makes a dimension with members in its main hierarchy. @returns it with its members' ids by code */
export async function startDimension(
	client: pg.PoolClient,
	name: string,
	kind: string,
	members: readonly Sketch[],
	calendarId: number | null = null
): Promise<MadeDimension & { ids: Map<string, number> }> {
	const code = await freeCode(client, 'dimension', name);
	const dimension = await client.query<{ id: number }>(
		'INSERT INTO dimension (code, name, kind, calendar_id) VALUES ($1, $2, $3, $4) RETURNING id',
		[code, name, kind, calendarId]
	);
	const id = dimension.rows[0]!.id;
	const ids = await addMembers(client, id, members);
	const hierarchy = await client.query<{ id: number }>(
		"INSERT INTO hierarchy (dimension_id, name, main) VALUES ($1, 'Main', true) RETURNING id",
		[id]
	);
	await client.query(
		`INSERT INTO hierarchy_node (hierarchy_id, dimension_id, member_id, parent_id, weight, position)
		SELECT $1, $2, m, p, w, o FROM unnest($3::integer[], $4::integer[], $5::smallint[]) WITH ORDINALITY AS n (m, p, w, o)`,
		[
			hierarchy.rows[0]!.id,
			id,
			members.map((member) => ids.get(member.code)),
			members.map((member) => (member.parent === undefined ? null : ids.get(member.parent))),
			members.map((member) => member.weight ?? 1)
		]
	);
	return { id, code, kind, ids };
}

/** Members of a dimension, without places. @returns their ids by code */
export async function addMembers(client: pg.PoolClient, dimension: number, members: readonly Sketch[]): Promise<Map<string, number>> {
	const inserted = await client.query<{ id: number; code: string }>(
		'INSERT INTO member (dimension_id, code, name, unassigned) SELECT $1, c, n, u FROM unnest($2::text[], $3::text[], $4::boolean[]) AS m (c, n, u) RETURNING id, code',
		[dimension, members.map(({ code }) => code), members.map(({ name }) => name), members.map(({ unassigned }) => unassigned ?? false)]
	);
	return new Map(inserted.rows.map(({ id, code }) => [code, id]));
}

/** The days and levels of generated periods. */
export async function addPeriods(
	client: pg.PoolClient,
	ids: ReadonlyMap<string, number>,
	periods: ReturnType<typeof generatePeriods>
): Promise<void> {
	await client.query(
		`INSERT INTO period (member_id, level, start_date, end_date, fiscal_year)
		SELECT * FROM unnest($1::integer[], $2::text[], $3::date[], $4::date[], $5::smallint[])`,
		[
			periods.map(({ code }) => ids.get(code)),
			periods.map(({ level }) => level),
			periods.map(({ start }) => start),
			periods.map(({ end }) => end),
			periods.map(({ fiscalYear }) => fiscalYear)
		]
	);
}

/** Stores how periods are made, under a name that no other calendar has. @returns its id */
export async function addCalendar(
	client: pg.PoolClient,
	name: string,
	calendar: z.infer<typeof calendarSchema> | CalendarDefinition
): Promise<number> {
	const row = await client.query<{ id: number }>(
		`INSERT INTO calendar (name, grain, pattern, week_start, fiscal_start_month, named_by, first_year, years, levels)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) RETURNING id`,
		[
			await freeName(client, 'calendar', name),
			calendar.grain,
			calendar.pattern,
			calendar.weekStart ?? null,
			calendar.fiscalStartMonth,
			calendar.namedBy,
			calendar.firstYear,
			calendar.years,
			calendar.levels
		]
	);
	return row.rows[0]!.id;
}

async function startCalendar(
	client: pg.PoolClient,
	modelName: string,
	calendar: CalendarDefinition,
	periods: ReturnType<typeof generatePeriods>
) {
	const calendarId = await addCalendar(client, modelName, calendar);
	const dimension = await startDimension(
		client,
		'Period',
		'period',
		periods.map(({ code, name, parent }) => ({ code, name, ...(parent !== undefined && { parent }) })),
		calendarId
	);
	await addPeriods(client, dimension.ids, periods);
	return dimension;
}

/** Result = revenue − cost, and a headcount: enough to see a total move. */
async function startAccounts(client: pg.PoolClient): Promise<MadeDimension> {
	const dimension = await startDimension(client, 'Account', 'account', [
		{ code: 'RESULT', name: 'Result' },
		{ code: 'REVENUE', name: 'Revenue', parent: 'RESULT' },
		{ code: 'COST', name: 'Cost', parent: 'RESULT', weight: -1 },
		{ code: 'HEADCOUNT', name: 'Headcount' }
	]);
	await client.query(
		`INSERT INTO account (member_id, kind, value_type, time_behaviour, consolidation, decimals) VALUES
		($1, 'revenue', 'money', 'flow', 'sum', 2), ($2, 'expense', 'money', 'flow', 'sum', 2), ($3, 'statistic', 'quantity', 'closing', 'sum', 1)`,
		['REVENUE', 'COST', 'HEADCOUNT'].map((code) => dimension.ids.get(code))
	);
	return dimension;
}

async function startScenarios(
	client: pg.PoolClient,
	wanted: NewModel,
	periods: ReturnType<typeof generatePeriods>,
	calendar: { ids: Map<string, number> },
	rateSet: number
): Promise<MadeDimension> {
	const taken = new Set<string>();
	const sketches = wanted.scenarios.map(({ name }) => {
		let code =
			name
				.toUpperCase()
				.replaceAll(/[^A-Z0-9]+/g, '')
				.slice(0, 12) || 'SCENARIO';
		while (taken.has(code)) code += '2';
		taken.add(code);
		return { code, name };
	});
	const dimension = await startDimension(client, 'Scenario', 'scenario', sketches);
	const isParent = new Set(periods.map(({ parent }) => parent));
	const leaves = periods.filter(({ code }) => !isParent.has(code));
	let before: number | null = null;
	for (const [index, scenario] of wanted.scenarios.entries()) {
		const within = leaves.filter(({ fiscalYear }) => fiscalYear >= scenario.firstYear && fiscalYear <= scenario.lastYear);
		if (within.length === 0) throw new Fault(422, 'not possible', `${scenario.name} speaks about years that the calendar does not have.`);
		const [first, last] = [calendar.ids.get(within[0]!.code), calendar.ids.get(within.at(-1)!.code)];
		const id: number = dimension.ids.get(sketches[index]!.code)!;
		await client.query(
			`INSERT INTO scenario (member_id, span_from, span_to, entry_from, entry_to, rate_set_id, continues_from)
			VALUES ($1, $2, $3, $4, $5, $6, $7)`,
			[id, first, last, scenario.takesEntries ? first : null, scenario.takesEntries ? last : null, rateSet, before]
		);
		before ??= id;
	}
	return dimension;
}

async function startEntities(client: pg.PoolClient, name: string, currency: string): Promise<MadeDimension> {
	const dimension = await startDimension(client, name, 'entity', [
		{ code: 'ALL', name: 'Total' },
		{ code: 'E1', name: `${name} 1`, parent: 'ALL' }
	]);
	await client.query('INSERT INTO entity (member_id, currency) VALUES ($1, $2)', [dimension.ids.get('E1'), currency]);
	return dimension;
}

/** A general dimension with a member for what it does not apply to, and others. */
export const startGeneral = (client: pg.PoolClient, name: string, leaves: readonly { code: string; name: string }[] = []) =>
	startDimension(client, name, 'general', [
		{ code: 'ALL', name: `All: ${name}` },
		...leaves.map((leaf) => ({ ...leaf, parent: 'ALL' })),
		{ code: 'NONE', name: `No ${name.toLowerCase()}`, parent: 'ALL', unassigned: true }
	]);

/** Everything on one page: accounts down, the chosen year's periods and its total across, all else to choose. */
async function startForm(
	client: pg.PoolClient,
	modelId: number,
	dimensions: readonly MadeDimension[],
	currencies: readonly string[]
): Promise<string> {
	const period = dimensions.find(({ kind }) => kind === 'period')!;
	const account = dimensions.find(({ kind }) => kind === 'account')!;
	const scenario = dimensions.find(({ kind }) => kind === 'scenario')!.id;
	const selectors: FormLayout['selectors'] = [];
	for (const { id, kind } of dimensions) {
		if (kind === 'account') continue;
		// A first figure goes to a leaf: the unassigned one, the first entity, the last scenario that takes entries and
		// the first year in which it does.
		const initial = await client.query<{ id: number }>(
			kind === 'period'
				? `SELECT p.member_id AS id FROM period p JOIN member m ON m.id = p.member_id
					WHERE m.dimension_id = $1 AND p.level = 'year'
					ORDER BY p.fiscal_year < coalesce((SELECT e.fiscal_year FROM scenario s JOIN member sm ON sm.id = s.member_id JOIN period e ON e.member_id = s.entry_from
						WHERE sm.dimension_id = $2 ORDER BY s.member_id DESC LIMIT 1), 0), p.start_date LIMIT 1`
				: `SELECT m.id FROM member m LEFT JOIN scenario s ON s.member_id = m.id
					WHERE m.dimension_id = $1 AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id)
					ORDER BY m.unassigned DESC, (s.entry_from IS NOT NULL) DESC, CASE WHEN s.member_id IS NULL THEN m.id ELSE -m.id END LIMIT 1`,
			kind === 'period' ? [id, scenario] : [id]
		);
		selectors.push({
			dimension: id,
			selection: kind === 'period' ? { kind: 'level', depth: 0 } : { kind: 'all' },
			initial: initial.rows[0]!.id
		});
	}
	const layout: FormLayout = {
		version: 2,
		rows: [{ kind: 'cells', id: 0, parts: [{ dimension: account.id, selection: { kind: 'all' } }] }],
		columns: [
			{ kind: 'cells', id: 0, parts: [{ dimension: period.id, selection: { kind: 'leaves', of: 'chosen' } }] },
			{ kind: 'cells', id: 1, parts: [{ dimension: period.id, selection: { kind: 'these', members: ['chosen'] } }] }
		],
		selectors,
		pinned: [],
		currencies: [currencies[0]!, 'local', ...currencies.slice(1)]
	};
	await client.query(
		"INSERT INTO form (model_id, code, name, folder, description, layout) VALUES ($1, 'all-figures', 'All figures', '', 'Every account of the model, for any choice of the rest.', $2)",
		[modelId, JSON.stringify(layout)]
	);
	return 'all-figures';
}
