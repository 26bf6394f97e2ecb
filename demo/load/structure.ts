// Dimensions with their trees, periods, currencies, facts of accounts, entities and scenarios, formulas.
import type pg from 'pg';
import { generatePeriods, Model, namesOfModel, readExpression, ScriptNames, type Expression } from '../../src/lib/core';
import { readModelDefinition } from '../../src/lib/server/database/definitions';
import { seededRandom } from '../random';
import { ACCOUNTS, CALENDAR, ENTITIES, RATES, SCENARIOS, type Branch } from '../structure';
import { insertId, type Dimensions, type Ids, type LoadedDimension } from './dimensions';

/** Members first, then their places in the main hierarchy, each in one statement. */
export async function loadTree(
	client: pg.PoolClient,
	code: string,
	name: string,
	kind: string,
	branches: Branch[]
): Promise<LoadedDimension> {
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

export async function loadMembers(
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

export async function loadPeriods(client: pg.PoolClient): Promise<LoadedDimension> {
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
export async function loadCurrencies(client: pg.PoolClient): Promise<void> {
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

/** Facts of accounts. @param choosable the dimensions (ids) that choices are made from */
export async function loadAccounts(
	client: pg.PoolClient,
	branches: Branch[],
	accounts: LoadedDimension,
	choosable: Record<'route' | 'period', number>
): Promise<void> {
	for (const branch of flatten(branches))
		if (branch.account)
			await client.query(
				`INSERT INTO account (member_id, kind, value_type, time_behaviour, consolidation, decimals, unit, frequency, choice_dimension, watch_from, act_from)
				VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`,
				[
					accounts.ids.get(branch.code),
					branch.account.kind,
					branch.account.valueType,
					branch.account.timeBehaviour,
					branch.account.consolidation,
					branch.account.decimals,
					branch.account.unit,
					branch.account.frequency ?? 'per period',
					branch.account.valueType === 'choice' ? choosable[branch.chosenFrom ?? 'route'] : null,
					branch.account.watchFrom ?? null,
					branch.account.actFrom ?? null
				]
			);
}

export async function loadFacts(client: pg.PoolClient, dimensions: Dimensions, periods: LoadedDimension): Promise<void> {
	await loadAccounts(client, ACCOUNTS, dimensions.account, { route: dimensions.route.id, period: periods.id });
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

export async function loadFormulas(client: pg.PoolClient, modelId: number, accounts: Ids): Promise<void> {
	const account = (code: string): Expression => ({ kind: 'account', member: accounts.get(code)! });
	for (const branch of flatten(ACCOUNTS))
		if (branch.formula)
			await client.query("INSERT INTO formula (model_id, account_id, timing, expression) VALUES ($1, $2, 'after totals', $3)", [
				modelId,
				accounts.get(branch.code),
				JSON.stringify(branch.formula(account))
			]);
}

/** Formulas per leaf, read as people would write them. */
export async function loadLiveFormulas(
	client: pg.PoolClient,
	modelId: number,
	branches: Branch[],
	dimensions: Pick<Dimensions, 'account' | 'scenario'>,
	periods: LoadedDimension
): Promise<void> {
	const names = new ScriptNames(new Model((await readModelDefinition(client, modelId))!));
	const scope = {
		scenarios: ['BUD28', 'STR'].map((code) => dimensions.scenario.ids.get(code)!),
		from: periods.ids.get('2027-04')!
	};
	for (const { code, live } of flatten(branches)) {
		if (live === undefined) continue;
		const read = readExpression(live, namesOfModel(names));
		if ('fault' in read) throw new Error(`${code}: ${read.fault.message}`);
		await client.query(
			"INSERT INTO formula (model_id, account_id, timing, expression, script, scope) VALUES ($1, $2, 'per leaf', $3, $4, $5)",
			[
				modelId,
				dimensions.account.ids.get(code),
				JSON.stringify(read.expression),
				JSON.stringify({ text: live, names: read.names }),
				JSON.stringify(scope)
			]
		);
	}
}

export const flatten = (branches: Branch[]): Branch[] => branches.flatMap((branch) => [branch, ...flatten(branch.children ?? [])]);
