import type pg from 'pg';
import { fieldsOf, generatePeriods, type DimensionState, type FormLayout, type MemberState } from '../../core';
import { refuseAlternateGroups } from '../access';
import { transaction } from '../database';
import { createCellTable } from '../database/cells';
import { Fault } from '../fault';
import { layoutSchema } from '../definition/layout-schema';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel } from '../structure/act';
import { addCalendar, addCurrencies, addPeriods, freeCode } from '../structure/new-model';
import type { LoadedDimension, ReferenceIds } from '../structure/read-state';
import { writeDiff } from '../structure/write-state';
import { createFormulas } from './create-formulas';
import { createImport } from './create-imports';
import { createNumbers } from './create-numbers';
import { createRunbooks } from './create-runbooks';
import type { ModelPackage, PackedDimension, PackedSeries } from '../definition/package-format';
import type { Made, MemberOf } from './made';
import { mapDimensions, mapRateSets } from './write';
import { writeJournal } from '../definition/journal';
import { mapMembers } from '../definition/layout-members';
import { lockCodes } from '../database/locks';

/** What was left out on the way in, in sentences. */
export interface CreatedModel {
	id: number;
	code: string;
	leftOut: string[];
}

/**
 * Makes a new model out of a package: definitions, and numbers where there are some, in one transaction.
 * @throws Fault 422 naming what does not fit
 */
export async function createFromPackage(
	person: SignedIn | undefined,
	packed: ModelPackage,
	numbers: readonly PackedSeries[] | undefined,
	name: string
): Promise<CreatedModel> {
	const maker = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		await lockCodes(client);
		const taken = await client.query('SELECT FROM model WHERE lower(name) = lower($1)', [name]);
		if (taken.rowCount) throw new Fault(422, 'not possible', `There is a model named ${name} already. Give the new one another name.`);
		const leftOut: string[] = [];
		const { model } = packed;
		await addCurrencies(client, [
			...new Set([
				model.reportingCurrency,
				...model.currencies,
				...packed.rates.flatMap(({ pivot, rates }) => [pivot, ...rates.map(({ currency }) => currency)])
			])
		]);
		const inserted = await client.query<{ id: number; code: string }>(
			'INSERT INTO model (code, name, reporting_currency) VALUES ($1, $2, $3) RETURNING id, code',
			[await freeCode(client, 'model', name), name, model.reportingCurrency]
		);
		const modelId = inserted.rows[0]!.id;
		await client.query(
			'INSERT INTO model_currency (model_id, currency, position) SELECT $1, c, o FROM unnest($2::text[]) WITH ORDINALITY AS u (c, o)',
			[modelId, model.currencies]
		);
		const rateSets = await createRates(client, packed);
		const made = await createDimensions(client, packed, rateSets, leftOut);
		for (const { key } of packed.lists)
			await client.query('INSERT INTO choice_list (dimension_id, model_id) VALUES ($1, $2)', [made.get(key)!.id, modelId]);
		const ordered = model.dimensions.map((key) => made.get(key)!);
		await client.query(
			'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, d, o FROM unnest($2::integer[]) WITH ORDINALITY AS u (d, o)',
			[modelId, ordered.map(({ id }) => id)]
		);
		const addressed = ordered.filter(({ kind }) => kind !== 'period');
		await createCellTable(client, modelId, addressed);
		const origins = new Map<string, number>();
		const results = new Set(packed.runbooks.flatMap((runbook) => runbook.results.map(({ origin }) => origin)));
		for (const origin of model.origins) {
			const row = await client.query<{ id: number }>('INSERT INTO origin (model_id, mode, name) VALUES ($1, $2, $3) RETURNING id', [
				modelId,
				origin.mode === 'proposes' ? (results.has(origin.name) ? 'sets' : 'loads') : origin.mode,
				origin.name
			]);
			origins.set(origin.name, row.rows[0]!.id);
		}
		await client.query("INSERT INTO access_grant (model_id, person_id, name, level) VALUES ($1, $2, 'Everything', 'write')", [
			modelId,
			maker.id
		]);
		const memberOf = ({ dimension, member }: { dimension: string; member: string }): number => {
			const id = made.get(dimension)?.ids.get(member);
			if (id === undefined)
				throw new Fault(422, 'not understood', `The package names the member ${member} of ${dimension}, which it does not have.`);
			return id;
		};
		await createRest(client, modelId, packed, made, rateSets, origins, memberOf);
		if (numbers && numbers.length > 0) await createNumbers(client, modelId, maker.id, packed, made, origins, numbers);
		await refuseBrokenModel(client, modelId);
		await writeJournal(client, {
			person: maker.id,
			modelId,
			dimensionId: null,
			words: `Made the model “${name}” from a package`,
			objects: [{ kind: 'model', id: modelId, name, before: null, after: model }]
		});
		return { id: modelId, code: inserted.rows[0]!.code, leftOut };
	});
}

