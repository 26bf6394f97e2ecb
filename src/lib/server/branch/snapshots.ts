/** Snapshots: figures of a part of the model as they stood, with the model of then; written once, and never changed. */
import { z } from 'zod';
import { readAccessRules } from '../access';
import { actingNow } from '../acting';
import { pool, transaction } from '../database';
import { branchVersion, SEES_BRANCH } from '../database/branch-series';
import { addressDimensions } from '../database/definitions';
import { insertSnapshot } from '../database/snapshots';
import { modelVersions } from '../database/structure-version';
import { askEngine, askRunner } from '../engine';
import { Fault, notAllowed, notFound } from '../fault';
import { log } from '../log';
import { takeSnapshotsBy } from '../runbook';
import { requirePermission, type SignedIn } from '../session';
import { branchFor } from './record';

export interface Snapshot {
	id: number;
	name: string;
	purpose: string;
	/** Which part of the model, in words of then; empty for who reads a part of the model. */
	part: string;
	/** What it was taken of, where that was not the plan. */
	branch: { id: number; name: string } | null;
	revision: number;
	takenBy: { id: number; name: string } | null;
	takenAt: string;
	/** What took it; empty where somebody did. */
	through: string;
	/** How many figures; null for who reads a part of the model. */
	cells: number | null;
	/** Whether whoever looks may delete it. */
	mayDelete: boolean;
}

export const snapshotSchema = z.object({
	name: z.string().trim().min(1, 'give it a name').max(80),
	purpose: z.string().trim().max(500).default(''),
	/** By dimension (id) the members (ids) at and under which figures are taken. */
	part: z.record(z.string().regex(/^\d{1,9}$/), z.array(z.int()).min(1).max(50)).default({}),
	/** Of a branch; of the plan where none is named. */
	branch: z.int().nullable().default(null)
});

/** A model keeps at most so many: each is a copy. */
const MOST_SNAPSHOTS = 200;

/** Takes a snapshot of the plan or a branch as it is saved now. */
export async function takeSnapshot(
	person: SignedIn | undefined,
	modelId: number,
	asked: z.infer<typeof snapshotSchema>,
	through = ''
): Promise<{ id: number; cells: number }> {
	const taker = requirePermission(person, 'branch.write');
	if (asked.branch !== null) await branchFor(taker, modelId, asked.branch);
	return keepSnapshot(taker, modelId, asked, through);
}

/** Takes a snapshot that nobody asked for by hand: whoever does what it comes with need not be let to take any. */
async function keepSnapshot(
	taker: SignedIn,
	modelId: number,
	asked: z.infer<typeof snapshotSchema>,
	through: string
): Promise<{ id: number; cells: number }> {
	const versions = await modelVersions(pool(), modelId);
	const branch = asked.branch === null ? undefined : await branchVersion(pool(), asked.branch);
	const part = Object.fromEntries(Object.entries(asked.part).map(([dimension, members]) => [Number(dimension), members]));
	const words = await partInWords(modelId, part);
	const taken = await askRunner(modelId, 'takeSnapshot', { ...versions, branch, part });
	if (taken.cells === 0) throw new Fault(422, 'nothing there', 'There is no figure in this part of the model. Choose another one.');
	const id = await transaction(async (client) => {
		const count = await client.query<{ count: number }>('SELECT count(*)::integer AS count FROM snapshot WHERE model_id = $1', [modelId]);
		if (count.rows[0]!.count >= MOST_SNAPSHOTS)
			throw new Fault(422, 'too many', `A model keeps at most ${MOST_SNAPSHOTS} snapshots. Delete some that are no longer looked at.`);
		return insertSnapshot(
			client,
			{ modelId, ...asked, part: words, revision: versions.revision, person: taker.id, acting: actingNow(), through },
			taken
		);
	}).catch((error: unknown) => {
		if ((error as { constraint?: string }).constraint === 'snapshot_name')
			throw new Fault(409, 'name taken', 'There is a snapshot of this name already. Choose another one.');
		throw error;
	});
	return { id, cells: taken.cells };
}

/** @throws Fault 422 where a dimension or a member is none of the model’s */
async function partInWords(modelId: number, part: Record<number, number[]>): Promise<string> {
	const found = await pool().query<{ dimension: number; member: number; name: string }>(
		`SELECT m.dimension_id AS dimension, m.id AS member, m.name FROM member m
		JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1 WHERE m.id = ANY ($2)`,
		[modelId, Object.values(part).flat()]
	);
	const named = new Map(found.rows.map(({ dimension, member, name }) => [`${dimension} ${member}`, name]));
	const addressed = new Set(await addressDimensions(pool(), modelId));
	return Object.entries(part)
		.map(([dimension, members]) => {
			const names = members.map((member) => named.get(`${dimension} ${member}`));
			if (!addressed.has(Number(dimension)) || names.includes(undefined))
				throw new Fault(422, 'not possible', 'A member that was chosen is not in the model any more. Choose again.');
			return names.join(', ');
		})
		.join(' · ');
}

/** A dimension by whose members a part of the model is named. */
export interface PartChoice {
	id: number;
	name: string;
	members: { id: number; name: string; depth: number }[];
}

/** Members offered of a dimension. */
const MOST_MEMBERS = 500;

