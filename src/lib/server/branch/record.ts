/** Branches as they are stored, and who may do what in one. */
import { pool, type Database } from '../database';
import { SEES_BRANCH } from '../database/branch-series';
import { notFound } from '../fault';
import type { BranchHere, SignedIn } from '../session';

export type BranchState = 'open' | 'frozen' | 'merged' | 'dropped';
export type MayInBranch = 'nothing' | 'read' | 'work';

export interface Branch {
	id: number;
	name: string;
	purpose: string;
	state: BranchState;
	/** The day (YYYY-MM-DD) by which it should be decided. */
	due: string | null;
	everybody: MayInBranch;
	people: { id: number; name: string; may: 'read' | 'work' }[];
	/** The part of the model it is limited to: by dimension its members, each with all under it; null for all of it. */
	part: Record<number, number[]> | null;
	/** The same by the names of the members. */
	partWords: string;
	/** The rate set read in it in the place of another one. */
	rates: { of: number; by: number; ofName: string; byName: string } | null;
	madeBy: { id: number; name: string } | null;
	madeAt: string;
	copiedFrom: string;
	droppedAt: string | null;
	version: number;
	/** Cells typed in it; null for who reads a part of the model: how much there is beside that is not theirs to know. */
	cells: number | null;
	/** What people have typed in it and not saved. */
	drafts: { name: string; cells: number }[];
	/** When a figure in it was changed last, and by whom. */
	changed: { at: string; person: string | null; words: string } | null;
}

/** How long a dropped branch can be brought back. */
export const KEPT_DAYS = 30;

interface Row extends Omit<Branch, 'madeAt' | 'droppedAt' | 'changed'> {
	madeAt: Date;
	droppedAt: Date | null;
	changedAt: Date | null;
	changedBy: string | null;
	changedWords: string | null;
}

const BRANCH = `SELECT b.id, b.name, b.purpose, b.state, b.due::text AS due, b.everybody, b.made_at AS "madeAt", b.copied_from AS "copiedFrom", b.part, b.dropped_at AS "droppedAt", b.version,
	CASE WHEN ro.id IS NOT NULL AND rb.id IS NOT NULL THEN json_build_object('of', ro.id, 'by', rb.id, 'ofName', ro.name, 'byName', rb.name) END AS rates,
	coalesce((SELECT string_agg(w.names, ', ' ORDER BY w.dimension) FROM (SELECT pm.dimension_id AS dimension, string_agg(pm.name, ' and ' ORDER BY pm.name) AS names FROM jsonb_each(b.part) AS e (d, ms)
		CROSS JOIN LATERAL jsonb_array_elements_text(e.ms) AS x (id) JOIN member pm ON pm.id = x.id::integer GROUP BY pm.dimension_id) w), '') AS "partWords",
	CASE WHEN m.id IS NOT NULL THEN json_build_object('id', m.id, 'name', m.name) END AS "madeBy",
	coalesce((SELECT json_agg(json_build_object('id', p.id, 'name', p.name, 'may', x.may) ORDER BY p.name) FROM branch_person x JOIN person p ON p.id = x.person_id WHERE x.branch_id = b.id), '[]') AS people,
	(SELECT coalesce(sum(cardinality(array_remove(s.versions, NULL))), 0)::integer FROM branch_series s JOIN origin o ON o.id = s.origin_id AND o.mode = 'entry' WHERE s.branch_id = b.id) AS cells,
	coalesce((SELECT json_agg(json_build_object('name', p.name, 'cells', n.cells) ORDER BY p.name) FROM (SELECT d.person_id, count(*)::integer AS cells FROM draft d
		JOIN draft_cell e ON e.draft_id = d.id WHERE d.branch_id = b.id GROUP BY d.person_id) n JOIN person p ON p.id = n.person_id), '[]') AS drafts,
	c.at AS "changedAt", doer(c.person_id, c.acting_id) AS "changedBy", c.words AS "changedWords"
	FROM branch b LEFT JOIN person m ON m.id = b.made_by LEFT JOIN rate_set ro ON ro.id = b.rates_of LEFT JOIN rate_set rb ON rb.id = b.rates_by
	LEFT JOIN LATERAL (SELECT at, person_id, acting_id, words FROM branch_change WHERE branch_id = b.id ORDER BY version DESC LIMIT 1) c ON true`;

