/** The lock board as it stands: what drives it, its grid, a slice of it, and what was done. */
import { z } from 'zod';
import { LOCK_LAYERS, type LockLayer } from '../../core';
import { pool, type Database } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner, type LockBoardAnswer, type LockCellAnswer } from '../engine';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { keyOf, readRecords, type LockRecord } from './record';

export interface BoardDimension {
	id: number;
	name: string;
	kind: 'account' | 'period' | 'scenario' | 'entity' | 'general';
	/** Whether it drives the board. */
	drives: boolean;
	/** Its members in the order of its main tree, for those that drive. */
	members: { id: number; name: string; depth: number }[];
}

/** What one chooses the board's grid by. */
export interface BoardHead {
	dimensions: BoardDimension[];
	/** By dimension that names people at its members: what names them. */
	namers: { dimension: number; by: 'owner' | 'reviewers' | number; words: string }[];
	/** Locks of the board over several members of a dimension, or over dimensions that do not drive it. */
	others: { id: number; name: string; state: LockRecord['state']; reason: string }[];
	/** The last change of locks that is seen here. */
	seen: number;
	/** Where a scenario takes entries: the period (id) its year is that is shown first. */
	years: Record<number, number>;
}

export async function driversOf(database: Database, modelId: number): Promise<number[]> {
	const found = await database.query<{ id: number }>(
		'SELECT dimension_id AS id FROM lock_dimension WHERE model_id = $1 ORDER BY position, dimension_id',
		[modelId]
	);
	return found.rows.map(({ id }) => id);
}

const MEMBERS = `WITH RECURSIVE tree AS (
		SELECT m.id, m.dimension_id, m.name, 0 AS depth, ARRAY[coalesce(n.position, 0), m.id]::double precision[] AS place
		FROM member m JOIN hierarchy h ON h.dimension_id = m.dimension_id AND h.main LEFT JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id
		WHERE m.dimension_id = ANY ($1) AND n.parent_id IS NULL AND NOT m.retired
		UNION ALL
		SELECT m.id, m.dimension_id, m.name, t.depth + 1, t.place || ARRAY[n.position, m.id]::double precision[]
		FROM tree t JOIN hierarchy_node n ON n.parent_id = t.id JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main AND h.dimension_id = t.dimension_id
		JOIN member m ON m.id = n.member_id WHERE NOT m.retired
	) SELECT id, dimension_id AS dimension, name, depth FROM tree ORDER BY dimension_id, place`;

export async function readBoardHead(person: SignedIn | undefined, modelId: number): Promise<BoardHead> {
	requirePermission(person, 'access.read');
	const drivers = await driversOf(pool(), modelId);
	const dimensions = await pool().query<Omit<BoardDimension, 'drives' | 'members'>>(
		`SELECT d.id, d.name, d.kind FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 ORDER BY o.position`,
		[modelId]
	);
	const members = await pool().query<{ id: number; dimension: number; name: string; depth: number }>(MEMBERS, [drivers]);
	const namers = await pool().query<BoardHead['namers'][number]>(
		`SELECT d.id AS dimension, f.by, f.words || ' of ' || d.name AS words FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1
		CROSS JOIN LATERAL (
			SELECT to_jsonb('owner'::text) AS by, 'Owner' AS words WHERE d.kind = 'entity' UNION ALL SELECT to_jsonb('reviewers'::text), 'Reviewers' WHERE d.kind = 'entity'
			UNION ALL SELECT to_jsonb(a.id), a.name FROM attribute a WHERE a.dimension_id = d.id AND a.type = 'person') AS f
		ORDER BY o.position, words`,
		[modelId]
	);
	const years = await pool().query<{ scenario: number; year: number }>(
		`SELECT s.member_id AS scenario, y.member_id AS year FROM scenario s JOIN member m ON m.id = s.member_id
		JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1
		JOIN period f ON f.member_id = coalesce(s.entry_from, s.span_from)
		JOIN period y ON y.fiscal_year = f.fiscal_year JOIN member ym ON ym.id = y.member_id
		JOIN model_dimension p ON p.dimension_id = ym.dimension_id AND p.model_id = $1
		WHERE NOT EXISTS (SELECT FROM hierarchy_node n JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main WHERE n.member_id = y.member_id AND n.parent_id IS NOT NULL)`,
		[modelId]
	);
	const seen = await pool().query<{ id: number }>('SELECT coalesce(max(id), 0) AS id FROM lock_change WHERE model_id = $1', [modelId]);
	const locks = await readRecords(pool(), modelId, 'board');
	const dimensionOf = new Map(
		(
			await pool().query<{ id: number; dimension: number }>('SELECT id, dimension_id AS dimension FROM member WHERE id = ANY ($1)', [
				[...new Set(locks.flatMap((lock) => lock.members))]
			])
		).rows.map(({ id, dimension }) => [id, dimension])
	);
	const isOnBoard = (of: readonly number[]) => {
		const axes = of.map((member) => dimensionOf.get(member)!);
		return new Set(axes).size === axes.length && axes.every((axis) => drivers.includes(axis));
	};
	return {
		dimensions: dimensions.rows.map((dimension) => ({
			...dimension,
			drives: drivers.includes(dimension.id),
			members: members.rows.filter((member) => member.dimension === dimension.id).map(({ id, name, depth }) => ({ id, name, depth }))
		})),
		namers: namers.rows,
		others: locks.filter((lock) => !isOnBoard(lock.members)).map(({ id, name, state, reason }) => ({ id, name, state, reason })),
		seen: seen.rows[0]!.id,
		years: Object.fromEntries(years.rows.map(({ scenario, year }) => [scenario, year]))
	};
}

