import type pg from 'pg';
import type { MemberDiff, MemberState, Place } from '../../core';
import { Fault } from '../fault';
import type { LoadedDimension, ReferenceIds } from './read-state';

/**
 * Writes the difference between two states of a dimension, in a statement or two a table. Joins the caller's transaction.
 * @returns the same difference with the ids that new members were given
 */
export async function writeDiff(client: pg.PoolClient, dimension: LoadedDimension, diffs: readonly MemberDiff[]): Promise<MemberDiff[]> {
	const stored = await insertMembers(client, dimension.id, diffs);
	await updateMembers(client, stored);
	for (const hierarchy of [undefined, ...dimension.hierarchies]) await writePlaces(client, dimension.id, hierarchy, stored);
	const ids = withNewMembers(dimension, stored);
	const factsChanged = stored.filter(({ before, after }) => after && JSON.stringify(before?.facts) !== JSON.stringify(after.facts));
	if (dimension.state.kind === 'account') await writeAccounts(client, factsChanged, ids);
	if (dimension.state.kind === 'entity') await writeEntities(client, factsChanged, ids);
	if (dimension.state.kind === 'scenario') await writeScenarios(client, factsChanged, ids);
	if (dimension.state.kind === 'general') await writeBalanceRoles(client, factsChanged);
	await writeAttributes(client, dimension, stored);
	await deleteMembers(client, stored);
	return stored;
}

async function insertMembers(client: pg.PoolClient, dimension: number, diffs: readonly MemberDiff[]): Promise<MemberDiff[]> {
	const added = diffs.flatMap(({ before, after }) => (before ? [] : [after!]));
	if (added.length === 0) return [...diffs];
	// Ids are drawn first, so that each member knows its own whatever order the rows are stored in.
	const fresh = added.filter(({ id }) => id < 0);
	const drawn = await client.query<{ id: number }>(
		"SELECT nextval(pg_get_serial_sequence('member', 'id'))::integer AS id FROM generate_series(1, $1)",
		[fresh.length]
	);
	const given = new Map(fresh.map(({ id }, index) => [id, drawn.rows[index]!.id]));
	const idOf = (id: number) => given.get(id) ?? id;
	await client.query(
		`INSERT INTO member (id, dimension_id, code, name, unassigned, retired) OVERRIDING SYSTEM VALUE
		SELECT i, $1, c, n, u, r FROM unnest($2::integer[], $3::text[], $4::text[], $5::boolean[], $6::boolean[]) AS m (i, c, n, u, r)`,
		[
			dimension,
			added.map(({ id }) => idOf(id)),
			added.map(({ code }) => code),
			added.map(({ name }) => name),
			added.map(({ unassigned }) => unassigned),
			added.map(({ retired }) => retired)
		]
	);
	const placeOf = (place: Place): Place => ({ ...place, parent: place.parent === null ? null : idOf(place.parent) });
	return diffs.map(({ id, before, after }) => ({
		id: idOf(id),
		before,
		after: after && {
			...after,
			...placeOf(after),
			id: idOf(after.id),
			places: Object.fromEntries(Object.entries(after.places).map(([name, place]) => [name, placeOf(place)]))
		}
	}));
}

async function updateMembers(client: pg.PoolClient, diffs: readonly MemberDiff[]): Promise<void> {
	const changed = diffs.flatMap(({ before, after }) =>
		before &&
		after &&
		(before.code !== after.code || before.name !== after.name || before.retired !== after.retired || before.unassigned !== after.unassigned)
			? [after]
			: []
	);
	if (changed.length > 0)
		await client.query(
			`UPDATE member m SET code = c, name = n, retired = r, unassigned = u
			FROM unnest($1::integer[], $2::text[], $3::text[], $4::boolean[], $5::boolean[]) AS x (i, c, n, r, u) WHERE m.id = i`,
			[
				changed.map(({ id }) => id),
				changed.map(({ code }) => code),
				changed.map(({ name }) => name),
				changed.map(({ retired }) => retired),
				changed.map(({ unassigned }) => unassigned)
			]
		);
}

