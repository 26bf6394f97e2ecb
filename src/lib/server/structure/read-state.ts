import {
	fieldsOf,
	type AttributeSpec,
	type DimensionKind,
	type DimensionState,
	type FieldValue,
	type Lookups,
	type MemberDiff,
	type MemberState,
	type Place
} from '../../core';
import type { Database } from '../database';
import { notFound } from '../fault';

/** A dimension with all that its members' facts may refer to. */
export interface LoadedDimension {
	id: number;
	code: string;
	version: number;
	/** A list of choices: no axis of the model, its members in no tree. */
	list: boolean;
	state: DimensionState;
	attributes: (AttributeSpec & { id: number })[];
	/** Names of the alternate hierarchies. */
	hierarchies: string[];
	lookups: Lookups;
	/** Ids by code, as the facts name them. */
	ids: ReferenceIds;
}

export interface ReferenceIds {
	accounts: Map<string, number>;
	periods: Map<string, number>;
	scenarios: Map<string, number>;
	rateSets: Map<string, number>;
	people: Map<string, number>;
	dimensions: Map<string, number>;
}

interface MemberRow {
	id: number;
	code: string;
	name: string;
	unassigned: boolean;
	retired: boolean;
}

/** The last state read of each dimension in each model: a large one is not read anew for every keystroke. */
const shared = globalThis as unknown as { dimensionStates?: Map<string, { at: string; loaded: LoadedDimension }> };
const kept = (shared.dimensionStates ??= new Map());
/** Members kept in all; beyond it the dimension unused for longest goes. */
const MOST_KEPT = 400_000;

/**
 * The state of a dimension in a model, as it stands in the database.
 * @param afresh for a transaction that has changed it and may be rolled back: nothing of what it reads is kept for others
 * @throws Fault 404 when the model has no such dimension
 */
export async function readDimension(database: Database, modelId: number, code: string, afresh = false): Promise<LoadedDimension> {
	const found = await database.query<DimensionRow & { structure: number }>(
		`SELECT d.id, d.code, d.name, d.kind, d.version, m.structure_version AS structure,
			EXISTS (SELECT FROM choice_list l WHERE l.dimension_id = d.id) AS list
		FROM model m JOIN known_dimension k ON k.model_id = m.id JOIN dimension d ON d.id = k.dimension_id
		WHERE m.id = $1 AND d.code = $2`,
		[modelId, code]
	);
	const dimension = found.rows[0];
	if (!dimension) throw notFound('dimension');
	if (afresh) return load(database, modelId, dimension);
	const key = `${modelId} ${dimension.id}`;
	const at = `${dimension.version} ${dimension.structure}`;
	const known = kept.get(key);
	kept.delete(key);
	const loaded = known?.at === at ? known.loaded : await load(database, modelId, dimension);
	keep(key, at, loaded);
	return loaded;
}

function keep(key: string, at: string, loaded: LoadedDimension): void {
	kept.delete(key);
	kept.set(key, { at, loaded });
	let members = [...kept.values()].reduce((sum, each) => sum + each.loaded.state.members.size, 0);
	for (const [oldest, { loaded: old }] of kept) {
		if (members <= MOST_KEPT || oldest === key) break;
		kept.delete(oldest);
		members -= old.state.members.size;
	}
}

/**
 * Keeps the state that a change has led to, once it is committed, so that the next reader need not read it all again.
 * General dimensions only: what accounts, entities and scenarios may refer to changes with them.
 */
export function keepChanged(
	modelId: number,
	before: LoadedDimension,
	diffs: readonly MemberDiff[],
	version: number,
	structure: number
): void {
	if (before.state.kind !== 'general') return;
	const members = new Map(before.state.members);
	for (const { id, after } of diffs)
		if (after) members.set(id, after);
		else members.delete(id);
	keep(`${modelId} ${before.id}`, `${version} ${structure}`, { ...before, version, state: { ...before.state, members } });
}

/** Most members say nothing in most places. */
const NOTHING = Object.freeze({});

interface DimensionRow {
	id: number;
	code: string;
	name: string;
	kind: DimensionKind;
	version: number;
	list: boolean;
}