async function createRates(client: pg.PoolClient, packed: ModelPackage): Promise<Map<string, { id: number; name: string }>> {
	const made = new Map<string, { id: number; name: string }>();
	const taken = new Set((await client.query<{ name: string }>('SELECT name FROM rate_set')).rows.map(({ name }) => name));
	for (const { name, pivot, rates } of packed.rates) {
		let free = name;
		for (let number = 2; taken.has(free); number++) free = `${name} ${number}`;
		taken.add(free);
		const set = await client.query<{ id: number }>('INSERT INTO rate_set (name, pivot) VALUES ($1, $2) RETURNING id', [free, pivot]);
		made.set(name, { id: set.rows[0]!.id, name: free });
		await client.query(
			`INSERT INTO rate (rate_set_id, currency, kind, valid_from, valid_to, value)
			SELECT $1, c, k, f, t, v FROM unnest($2::text[], $3::text[], $4::date[], $5::date[], $6::double precision[]) AS r (c, k, f, t, v)`,
			[
				set.rows[0]!.id,
				rates.map(({ currency }) => currency),
				rates.map(({ kind }) => kind),
				rates.map(({ from }) => from),
				rates.map(({ to }) => to),
				rates.map(({ value }) => value)
			]
		);
	}
	return made;
}

/** Periods first, since scenarios name them; accounts and the rest after. */
async function createDimensions(
	client: pg.PoolClient,
	packed: ModelPackage,
	rateSets: ReadonlyMap<string, { id: number; name: string }>,
	leftOut: string[]
): Promise<Map<string, Made>> {
	const made = new Map<string, Made>();
	const people = new Map(
		(await client.query<{ email: string; id: number }>('SELECT email, id FROM person WHERE active')).rows.map(({ email, id }) => [
			email,
			id
		])
	);
	const order = { period: 0, general: 1, entity: 2, account: 3, scenario: 4 };
	const lists = new Set(packed.lists.map(({ key }) => key));
	const lostPeople = new Set<string>();
	for (const dimension of [...packed.dimensions, ...packed.lists].sort((a, b) => order[a.kind] - order[b.kind])) {
		const calendarId = dimension.kind === 'period' ? await createCalendar(client, packed, dimension) : null;
		const code = await freeCode(client, 'dimension', dimension.key);
		const row = await client.query<{ id: number }>(
			'INSERT INTO dimension (code, name, kind, calendar_id) VALUES ($1, $2, $3, $4) RETURNING id',
			[code, dimension.name, dimension.kind, calendarId]
		);
		const id = row.rows[0]!.id;
		for (const [index, hierarchy] of ['Main', ...dimension.hierarchies].entries())
			await client.query('INSERT INTO hierarchy (dimension_id, name, main) VALUES ($1, $2, $3)', [id, hierarchy, index === 0]);
		const attributes: LoadedDimension['attributes'] = [];
		for (const attribute of dimension.attributes) {
			const stored = await client.query<{ id: number }>(
				'INSERT INTO attribute (dimension_id, name, type, choices) VALUES ($1, $2, $3, $4) RETURNING id',
				[id, attribute.name, attribute.type, attribute.choices]
			);
			attributes.push({ ...attribute, id: stored.rows[0]!.id });
		}
		const ids: ReferenceIds = {
			accounts: new Map(),
			scenarios: new Map(),
			periods: made.get(packed.dimensions.find(({ kind }) => kind === 'period')!.key)?.ids ?? new Map(),
			rateSets: new Map([...rateSets].map(([name, set]) => [name, set.id])),
			people,
			dimensions: new Map([...made].map(([key, each]) => [key, each.id]))
		};
		const empty: DimensionState = {
			name: dimension.name,
			kind: dimension.kind,
			fields: fieldsOf(dimension.kind, attributes),
			members: new Map()
		};
		const loaded: LoadedDimension = {
			id,
			code,
			version: 0,
			list: lists.has(dimension.key),
			state: empty,
			attributes,
			hierarchies: dimension.hierarchies,
			lookups: {
				accounts: new Set(),
				periods: new Set(),
				scenarios: new Set(),
				rateSets: new Set(),
				currencies: new Set(),
				people: new Set(),
				dimensions: new Set()
			},
			ids
		};
		const states = toStates(dimension, people, lostPeople);
		const stored = await writeDiff(
			client,
			loaded,
			[...states.values()].map((after) => ({ id: after.id, before: undefined, after }))
		);
		made.set(dimension.key, { id, code, kind: dimension.kind, ids: new Map(stored.map(({ id: member, after }) => [after!.code, member])) });
		if (dimension.kind === 'period') await addPeriods(client, made.get(dimension.key)!.ids, periodsOf(packed, dimension));
	}
	if (lostPeople.size > 0) leftOut.push(`People who are not here: ${[...lostPeople].join(', ')}.`);
	return made;
}

async function createCalendar(client: pg.PoolClient, { calendar, model }: ModelPackage, dimension: PackedDimension): Promise<number> {
	const known = new Set(dimension.members.map(({ code }) => code));
	if (periodsOf({ calendar } as ModelPackage, dimension).some(({ code }) => !known.has(code)))
		throw new Fault(422, 'not understood', 'The periods of the package are not those of its calendar.');
	return addCalendar(client, model.name, calendar);
}