/** What a part of the model can be named by. Who reads a part of it is offered what is not guarded: names of members are figures’ places. */
export async function partChoices(person: SignedIn, modelId: number): Promise<PartChoice[]> {
	const { structure } = await modelVersions(pool(), modelId);
	const guarded = new Set((await readAccessRules(person, modelId)).guarded ?? []);
	const found = await pool().query<{ id: number; name: string }>(
		`SELECT d.id, d.name FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1
		WHERE d.kind NOT IN ('period', 'account') ORDER BY d.kind <> 'scenario', o.position`,
		[modelId]
	);
	const choices: PartChoice[] = [];
	for (const { id, name } of found.rows) {
		if (person.readsPart && guarded.has(id)) continue;
		const { members } = await askEngine(modelId, 'select', { dimension: id, selection: { kind: 'all' }, chosen: undefined, structure });
		choices.push({ id, name, members: members.slice(0, MOST_MEMBERS).map(({ id, name, depth }) => ({ id, name, depth })) });
	}
	return choices;
}

interface Row extends Omit<Snapshot, 'takenAt' | 'mayDelete'> {
	takenAt: Date;
	dimensions: number[];
}
const SNAPSHOT = `SELECT s.id, s.name, s.purpose, s.part, s.revision, s.through, s.cells, s.dimensions, s.taken_at AS "takenAt",
	CASE WHEN b.id IS NOT NULL THEN json_build_object('id', b.id, 'name', b.name) END AS branch,
	CASE WHEN p.id IS NOT NULL THEN json_build_object('id', p.id, 'name', p.name) END AS "takenBy"
	FROM snapshot s LEFT JOIN branch b ON b.id = s.branch_id LEFT JOIN person p ON p.id = s.taken_by`;

const asSnapshot = (person: SignedIn, { takenAt, dimensions: _, ...row }: Row): Snapshot => ({
	...row,
	takenAt: takenAt.toISOString(),
	// Names of members are figures’ places, and how many there are beside their own is not theirs to know.
	part: person.readsPart ? '' : row.part,
	cells: person.readsPart ? null : row.cells,
	mayDelete: person.permissions.includes('branch.merge') || (row.takenBy?.id === person.id && person.permissions.includes('branch.write'))
});

/** The snapshots somebody may look at, the latest first: those of the plan, and of branches they may look at. */
export async function snapshotsFor(person: SignedIn, modelId: number): Promise<Snapshot[]> {
	const found = await pool().query<Row>(
		`${SNAPSHOT} WHERE s.model_id = $1 AND (s.branch_id IS NULL OR ${SEES_BRANCH('s.branch_id', '$2', '$3')}) ORDER BY s.id DESC`,
		[modelId, person.id, person.permissions.includes('branch.merge')]
	);
	return found.rows.map((row) => asSnapshot(person, row));
}

/** A snapshot somebody may look at. @throws Fault 404; 409 where their rights cannot be held against what it holds */
export async function snapshotFor(person: SignedIn, modelId: number, id: number): Promise<Snapshot> {
	const found = await pool().query<Row>(`${SNAPSHOT} WHERE s.model_id = $1 AND s.id = $2`, [modelId, id]);
	const [row] = found.rows;
	if (!row) throw notFound('snapshot');
	if (row.branch) await branchFor(person, modelId, row.branch.id);
	// A right that says "of this department" says nothing of figures that knew no departments yet.
	const rules = await readAccessRules(person, modelId);
	const addressed = new Set(await addressDimensions(pool(), modelId));
	const named = [...(rules.guarded ?? []), ...rules.grants.flatMap(({ slice }) => Object.keys(slice).map(Number))];
	if (person.readsPart && named.some((dimension) => addressed.has(dimension) && !row.dimensions.includes(dimension)))
		throw new Fault(409, 'other dimensions', `“${row.name}” was taken when the model had other dimensions than your rights speak of.`);
	return asSnapshot(person, row);
}

export const snapshotOnly = z.object({ id: z.int() });

/** Deletes a snapshot for good: who took it, or who merges branches. */
export async function deleteSnapshot(person: SignedIn | undefined, modelId: number, { id }: z.infer<typeof snapshotOnly>): Promise<void> {
	const keeper = requirePermission(person, 'branch.write');
	const snapshot = await snapshotFor(keeper, modelId, id);
	if (!snapshot.mayDelete) throw notAllowed(`delete “${snapshot.name}”: that is for who took it, and for who merges branches`);
	await pool().query('DELETE FROM snapshot WHERE model_id = $1 AND id = $2', [modelId, id]);
}

/** For runs: a name that is had gets a number; why one could not be taken is said with the run, whose figures stand. */
takeSnapshotsBy(async (person, modelId, { called, part, through, branch }) => {
	try {
		const name = await freeName(modelId, called);
		const { cells } = await takeSnapshot(person, modelId, { name, purpose: '', part, branch }, through);
		return `Snapshot “${name}” taken: ${cells.toLocaleString('en')} figures.`;
	} catch (error) {
		if (error instanceof Fault) return `The snapshot “${called}” was not taken: ${error.message}`;
		throw error;
	}
});

/**
 * Takes a snapshot of what somebody submits or approves, under a name that is free. What keeps it from being taken is
 * noted in the log: the move stands.
 */
export async function snapshotOfMove(
	mover: SignedIn,
	modelId: number,
	{ called, part, through }: { called: string; part: Record<number, number[]>; through: string }
): Promise<void> {
	try {
		await keepSnapshot(mover, modelId, { name: await freeName(modelId, called.slice(0, 70)), purpose: '', part, branch: null }, through);
	} catch (error) {
		log.warn({ err: error, through }, 'a snapshot was not taken');
	}
}

async function freeName(modelId: number, called: string): Promise<string> {
	const found = await pool().query<{ name: string }>('SELECT lower(name) AS name FROM snapshot WHERE model_id = $1', [modelId]);
	const had = new Set(found.rows.map(({ name }) => name));
	let name = called;
	for (let number = 2; had.has(name.toLowerCase()); number++) name = `${called} ${number}`;
	return name;
}