/** Places in one hierarchy: those taken out last, since others may have stood under them. */
async function writePlaces(
	client: pg.PoolClient,
	dimension: number,
	hierarchy: string | undefined,
	diffs: readonly MemberDiff[]
): Promise<void> {
	const placeOf = (member: MemberState | undefined): Place | undefined => (hierarchy === undefined ? member : member?.places[hierarchy]);
	const same = (one: Place | undefined, other: Place | undefined) =>
		one?.parent === other?.parent && one?.weight === other?.weight && one?.position === other?.position;
	const moved = diffs.filter(({ before, after }) => !same(placeOf(before), placeOf(after)));
	if (moved.length === 0) return;
	const found = await client.query<{ id: number }>(
		hierarchy === undefined
			? 'SELECT id FROM hierarchy WHERE dimension_id = $1 AND main AND $2::text IS NULL'
			: 'SELECT id FROM hierarchy WHERE dimension_id = $1 AND name = $2',
		[dimension, hierarchy ?? null]
	);
	const id = found.rows[0]?.id;
	if (id === undefined) throw new Fault(409, 'conflict', `The hierarchy ${hierarchy} is not there any more.`);
	const standing = moved.flatMap(({ id: member, after }) => {
		const place = placeOf(after);
		return place ? [{ member, ...place }] : [];
	});
	const columns = [
		standing.map(({ member }) => member),
		standing.map(({ parent }) => parent),
		standing.map(({ weight }) => weight),
		standing.map(({ position }) => position)
	];
	await client.query(
		`INSERT INTO hierarchy_node (hierarchy_id, dimension_id, member_id, parent_id, weight, position)
		SELECT $1, $2, m, p, w, o FROM unnest($3::integer[], $4::integer[], $5::smallint[], $6::double precision[]) AS n (m, p, w, o)
		ON CONFLICT (hierarchy_id, member_id) DO UPDATE SET parent_id = excluded.parent_id, weight = excluded.weight, position = excluded.position`,
		[id, dimension, ...columns]
	);
	const gone = moved.filter(({ after }) => !placeOf(after)).map(({ id: member }) => member);
	if (gone.length > 0)
		await client.query('DELETE FROM hierarchy_node WHERE hierarchy_id = $1 AND member_id = ANY ($2::integer[])', [id, gone]);
}

async function deleteMembers(client: pg.PoolClient, diffs: readonly MemberDiff[]): Promise<void> {
	const gone = diffs.filter(({ after }) => !after).map(({ id }) => id);
	if (gone.length === 0) return;
	await client.query('DELETE FROM hierarchy_node WHERE member_id = ANY ($1::integer[])', [gone]);
	await client.query('DELETE FROM member WHERE id = ANY ($1::integer[])', [gone]);
}

/** The references with the accounts and scenarios this difference brings, by their new codes. */
function withNewMembers(dimension: LoadedDimension, diffs: readonly MemberDiff[]): ReferenceIds {
	const kind = dimension.state.kind;
	if (kind !== 'account' && kind !== 'scenario') return dimension.ids;
	const known = new Map(kind === 'account' ? dimension.ids.accounts : dimension.ids.scenarios);
	for (const { id, after } of diffs) if (after) known.set(after.code, id);
	return kind === 'account' ? { ...dimension.ids, accounts: known } : { ...dimension.ids, scenarios: known };
}

const text = (member: MemberState, key: string): string | null => (member.facts[key] === undefined ? null : String(member.facts[key]));
const number = (member: MemberState, key: string): number | null => (member.facts[key] === undefined ? null : Number(member.facts[key]));
const reference = (member: MemberState, key: string, ids: ReadonlyMap<string, number>): number | null => {
	const code = text(member, key);
	return code === null ? null : (ids.get(code) ?? null);
};