async function load(database: Database, modelId: number, dimension: DimensionRow): Promise<LoadedDimension> {
	const { id, code, name, kind, version, list: isList } = dimension;
	const list = async <Row extends object>(text: string, values: unknown[] = [id]): Promise<Row[]> =>
		(await database.query<Row>(text, values)).rows;
	const members = await list<MemberRow>('SELECT id, code, name, unassigned, retired FROM member WHERE dimension_id = $1 ORDER BY id');
	const nodes = await list<{ member: number; hierarchy: string | null } & Place>(
		`SELECT n.member_id AS member, n.parent_id AS parent, n.weight, n.position, CASE WHEN h.main THEN NULL ELSE h.name END AS hierarchy
		FROM hierarchy h JOIN hierarchy_node n ON n.hierarchy_id = h.id WHERE h.dimension_id = $1`
	);
	const hierarchies = (await list<{ name: string }>('SELECT name FROM hierarchy WHERE dimension_id = $1 AND NOT main ORDER BY id')).map(
		({ name }) => name
	);
	const attributes = await list<AttributeSpec & { id: number }>(
		'SELECT id, name, type, choices FROM attribute WHERE dimension_id = $1 ORDER BY id'
	);
	const ids = await readReferences(database, modelId);
	const facts = new Map<number, Record<string, FieldValue>>();
	const say = (member: number, key: string, value: FieldValue | null) => {
		if (value === null || value === '') return;
		let known = facts.get(member);
		if (!known) facts.set(member, (known = {}));
		known[key] = value;
	};
	for (const row of await readFacts(database, id, kind))
		for (const [key, value] of Object.entries(row.facts)) say(row.member, key, value as FieldValue | null);
	for (const { member, name, value } of await list<{ member: number; name: string; value: FieldValue }>(
		'SELECT v.member_id AS member, a.name, v.value FROM attribute a JOIN attribute_value v ON v.attribute_id = a.id WHERE a.dimension_id = $1'
	))
		say(member, `attribute ${name}`, value);
	const main = new Map<number, Place>();
	const alternates = new Map<number, Record<string, Place>>();
	for (const { member, hierarchy, parent, weight, position } of nodes) {
		if (hierarchy === null) main.set(member, { parent, weight, position });
		else alternates.set(member, { ...alternates.get(member), [hierarchy]: { parent, weight, position } });
	}
	const states = new Map<number, MemberState>();
	for (const { id: member, code, name, unassigned, retired } of members) {
		const place = main.get(member);
		// Written out: spread objects of this number cost the collector seconds.
		states.set(member, {
			id: member,
			code,
			name,
			unassigned,
			retired,
			parent: place?.parent ?? null,
			weight: place?.weight ?? 1,
			position: place?.position ?? member,
			facts: facts.get(member) ?? NOTHING,
			places: alternates.get(member) ?? NOTHING
		});
	}
	const currencies = await list<{ code: string }>('SELECT currency AS code FROM model_currency WHERE model_id = $1', [modelId]);
	return {
		id,
		code,
		version,
		list: isList,
		// Choices stand in no balance.
		state: { name, kind, fields: fieldsOf(kind, attributes).filter(({ key }) => !isList || key !== 'balance'), members: states },
		attributes,
		hierarchies,
		lookups: {
			accounts: new Set(ids.accounts.keys()),
			periods: new Set(ids.periods.keys()),
			scenarios: new Set(ids.scenarios.keys()),
			rateSets: new Set(ids.rateSets.keys()),
			people: new Set(ids.people.keys()),
			peopleByName: await readNames(database),
			dimensions: new Set(ids.dimensions.keys()),
			currencies: new Set(currencies.map(({ code }) => code))
		},
		ids
	};
}

/** Addresses of those who work here, by name in small letters. */
async function readNames(database: Database): Promise<Map<string, string[]>> {
	const found = await database.query<{ name: string; emails: string[] }>(
		'SELECT lower(name) AS name, array_agg(email ORDER BY email) AS emails FROM person WHERE active GROUP BY lower(name)'
	);
	return new Map(found.rows.map(({ name, emails }) => [name, emails]));
}

