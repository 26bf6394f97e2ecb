/** The units a round would have: its tree, with who owns and reviews each. */
import { group } from 'd3-array';
import type { Database } from '../database';
import type { SliceLeaves } from '../engine';
import { Fault } from '../fault';
import { unitKey, type Namer, type RoundDefinition } from './settings';

/** A unit before the round has begun. */
export interface PlannedUnit {
	key: string;
	/** The key of the unit above; null at the top. */
	parent: string | null;
	depth: number;
	members: number[];
	name: string;
	isLeaf: boolean;
	owner: number | null;
	/** By review, who reviews it. */
	reviewers: number[][];
	due: string | null;
}

interface Node {
	id: number;
	name: string;
	above: number | null;
	depth: number;
	leaf: boolean;
}

const TREE = `WITH RECURSIVE tree AS (
		SELECT m.id, m.name, NULL::integer AS above, 0 AS depth, ARRAY[coalesce(n.position, 0), m.id]::double precision[] AS place
		FROM member m JOIN hierarchy h ON h.dimension_id = m.dimension_id AND h.main LEFT JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id
		WHERE m.dimension_id = $1 AND n.parent_id IS NULL AND NOT m.retired
		UNION ALL
		SELECT m.id, m.name, t.id, t.depth + 1, t.place || ARRAY[n.position, m.id]::double precision[]
		FROM tree t JOIN hierarchy_node n ON n.parent_id = t.id JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main AND h.dimension_id = $1
		JOIN member m ON m.id = n.member_id WHERE NOT m.retired
	) SELECT id, name, above, depth, NOT EXISTS (SELECT FROM tree c WHERE c.above = tree.id) AS leaf FROM tree ORDER BY place`;

/** More units than this are not led by people. */
const MOST_UNITS = 10_000;

/** The units of a round, parents before their children. @throws Fault 422 where there are none, or too many */
export async function planUnits(database: Database, modelId: number, { settings }: RoundDefinition): Promise<PlannedUnit[]> {
	const [first, second] = settings.dimensions;
	const known = await database.query('SELECT FROM model_dimension WHERE model_id = $1 AND dimension_id = ANY ($2)', [
		modelId,
		settings.dimensions
	]);
	if (known.rowCount !== settings.dimensions.length) throw new Fault(422, 'not there', 'A dimension of the units is not in this model.');
	const outer = (await database.query<Node>(TREE, [first])).rows;
	const inner = second === undefined ? [] : (await database.query<Node>(TREE, [second])).rows.filter(({ leaf }) => leaf);
	const out = new Set(settings.leaveOut);
	const units: Omit<PlannedUnit, 'owner' | 'reviewers' | 'due'>[] = [];
	for (const { id, name, above, depth, leaf } of outer) {
		const key = unitKey([id]);
		units.push({ key, parent: above === null ? null : unitKey([above]), depth, members: [id], name, isLeaf: leaf && inner.length === 0 });
		if (leaf)
			for (const beneath of inner)
				units.push({
					key: unitKey([id, beneath.id]),
					parent: key,
					depth: depth + 1,
					members: [id, beneath.id],
					name: beneath.name,
					isLeaf: true
				});
	}
	const kept = withoutEmpty(
		units.filter(({ key }) => !out.has(key)),
		out
	);
	if (kept.length === 0) throw new Fault(422, 'no units', 'The round would have no unit. Choose other dimensions, or leave out less.');
	if (kept.length > MOST_UNITS) throw new Fault(422, 'too many', `The round would have ${kept.length} units; ${MOST_UNITS} are the most.`);
	return withPeople(database, settings, kept);
}

/** A unit whose unit above is left out goes with it; one that had units beneath and has none left goes too. */
function withoutEmpty<Unit extends { key: string; parent: string | null; isLeaf: boolean }>(
	units: readonly Unit[],
	out: ReadonlySet<string>
): Unit[] {
	const there = new Set<string>();
	const standing = units.filter((unit) => {
		if (unit.parent !== null && !there.has(unit.parent)) return false;
		if (out.has(unit.key)) return false;
		there.add(unit.key);
		return true;
	});
	const holds = new Set<string>();
	return [...standing]
		.reverse()
		.filter((unit) => {
			if (!unit.isLeaf && !holds.has(unit.key)) return false;
			if (unit.parent !== null) holds.add(unit.parent);
			return true;
		})
		.reverse();
}