async function writeAccounts(client: pg.PoolClient, diffs: readonly MemberDiff[], ids: ReferenceIds): Promise<void> {
	const members = diffs.flatMap(({ after }) => (after ? [after] : []));
	const withFacts = members.filter(({ facts }) => facts.kind !== undefined);
	const groups = members.filter(({ facts }) => facts.kind === undefined).map(({ id }) => id);
	if (groups.length > 0) await client.query('DELETE FROM account WHERE member_id = ANY ($1::integer[])', [groups]);
	if (withFacts.length === 0) return;
	const column = <Value>(of: (member: MemberState) => Value) => withFacts.map(of);
	await client.query(
		`INSERT INTO account (member_id, kind, value_type, time_behaviour, consolidation, decimals, unit, frequency, rate_kind, favourable, watch_from, act_from, choice_dimension, weighed_by)
		SELECT * FROM unnest($1::integer[], $2::text[], $3::text[], $4::text[], $5::text[], $6::smallint[], $7::text[], $8::text[], $9::text[], $10::text[],
			$11::double precision[], $12::double precision[], $13::integer[], $14::integer[])
		ON CONFLICT (member_id) DO UPDATE SET kind = excluded.kind, value_type = excluded.value_type, time_behaviour = excluded.time_behaviour,
			consolidation = excluded.consolidation, decimals = excluded.decimals, unit = excluded.unit, frequency = excluded.frequency,
			rate_kind = excluded.rate_kind, favourable = excluded.favourable, watch_from = excluded.watch_from, act_from = excluded.act_from,
			choice_dimension = excluded.choice_dimension, weighed_by = excluded.weighed_by`,
		[
			column(({ id }) => id),
			column((member) => text(member, 'kind')),
			column((member) => text(member, 'valueType') ?? 'money'),
			column((member) => text(member, 'timeBehaviour') ?? 'flow'),
			column((member) => text(member, 'consolidation') ?? 'sum'),
			column((member) => number(member, 'decimals') ?? 2),
			column((member) => text(member, 'unit')),
			column((member) => text(member, 'frequency') ?? 'per period'),
			column((member) => text(member, 'rateKind')),
			column((member) => text(member, 'favourable')),
			column((member) => number(member, 'watchFrom')),
			column((member) => number(member, 'actFrom')),
			column((member) => reference(member, 'choiceDimension', ids.dimensions)),
			column((member) => reference(member, 'weighedBy', ids.accounts))
		]
	);
}

async function writeBalanceRoles(client: pg.PoolClient, diffs: readonly MemberDiff[]): Promise<void> {
	const members = diffs.flatMap(({ after }) => (after ? [after] : []));
	const says = members.filter(({ facts }) => facts.balance !== undefined);
	await client.query('DELETE FROM balance_role WHERE member_id = ANY ($1::integer[])', [members.map(({ id }) => id)]);
	await client.query('INSERT INTO balance_role (member_id, role) SELECT * FROM unnest($1::integer[], $2::text[])', [
		says.map(({ id }) => id),
		says.map((member) => text(member, 'balance'))
	]);
}

async function writeEntities(client: pg.PoolClient, diffs: readonly MemberDiff[], ids: ReferenceIds): Promise<void> {
	const members = diffs.flatMap(({ after }) => (after ? [after] : []));
	const withCurrency = members.filter(({ facts }) => facts.currency !== undefined);
	const without = members.filter(({ facts }) => facts.currency === undefined);
	if (without.some(({ facts }) => facts.owner !== undefined || facts.reviewers !== undefined))
		throw new Fault(422, 'not possible', 'A member with an owner or reviewers needs a currency too.');
	await client.query('DELETE FROM entity WHERE member_id = ANY ($1::integer[])', [without.map(({ id }) => id)]);
	if (withCurrency.length === 0) return;
	await client.query(
		`INSERT INTO entity (member_id, currency, owner_id) SELECT * FROM unnest($1::integer[], $2::text[], $3::integer[])
		ON CONFLICT (member_id) DO UPDATE SET currency = excluded.currency, owner_id = excluded.owner_id`,
		[
			withCurrency.map(({ id }) => id),
			withCurrency.map((member) => text(member, 'currency')),
			withCurrency.map((member) => reference(member, 'owner', ids.people))
		]
	);
	await client.query('DELETE FROM entity_reviewer WHERE member_id = ANY ($1::integer[])', [withCurrency.map(({ id }) => id)]);
	const reviewers = withCurrency.flatMap((member) =>
		(text(member, 'reviewers') ?? '')
			.split(';')
			.map((email) => ids.people.get(email.trim()))
			.flatMap((person) => (person === undefined ? [] : [{ member: member.id, person }]))
	);
	await client.query(
		'INSERT INTO entity_reviewer (member_id, person_id) SELECT DISTINCT * FROM unnest($1::integer[], $2::integer[]) AS r (m, p)',
		[reviewers.map(({ member }) => member), reviewers.map(({ person }) => person)]
	);
}