const asBranch = ({ madeAt, droppedAt, changedAt, changedBy, changedWords, ...row }: Row): Branch => ({
	...row,
	madeAt: madeAt.toISOString(),
	droppedAt: droppedAt?.toISOString() ?? null,
	changed: changedAt ? { at: changedAt.toISOString(), person: changedBy, words: changedWords ?? '' } : null
});

/** What a person may do in a branch: its maker everything, who is named what is said, and who merges may look at all. */
export function mayIn(person: SignedIn, branch: Branch): MayInBranch {
	if (branch.madeBy?.id === person.id) return 'work';
	const named = branch.people.find(({ id }) => id === person.id)?.may ?? 'nothing';
	const merges: MayInBranch = person.permissions.includes('branch.merge') ? 'read' : 'nothing';
	const all = [named, branch.everybody, merges];
	return all.includes('work') ? 'work' : all.includes('read') ? 'read' : 'nothing';
}

/** As somebody is told of it. */
const toldTo = (person: SignedIn, branch: Branch): Branch =>
	person.readsPart ? { ...branch, cells: null, drafts: [], changed: branch.changed && { ...branch.changed, words: '' } } : branch;

/** The branches of a model that somebody may look at, those that were changed last first; dropped ones while they can be brought back. */
export async function branchesFor(person: SignedIn, modelId: number): Promise<Branch[]> {
	const found = await pool().query<Row>(
		`${BRANCH} WHERE b.model_id = $1 AND (b.dropped_at IS NULL OR b.dropped_at > now() - make_interval(days => $2)) ORDER BY coalesce(c.at, b.made_at) DESC`,
		[modelId, KEPT_DAYS]
	);
	return found.rows
		.map(asBranch)
		.filter((branch) => mayIn(person, branch) !== 'nothing')
		.map((branch) => toldTo(person, branch));
}

/** The names of the branches somebody may look at, as `mayIn` has it, the newest first: for a search that every page offers. */
export async function branchNames(person: SignedIn, modelId: number): Promise<{ id: number; name: string }[]> {
	const found = await pool().query<{ id: number; name: string }>(
		`SELECT b.id, b.name FROM branch b WHERE b.model_id = $1 AND b.state <> 'dropped'
			AND ${SEES_BRANCH('b.id', '$2', '$3')}
		ORDER BY b.id DESC LIMIT 300`,
		[modelId, person.id, person.permissions.includes('branch.merge')]
	);
	return found.rows;
}

/** A branch somebody may look at. @throws Fault 404 */
export async function branchFor(person: SignedIn, modelId: number, id: number, database: Database = pool()): Promise<Branch> {
	const found = await database.query<Row>(`${BRANCH} WHERE b.model_id = $1 AND b.id = $2`, [modelId, id]);
	const branch = found.rows[0] && asBranch(found.rows[0]);
	if (!branch || mayIn(person, branch) === 'nothing') throw notFound('branch');
	return toldTo(person, branch);
}

/** The branch an address names, as it is for a person. @throws Fault 404 where there is none they may look at */
export async function branchHere(person: SignedIn, modelId: number, id: number): Promise<BranchHere> {
	const branch = await branchFor(person, modelId, id);
	if (branch.state === 'dropped') throw notFound('branch');
	return { id, name: branch.name, whyNot: whyNotWork(person, branch), part: branch.part };
}

/** Why somebody may not change figures in a branch; empty where they may. */
export function whyNotWork(person: SignedIn, branch: Branch): string {
	if (branch.state === 'frozen') return `“${branch.name}” is frozen: it shows what it showed, and nothing is changed in it.`;
	if (branch.state === 'merged') return `“${branch.name}” has been merged into the plan. Copy it to go on from there.`;
	if (branch.state === 'dropped') return `“${branch.name}” has been dropped.`;
	if (mayIn(person, branch) !== 'work')
		return `You may look at “${branch.name}”. ${branch.madeBy?.name ?? 'Its maker'} can let you work in it.`;
	return '';
}