/** Everything that facts may name, by code: the model's own accounts, leaf periods and scenarios among them. */
export async function readReferences(database: Database, modelId: number): Promise<ReferenceIds> {
	const found = await database.query<{ what: keyof ReferenceIds; code: string; id: number }>(
		`SELECT CASE d.kind WHEN 'account' THEN 'accounts' WHEN 'period' THEN 'periods' ELSE 'scenarios' END AS what, m.code, m.id
		FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id JOIN member m ON m.dimension_id = d.id
		WHERE md.model_id = $1 AND (d.kind IN ('account', 'scenario')
			OR d.kind = 'period' AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id))
		UNION ALL SELECT 'rateSets', name, id FROM rate_set
		UNION ALL SELECT 'people', email, id FROM person WHERE active
		UNION ALL SELECT 'dimensions', d.code, d.id FROM known_dimension k JOIN dimension d ON d.id = k.dimension_id WHERE k.model_id = $1`,
		[modelId]
	);
	const ids: ReferenceIds = {
		accounts: new Map(),
		periods: new Map(),
		scenarios: new Map(),
		rateSets: new Map(),
		people: new Map(),
		dimensions: new Map()
	};
	for (const { what, code, id } of found.rows) ids[what].set(code, id);
	return ids;
}

/** The facts of a kind, references as codes. */
async function readFacts(
	database: Database,
	dimension: number,
	kind: DimensionKind
): Promise<{ member: number; facts: Record<string, unknown> }[]> {
	const statement = {
		account: `SELECT a.member_id AS member, json_build_object('kind', a.kind, 'valueType', a.value_type, 'timeBehaviour', a.time_behaviour,
				'consolidation', a.consolidation, 'weighedBy', w.code, 'frequency', a.frequency, 'decimals', a.decimals, 'unit', a.unit,
				'favourable', a.favourable, 'rateKind', a.rate_kind, 'watchFrom', a.watch_from, 'actFrom', a.act_from, 'choiceDimension', d.code) AS facts
			FROM account a JOIN member m ON m.id = a.member_id LEFT JOIN member w ON w.id = a.weighed_by LEFT JOIN dimension d ON d.id = a.choice_dimension
			WHERE m.dimension_id = $1`,
		entity: `SELECT e.member_id AS member, json_build_object('currency', e.currency, 'owner', p.email, 'reviewers',
				(SELECT string_agg(r.email, '; ' ORDER BY r.email) FROM entity_reviewer er JOIN person r ON r.id = er.person_id WHERE er.member_id = e.member_id)) AS facts
			FROM entity e JOIN member m ON m.id = e.member_id LEFT JOIN person p ON p.id = e.owner_id WHERE m.dimension_id = $1`,
		scenario: `SELECT s.member_id AS member, json_build_object('spanFrom', sf.code, 'spanTo', st.code, 'entryFrom', ef.code, 'entryTo', et.code,
				'continuesFrom', c.code, 'comparedWith', v.code, 'rateSet', r.name, 'state', s.state, 'laterRates',
				(SELECT string_agg(p.code || ': ' || lr.name, '; ' ORDER BY p.code) FROM scenario_rates sr
					JOIN member p ON p.id = sr.from_period JOIN rate_set lr ON lr.id = sr.rate_set_id WHERE sr.member_id = s.member_id)) AS facts
			FROM scenario s JOIN member m ON m.id = s.member_id JOIN member sf ON sf.id = s.span_from JOIN member st ON st.id = s.span_to
			LEFT JOIN member ef ON ef.id = s.entry_from LEFT JOIN member et ON et.id = s.entry_to
			LEFT JOIN member c ON c.id = s.continues_from LEFT JOIN member v ON v.id = s.compared_with JOIN rate_set r ON r.id = s.rate_set_id
			WHERE m.dimension_id = $1`,
		period: undefined,
		general: `SELECT b.member_id AS member, json_build_object('balance', b.role) AS facts
			FROM balance_role b JOIN member m ON m.id = b.member_id WHERE m.dimension_id = $1`
	}[kind];
	return statement ? (await database.query<{ member: number; facts: Record<string, unknown> }>(statement, [dimension])).rows : [];
}