async function withPeople(
	database: Database,
	settings: RoundDefinition['settings'],
	units: readonly Omit<PlannedUnit, 'owner' | 'reviewers' | 'due'>[]
): Promise<PlannedUnit[]> {
	const named = await database.query<{ dimension: number; field: string; attribute: number | null; person: number; member: number }>(
		`SELECT n.dimension_id AS dimension, n.field, n.attribute_id AS attribute, n.person_id AS person, n.member_id AS member
		FROM named_at_member n JOIN person p ON p.id = n.person_id AND p.active WHERE n.dimension_id = ANY ($1) ORDER BY n.member_id, p.name`,
		[settings.dimensions]
	);
	const byMember = group(
		named.rows,
		({ member }) => member,
		({ field, attribute }) => attribute ?? field
	);
	const namedBy = (members: readonly number[], namers: readonly Namer[]): number[] => {
		for (const { by } of namers)
			for (const member of members) {
				const found = byMember.get(member)?.get(by);
				if (found) return [...new Set(found.map(({ person }) => person))];
			}
		return [];
	};
	const single = new Map(settings.named.map((each) => [each.unit, each]));
	const dueAt = new Map(settings.due.map(({ depth, on }) => [depth, on]));
	const made = new Map<string, PlannedUnit>();
	for (const unit of units) {
		const own = single.get(unit.key);
		const above = unit.parent === null ? undefined : made.get(unit.parent);
		// What lies deeper is named first: a department’s own people before its line’s.
		const members = [...unit.members].reverse();
		const owner = own?.owner ?? namedBy(members, settings.owners)[0] ?? above?.owner ?? null;
		const reviewers = settings.reviews.map((namers, review) =>
			own && own.reviewers.length > 0 && review === 0
				? own.reviewers
				: ([namedBy(members, namers), above?.reviewers[review] ?? []].find((found) => found.length > 0) ?? [])
		);
		const due = dueAt.get(unit.depth) ?? null;
		made.set(unit.key, { ...unit, owner, reviewers, due });
	}
	return [...made.values()];
}

/**
 * What of a round lies at a unit, by its leaves (ids): of a unit with others beneath, what is not theirs.
 * @param beneath the members of each unit right beneath it
 */
export async function leavesOf(
	database: Database,
	modelId: number,
	round: { scenario: number; from: number; to: number },
	members: readonly number[],
	beneath: readonly (readonly number[])[]
): Promise<SliceLeaves> {
	const found = await database.query<{ top: number; dimension: number; id: number }>(
		`WITH RECURSIVE under AS (
			SELECT m.id AS top, m.dimension_id, m.id FROM member m WHERE m.id = ANY ($1)
			UNION SELECT u.top, u.dimension_id, n.member_id FROM under u JOIN hierarchy_node n ON n.parent_id = u.id JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main
		) SELECT top, dimension_id AS dimension, id FROM under`,
		[[...new Set([...members, ...beneath.flat(), round.scenario])]]
	);
	const periods = await database.query<{ id: number }>(
		`SELECT p.member_id AS id FROM period p JOIN member m ON m.id = p.member_id JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1,
			period f, period t WHERE f.member_id = $2 AND t.member_id = $3 AND p.start_date >= f.start_date AND p.end_date <= t.end_date`,
		[modelId, round.from, round.to]
	);
	const byTop = group(found.rows, ({ top }) => top);
	const sliceOf = (tops: readonly number[]) =>
		Object.fromEntries(tops.map((top) => [byTop.get(top)?.[0]?.dimension ?? 0, byTop.get(top)?.map(({ id }) => id) ?? []]));
	return { members: sliceOf([...members, round.scenario]), periods: periods.rows.map(({ id }) => id), except: beneath.map(sliceOf) };
}