export const boardSchema = z.object({
	layer: z.enum(LOCK_LAYERS),
	rows: z.array(z.int()).min(1).max(2),
	columns: z.int(),
	within: z.int().nullable().default(null),
	chosen: z.record(z.coerce.number().int(), z.int()).default({})
});

/** The grid of one layer. */
export async function lockBoard(
	person: SignedIn | undefined,
	modelId: number,
	asked: z.infer<typeof boardSchema>
): Promise<LockBoardAnswer> {
	requirePermission(person, 'access.read');
	const [{ structure }, drivers] = await Promise.all([modelVersions(pool(), modelId), driversOf(pool(), modelId)]);
	return askRunner(modelId, 'lockBoard', { structure, drivers, ...asked });
}

export const sliceSchema = z.object({ members: z.array(z.int()).min(1).max(40) });

export interface LockedSlice extends LockCellAnswer {
	/** What is set at exactly this slice on the board. */
	own: (LockRecord & { id: number; writerNames: string[] }) | null;
	history: LockLine[];
}

/** A slice: what every layer says of it, who may still write, and what was done to it. */
export async function lockedSlice(
	person: SignedIn | undefined,
	modelId: number,
	{ members }: z.infer<typeof sliceSchema>
): Promise<LockedSlice> {
	requirePermission(person, 'access.read');
	const { structure } = await modelVersions(pool(), modelId);
	const answer = await askRunner(modelId, 'lockCell', { structure, members });
	const key = keyOf(members);
	const own = (await readRecords(pool(), modelId, 'board')).find((lock) => keyOf(lock.members) === key);
	const touches = JSON.stringify([{ members: [...members].sort((one, other) => one - other) }]);
	const writers = own && (await namesOfWriters(own.id));
	return {
		...answer,
		own: own ? { ...own, writerNames: writers! } : null,
		history: await readLines(modelId, touches, 20)
	};
}

async function namesOfWriters(lock: number): Promise<string[]> {
	const found = await pool().query<{ words: string }>(
		`SELECT coalesce(p.name, g.name || ', ' || (SELECT count(*) FROM people_group_member m WHERE m.group_id = g.id) || ' people',
			CASE w.field WHEN 'owner' THEN 'Owner' WHEN 'reviewers' THEN 'Reviewers' ELSE a.name END || ' of ' || d.name) AS words
		FROM access_lock_writer w LEFT JOIN person p ON p.id = w.person_id LEFT JOIN people_group g ON g.id = w.group_id
		LEFT JOIN dimension d ON d.id = w.dimension_id LEFT JOIN attribute a ON a.id = w.attribute_id WHERE w.lock_id = $1 ORDER BY words`,
		[lock]
	);
	return found.rows.map(({ words }) => words);
}

export interface LockLine {
	id: number;
	at: string;
	/** Null where it happened by itself. */
	person: string | null;
	layer: LockLayer;
	words: string;
	reason: string;
	/** How many slices it touched. */
	slices: number;
	isTakenBack: boolean;
}

/** What was locked and unlocked, the latest first. */
export async function lockHistory(person: SignedIn | undefined, modelId: number): Promise<LockLine[]> {
	requirePermission(person, 'access.read');
	return readLines(modelId);
}

/** @param touching locks, as JSON, of which a change has one before or after */
async function readLines(modelId: number, touching: string | null = null, most = 200): Promise<LockLine[]> {
	const found = await pool().query<Omit<LockLine, 'at'> & { at: Date }>(
		`SELECT c.id, c.at, CASE WHEN c.person_id IS NULL THEN NULL ELSE doer(c.person_id, c.acting_id) END AS person, c.layer, c.words, c.reason,
			greatest(jsonb_array_length(c.before), jsonb_array_length(c.after)) AS slices,
			EXISTS (SELECT FROM lock_change t WHERE t.takes_back = c.id) AS "isTakenBack"
		FROM lock_change c WHERE c.model_id = $1 AND ($2::jsonb IS NULL OR c.before @> $2 OR c.after @> $2) ORDER BY c.id DESC LIMIT $3`,
		[modelId, touching, most]
	);
	return found.rows.map((line) => ({ ...line, at: line.at.toISOString() }));
}

/** A change of locks that can be taken back. @throws Fault 404 */
export async function readChange(database: Database, modelId: number, id: number) {
	const found = await database.query<{ id: number; layer: LockLayer; words: string; before: LockRecord[]; after: LockRecord[] }>(
		'SELECT id, layer, words, before, after FROM lock_change WHERE model_id = $1 AND id = $2',
		[modelId, id]
	);
	if (!found.rows[0]) throw notFound('change of locks');
	return found.rows[0];
}