function periodsOf({ calendar }: ModelPackage, dimension: PackedDimension) {
	const { weekStart, ...rest } = calendar;
	try {
		const periods = generatePeriods({ ...rest, ...(weekStart !== undefined && { weekStart }) });
		if (periods.length !== dimension.members.length) throw new RangeError('The periods of the package are not those of its calendar.');
		return periods;
	} catch (error) {
		if (error instanceof RangeError) throw new Fault(422, 'not understood', error.message);
		throw error;
	}
}

/** The members of a package as states with negative ids. */
function toStates(dimension: PackedDimension, people: ReadonlyMap<string, number>, lostPeople: Set<string>): Map<number, MemberState> {
	const idOf = new Map(dimension.members.map(({ code }, index) => [code, -1 - index]));
	if (idOf.size !== dimension.members.length) throw new Fault(422, 'not understood', `${dimension.name} has a code twice.`);
	const parentOf = (code: string | null): number | null => {
		if (code === null) return null;
		const id = idOf.get(code);
		if (id === undefined) throw new Fault(422, 'not understood', `${dimension.name} names the parent ${code}, which it does not have.`);
		return id;
	};
	const keepsPeople = (key: string, value: string | number | boolean) => {
		if (key !== 'owner' && key !== 'reviewers') return true;
		const lost = String(value)
			.split(';')
			.map((email) => email.trim())
			.filter((email) => !people.has(email));
		for (const email of lost) lostPeople.add(email);
		return key === 'reviewers' || lost.length === 0;
	};
	return new Map(
		dimension.members.map((member, index) => [
			-1 - index,
			{
				id: -1 - index,
				code: member.code,
				name: member.name,
				unassigned: member.unassigned ?? false,
				retired: member.retired ?? false,
				parent: parentOf(member.parent),
				weight: member.weight,
				position: index + 1,
				facts: Object.fromEntries(Object.entries(member.facts ?? {}).filter(([key, value]) => keepsPeople(key, value))),
				places: Object.fromEntries(
					Object.entries(member.places ?? {}).map(([name, place]) => [
						name,
						{ parent: parentOf(place.parent), weight: place.weight, position: place.order }
					])
				)
			}
		])
	);
}

async function createRest(
	client: pg.PoolClient,
	modelId: number,
	packed: ModelPackage,
	made: ReadonlyMap<string, Made>,
	rateSets: ReadonlyMap<string, { id: number }>,
	origins: ReadonlyMap<string, number>,
	memberOf: MemberOf
): Promise<void> {
	for (const { name, member, number } of packed.variables)
		await client.query('INSERT INTO variable (model_id, name, member_id, number) VALUES ($1, $2, $3, $4)', [
			modelId,
			name,
			member ? memberOf(member) : null,
			number
		]);
	await createFormulas(client, modelId, packed, made, memberOf);
	for (const { name, layer, state, members } of packed.locks) {
		const locked = members.map(memberOf);
		await refuseAlternateGroups(client, `The lock ${name}`, locked);
		const lock = await client.query<{ id: number }>(
			'INSERT INTO access_lock (model_id, layer, state, name) VALUES ($1, $2, $3, $4) RETURNING id',
			[modelId, layer, state, name]
		);
		await client.query('INSERT INTO access_lock_member (lock_id, member_id) SELECT $1, unnest($2::integer[])', [lock.rows[0]!.id, locked]);
	}
	// A map that several imports go through is one map again.
	const maps = new Map<string, number>();
	for (const each of packed.imports) await createImport(client, modelId, each, made, origins, maps);
	const madeRunbooks = await createRunbooks(client, modelId, packed, { made, origins, memberOf });
	for (const { code, name, folder, description, instructions, dimensions, members, runbooks, rateSets: named, layout } of packed.forms) {
		const parsed = layoutSchema.safeParse(layout);
		if (!parsed.success) throw new Fault(422, 'not understood', `The form ${name} does not keep its format.`);
		const byPlace: FormLayout = mapDimensions(
			mapMembers(
				mapRateSets(parsed.data, (place) => rateSets.get(named[place] ?? '')?.id ?? -1),
				(place) => memberOf(members[place] ?? { dimension: '', member: String(place) })
			),
			(place) => made.get(dimensions[place] ?? '')?.id ?? -1
		);
		const { runs, ...rest } = byPlace;
		// Buttons of runbooks that did not come along would lead nowhere.
		const runsHere = (runs ?? []).flatMap((run) => {
			const runbook = madeRunbooks.get(runbooks[run.runbook] ?? '');
			return runbook === undefined ? [] : [{ ...run, runbook }];
		});
		const stored: FormLayout = { ...rest, ...(runs && { runs: runsHere }) };
		await client.query(
			'INSERT INTO form (model_id, code, name, folder, description, layout, instructions) VALUES ($1, $2, $3, $4, $5, $6, $7)',
			[modelId, code, name, folder, description, JSON.stringify(stored), instructions]
		);
	}
}
