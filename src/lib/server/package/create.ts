import type pg from 'pg';
import { fieldsOf, generatePeriods, type DimensionState, type MemberState } from '../../core';
import { letMakerIn } from '../access/maker';
import { transaction } from '../database';
import { createCellTable } from '../database/cells';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel } from '../structure/act';
import { addCalendar, addCurrencies, addPeriods, freeCode } from '../structure/new-model';
import type { LoadedDimension, ReferenceIds } from '../structure/read-state';
import { writeDiff } from '../structure/write-state';
import { createNumbers } from './create-numbers';
import type { ModelPackage, PackedDimension, PackedSeries } from '../definition/package-format';
import { activePeople, withoutLost } from './known-people';
import type { Made } from './made';
import { PARTS_AFTER_MEMBERS, PARTS_BEFORE_MEMBERS } from './parts';
import type { Part } from './parts/part';
import { Scene } from './scene';
import { writeJournal } from '../definition/journal';
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
		await addCurrencies(client, [model.reportingCurrency]);
		const inserted = await client.query<{ id: number; code: string }>(
			'INSERT INTO model (code, name, reporting_currency) VALUES ($1, $2, $3) RETURNING id, code',
			[await freeCode(client, 'model', name), name, model.reportingCurrency]
		);
		const modelId = inserted.rows[0]!.id;
		const made = new Map<string, Made>();
		const origins = new Map<string, number>();
		const rateSets = new Map<string, { id: number; name: string }>();
		const scene = new Scene(client, maker, modelId, { dimensions: made, rateSets, origins });
		await putAll(scene, PARTS_BEFORE_MEMBERS, packed);
		await createDimensions(client, packed, made, rateSets, leftOut);
		for (const { key } of packed.lists)
			await client.query('INSERT INTO choice_list (dimension_id, model_id) VALUES ($1, $2)', [made.get(key)!.id, modelId]);
		const ordered = model.dimensions.map((key) => made.get(key)!);
		await client.query(
			'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, d, o FROM unnest($2::integer[]) WITH ORDINALITY AS u (d, o)',
			[modelId, ordered.map(({ id }) => id)]
		);
		const addressed = ordered.filter(({ kind }) => kind !== 'period');
		await createCellTable(client, modelId, addressed);
		// Who was kept from reading there is kept from it in what is made of it.
		await client.query('INSERT INTO guarded_dimension (model_id, dimension_id) SELECT $1, unnest($2::integer[])', [
			modelId,
			[
				...new Set(
					model.guarded
						.flatMap((key) => made.get(key) ?? [])
						.filter(({ kind }) => kind !== 'period')
						.map(({ id }) => id)
				)
			]
		]);
		const results = new Set(packed.runbooks.flatMap((runbook) => runbook.results.map(({ origin }) => origin)));
		for (const origin of model.origins) {
			const row = await client.query<{ id: number }>('INSERT INTO origin (model_id, mode, name) VALUES ($1, $2, $3) RETURNING id', [
				modelId,
				origin.mode === 'proposes' ? (results.has(origin.name) ? 'sets' : 'loads') : origin.mode,
				origin.name
			]);
			origins.set(origin.name, row.rows[0]!.id);
		}
		await letMakerIn(client, maker, modelId);
		await putAll(scene, PARTS_AFTER_MEMBERS, packed);
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

/** Everything of some parts, into a model that has nothing of them yet. */
async function putAll(scene: Scene, parts: readonly Part[], packed: ModelPackage): Promise<void> {
	for (const part of parts) for (const item of part.items(packed)) await part.put(scene, item, true);
}

/** Periods first, since scenarios name them; accounts and the rest after. */
async function createDimensions(
	client: pg.PoolClient,
	packed: ModelPackage,
	made: Map<string, Made>,
	rateSets: ReadonlyMap<string, { id: number; name: string }>,
	leftOut: string[]
): Promise<void> {
	const people = await activePeople(client);
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
				facts: withoutLost(member.facts, people, lostPeople),
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