/** Scenarios without a span speak about the whole horizon, take entries there, and use the first rates there are. */
async function writeScenarios(client: pg.PoolClient, diffs: readonly MemberDiff[], ids: ReferenceIds): Promise<void> {
	const ordered = await client.query<{ id: number }>(
		'SELECT p.member_id AS id FROM period p WHERE p.member_id = ANY ($1::integer[]) ORDER BY p.start_date',
		[[...ids.periods.values()]]
	);
	const [first, last] = [ordered.rows[0]?.id, ordered.rows.at(-1)?.id];
	const anyRates = [...ids.rateSets.values()][0];
	const members = diffs.flatMap(({ after }) => (after ? [after] : []));
	const rows = members.map((member) => {
		const fresh = member.facts.spanFrom === undefined && member.facts.entryFrom === undefined;
		return {
			id: member.id,
			spanFrom: reference(member, 'spanFrom', ids.periods) ?? first,
			spanTo: reference(member, 'spanTo', ids.periods) ?? last,
			entryFrom: reference(member, 'entryFrom', ids.periods) ?? (fresh ? first : null),
			entryTo: reference(member, 'entryTo', ids.periods) ?? (fresh ? last : null),
			rateSet: reference(member, 'rateSet', ids.rateSets) ?? anyRates,
			continues: reference(member, 'continuesFrom', ids.scenarios),
			compared: reference(member, 'comparedWith', ids.scenarios),
			state: text(member, 'state') ?? 'in work',
			name: member.name
		};
	});
	const half = rows.find(({ entryFrom, entryTo }) => (entryFrom === null) !== (entryTo === null));
	if (half) throw new Fault(422, 'not possible', `${half.name} takes entries from a period to a period: give both, or neither.`);
	// All rows first without what they point to among each other.
	await client.query(
		`INSERT INTO scenario (member_id, span_from, span_to, entry_from, entry_to, rate_set_id, state)
		SELECT * FROM unnest($1::integer[], $2::integer[], $3::integer[], $4::integer[], $5::integer[], $6::integer[], $7::text[])
		ON CONFLICT (member_id) DO UPDATE SET span_from = excluded.span_from, span_to = excluded.span_to, entry_from = excluded.entry_from,
			entry_to = excluded.entry_to, rate_set_id = excluded.rate_set_id, state = excluded.state`,
		[
			rows.map(({ id }) => id),
			rows.map(({ spanFrom }) => spanFrom),
			rows.map(({ spanTo }) => spanTo),
			rows.map(({ entryFrom }) => entryFrom),
			rows.map(({ entryTo }) => entryTo),
			rows.map(({ rateSet }) => rateSet),
			rows.map(({ state }) => state)
		]
	);
	await client.query(
		`UPDATE scenario s SET continues_from = c, compared_with = v FROM unnest($1::integer[], $2::integer[], $3::integer[]) AS x (i, c, v) WHERE s.member_id = i`,
		[rows.map(({ id }) => id), rows.map(({ continues }) => continues), rows.map(({ compared }) => compared)]
	);
	await client.query('DELETE FROM scenario_rates WHERE member_id = ANY ($1::integer[])', [rows.map(({ id }) => id)]);
	for (const member of members)
		for (const part of (text(member, 'laterRates') ?? '').split(';').filter((part) => part.trim() !== '')) {
			const [period = '', set = ''] = part.split(/:(.*)/s).map((each) => each.trim());
			const [from, rateSet] = [ids.periods.get(period), ids.rateSets.get(set)];
			if (from === undefined || rateSet === undefined)
				throw new Fault(
					422,
					'not possible',
					`Later rates of ${member.name}: “${part.trim()}” is not a period and a rate set, like “${[...ids.periods.keys()][0]}: ${[...ids.rateSets.keys()][0]}”.`
				);
			await client.query('INSERT INTO scenario_rates (member_id, from_period, rate_set_id) VALUES ($1, $2, $3)', [
				member.id,
				from,
				rateSet
			]);
		}
}

async function writeAttributes(client: pg.PoolClient, dimension: LoadedDimension, diffs: readonly MemberDiff[]): Promise<void> {
	for (const attribute of dimension.attributes) {
		const key = `attribute ${attribute.name}`;
		const changed = diffs.flatMap(({ before, after }) => (after && before?.facts[key] !== after.facts[key] ? [after] : []));
		const filled = changed.filter(({ facts }) => facts[key] !== undefined);
		const emptied = changed.filter(({ facts }) => facts[key] === undefined).map(({ id }) => id);
		if (emptied.length > 0)
			await client.query('DELETE FROM attribute_value WHERE attribute_id = $1 AND member_id = ANY ($2::integer[])', [
				attribute.id,
				emptied
			]);
		if (filled.length > 0)
			await client.query(
				`INSERT INTO attribute_value (attribute_id, member_id, value) SELECT $1, m, v::jsonb FROM unnest($2::integer[], $3::text[]) AS x (m, v)
				ON CONFLICT (attribute_id, member_id) DO UPDATE SET value = excluded.value`,
				[attribute.id, filled.map(({ id }) => id), filled.map(({ facts }) => JSON.stringify(facts[key]))]
			);
	}
}
