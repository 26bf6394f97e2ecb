/** What a branch changes, told, commented, put back, and merged into the plan. */
import { z } from 'zod';
import { readAccessRules } from '../access';
import { actingNow } from '../acting';
import { pool, transaction } from '../database';
import { branchVersion, lockBranch, writeBranch } from '../database/branch-series';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { modelVersions, structureVersion } from '../database/structure-version';
import { askEngine, askRunner, type BranchChange, type BranchChanges } from '../engine';
import { Fault, notFound, onlyLooking } from '../fault';
import { takeBackSave } from '../form';
import { takeBackRun } from '../runbook';
import { requireBranchOpen, requirePermission, type SignedIn } from '../session';
import { loadInPlan, mergedLoads, standingLoads, takeBackLoads, type StandingLoad } from './loads';
import { keptBy } from './make';
import { branchFor, whyNotWork } from './record';
import { runInPlan, standingRuns, type RunInPlan } from './runs';

const place = z.object({ origin: z.int(), address: z.array(z.int()).max(40), year: z.int(), position: z.int() });
export const filterSchema = z.object({
	id: z.int(),
	find: z.string().max(200).default(''),
	account: z.int().nullable().default(null),
	/** Only what this person (id) changed. */
	person: z.int().nullable().default(null),
	movedOnly: z.boolean().default(false)
});
export const changesSchema = filterSchema.extend({ from: z.int().min(0).default(0) });
/** At most so many changes are named one by one; more go by what they are filtered by. */
const places = z.array(place).max(5_000).nullable();
export const putBackSchema = filterSchema.extend({ places });
export const mergeSchema = filterSchema.extend({
	places,
	decides: z.enum(['branch', 'plan']).nullable().default(null),
	leavesRefused: z.boolean().default(false),
	/** Of a part that is merged: the runs and loads (numbers) of the branch that are done in the plan with it. */
	also: z.object({ runs: z.array(z.int()).max(60), loads: z.array(z.int()).max(200) }).default({ runs: [], loads: [] })
});

const PAGE = 200;

/** Changes from which on a branch is looked through on a thread of its own: others would wait for it. */
const MANY_CHANGES = 20_000;
async function askerFor(branch: number): Promise<typeof askEngine> {
	const found = await pool().query<{ cells: number }>(
		'SELECT coalesce(sum(cells), 0)::integer AS cells FROM branch_change WHERE branch_id = $1',
		[branch]
	);
	return found.rows[0]!.cells < MANY_CHANGES ? askEngine : askRunner;
}

export interface ChangeLine extends BranchChange {
	person: string | null;
	at: string | null;
	/** Through what it was typed. */
	through: string;
}

export interface BranchChangesPage extends Omit<BranchChanges, 'lines'> {
	lines: ChangeLine[];
	people: { id: number; name: string }[];
}

async function versionsBy(branch: number, person: number | null): Promise<number[] | undefined> {
	if (person === null) return undefined;
	const found = await pool().query<{ version: number }>('SELECT version FROM branch_change WHERE branch_id = $1 AND person_id = $2', [
		branch,
		person
	]);
	return found.rows.map(({ version }) => version);
}

/** Which changes of a branch are asked for, as the engine is told, and what whoever asks may read. */
const askedOf = async (person: SignedIn, modelId: number, { id, find, account, person: by, movedOnly }: z.infer<typeof filterSchema>) => ({
	rules: await readAccessRules(person, modelId),
	find,
	account,
	movedOnly,
	versions: await versionsBy(id, by)
});

/** The changes of a branch that somebody may read, those that differ most first, a page of them. */
export async function readChanges(
	person: SignedIn | undefined,
	modelId: number,
	{ from, ...filter }: z.infer<typeof changesSchema>
): Promise<BranchChangesPage> {
	const reader = requirePermission(person, 'form.read');
	const { id } = filter;
	await branchFor(reader, modelId, id);
	const ask = await askerFor(id);
	const { lines, ...rest } = await ask(modelId, 'branchChanges', {
		...(await modelVersions(pool(), modelId)),
		branch: (await branchVersion(pool(), id))!,
		...(await askedOf(reader, modelId, filter)),
		from,
		most: PAGE
	});
	const written = await pool().query<{ version: number; person: string | null; at: Date; words: string }>(
		'SELECT version, doer(person_id, acting_id) AS person, at, words FROM branch_change WHERE branch_id = $1 AND version = ANY ($2)',
		[id, [...new Set(lines.map(({ version }) => version))]]
	);
	const byVersion = new Map(written.rows.map((row) => [row.version, row]));
	const people = await pool().query<{ id: number; name: string }>(
		'SELECT DISTINCT p.id, p.name FROM branch_change c JOIN person p ON p.id = c.person_id WHERE c.branch_id = $1 ORDER BY p.name',
		[id]
	);
	return {
		...rest,
		people: people.rows,
		lines: lines.map((line) => {
			const own = byVersion.get(line.version);
			return { ...line, person: own?.person ?? null, at: own?.at.toISOString() ?? null, through: own?.words ?? '' };
		})
	};
}

/** Puts changes back, as they are in the plan: those that are named, or all that are filtered. */
export async function putBackChanges(
	person: SignedIn | undefined,
	modelId: number,
	{ places: named, ...filter }: z.infer<typeof putBackSchema>
): Promise<{ cells: number }> {
	const writer = requireBranchOpen(requirePermission(person, 'branch.write'));
	const { id } = filter;
	const asked = await askedOf(writer, modelId, filter);
	return transaction(async (client) => {
		const { revision, structure } = await modelVersions(client, modelId);
		const branch = await lockBranch(client, id);
		const stored = await branchFor(writer, modelId, id, client);
		const whyNot = whyNotWork(writer, stored);
		if (whyNot) throw new Fault(409, 'branch closed', whyNot);
		const ask = await askerFor(id);
		const { cells, width } = await ask(modelId, 'branchBack', {
			revision,
			structure,
			branch: { id, version: branch.version },
			...asked,
			places: named
		});
		if (cells.length > 0)
			await writeBranch(client, id, { person: writer.id, acting: actingNow(), words: 'Put back as in the plan' }, cells, width);
		return { cells: cells.length };
	});
}

export type MergeOutcome =
	/** With what ran in the branch, which is being done in the plan now; null where its figures were all there was. */
	| { kind: 'merged'; revision: number | null; cells: number; left: number; runs: RunInPlan[] }
	| { kind: 'nothing' }
	/** Nothing is written yet: the plan has moved there since. */
	| { kind: 'moved'; moved: BranchChange[]; count: number }
	| { kind: 'refused'; refused: { words: string; reason: string }[]; count: number };

/**
 * Merges a branch into the plan, whole or what is named or filtered: the entries of the branch become the plan’s, in one
 * change set; of a whole branch, what ran in it is then run in the plan, in the same order; of a part, what of that is named.
 * All of that can be taken back. Where the plan has moved since, it is asked whose figure counts.
 */
export async function mergeBranch(
	person: SignedIn | undefined,
	modelId: number,
	{ places: named, decides, leavesRefused, also, ...filter }: z.infer<typeof mergeSchema>
): Promise<MergeOutcome> {
	const merger = requirePermission(requirePermission(person, 'branch.merge'), 'form.enter');
	const { id } = filter;
	const asked = await askedOf(merger, modelId, filter);
	const ask = await askerFor(id);
	// A thread that has to begin does so before everybody waits for the plan's lock.
	await ask(modelId, 'ready', { revision: (await modelVersions(pool(), modelId)).revision });
	// Taking a merge back takes back what was done with all of it; what goes with a part is taken back by itself.
	let isMerged = false;
	let [standing, loads]: [Awaited<ReturnType<typeof standingRuns>>, StandingLoad[]] = [[], []];
	const outcome = await transaction(async (client): Promise<MergeOutcome> => {
		const revision = await lockModel(client, modelId);
		const locked = await lockBranch(client, id);
		const branch = await keptBy(client, merger, modelId, id);
		if (branch.state !== 'open')
			throw new Fault(409, 'branch closed', branch.state === 'frozen' ? 'Open it again before it is merged.' : whyNotWork(merger, branch));
		const plan = await ask(modelId, 'planMerge', {
			revision,
			structure: await structureVersion(client, modelId),
			branch: { id, version: locked.version },
			...asked,
			places: named,
			decides,
			leavesRefused
		});
		if (plan.movedCount > 0) return { kind: 'moved', moved: plan.moved, count: plan.movedCount };
		if (plan.refused.length > 0) return { kind: 'refused', refused: plan.refused.slice(0, 200), count: plan.refused.length };
		// Who reads a part cannot tell whether it was all of it: the branch stays open then.
		const left = branch.cells === null ? null : branch.cells - plan.places.length - plan.alike;
		const isWhole = (isMerged = left === 0);
		standing = (await standingRuns(client, id)).filter((run) => isWhole || also.runs.includes(run.id));
		loads = (await standingLoads(client, id)).filter((load) => isWhole || also.loads.includes(load.id));
		if (standing.length > 0) requirePermission(merger, 'rule.run');
		if (loads.length > 0) requirePermission(merger, 'data.load');
		if (plan.cells === 0) {
			if (standing.length + loads.length === 0) return { kind: 'nothing' };
			if (isWhole) await client.query("UPDATE branch SET state = 'merged', merged_revision = NULL WHERE id = $1", [id]);
			return { kind: 'merged', revision: null, cells: 0, left: left ?? 0, runs: [] };
		}
		const posted = await postChangeSet(
			client,
			{ modelId, person: merger.id, kind: 'save', through: `Branch “${branch.name}”`, cells: plan.cells },
			await addressDimensions(client, modelId),
			plan.series,
			plan.entries
		);
		if (isWhole) await client.query("UPDATE branch SET state = 'merged', merged_revision = $2 WHERE id = $1", [id, posted]);
		// What the plan shows now is what these were meant against from here on.
		else
			await writeBranch(
				client,
				id,
				{ person: merger.id, acting: actingNow(), words: 'Merged into the plan' },
				plan.places.map(({ held, shows, ...each }) => ({ ...each, value: held, seen: shows })),
				plan.width
			);
		return { kind: 'merged', revision: posted, cells: plan.cells, left: left ?? 0, runs: [] };
	});
	if (outcome.kind !== 'merged') return outcome;
	if (outcome.revision !== null) await askEngine(modelId, 'ready', { revision: outcome.revision });
	return { ...outcome, runs: await doInPlan(merger, modelId, isMerged ? id : undefined, [...loads, ...standing]) };
}

/**
 * Loads and runs in the plan what was loaded and run in a branch, in that order.
 * @param branch that is merged as a whole by it
 */
async function doInPlan(
	merger: SignedIn,
	modelId: number,
	branch: number | undefined,
	all: readonly (StandingLoad | Awaited<ReturnType<typeof standingRuns>>[number])[]
): Promise<RunInPlan[]> {
	const done: RunInPlan[] = [];
	for (const each of [...all].sort((one, other) => one.at.getTime() - other.at.getTime()))
		done.push(await ('chosen' in each ? loadInPlan(merger, modelId, branch, each) : runInPlan(merger, modelId, branch, each)));
	return done;
}

/** Takes the merging of a whole branch back, its runs before its figures: the plan is as before, and the branch open again with all it holds. */
export async function takeBackMerge(
	person: SignedIn | undefined,
	modelId: number,
	{ id }: { id: number }
): Promise<{ cells: number; stay: number }> {
	const merger = requirePermission(person, 'branch.merge');
	await branchFor(merger, modelId, id);
	const found = await pool().query<{ revision: number | null }>(
		"SELECT merged_revision AS revision FROM branch WHERE id = $1 AND state = 'merged'",
		[id]
	);
	const [merged] = found.rows;
	if (!merged) throw new Fault(409, 'not merged', 'This branch has not been merged, or that was taken back already.');
	const runs = await pool().query<{ id: number; name: string; state: string; revision: number | null }>(
		"SELECT id, name, state, revision FROM run WHERE merged_branch_id = $1 AND state IN ('waiting', 'done') ORDER BY id DESC",
		[id]
	);
	const waiting = runs.rows.find(({ state }) => state === 'waiting');
	if (waiting) throw new Fault(409, 'busy', `“${waiting.name}” is under way in the plan. Take the merge back when that has ended.`);
	const loads = await mergedLoads(id);
	if (loads.length > 0) requirePermission(merger, 'data.load');
	// What came last goes first; a run that changed nothing has nothing to take back.
	for (const { id: run, revision } of runs.rows) if (revision !== null) await takeBackRun(merger, modelId, run);
	await takeBackLoads(merger, modelId, loads);
	const { cells, stay } =
		merged.revision === null ? { cells: 0, stay: 0 } : await takeBackSave(merger, modelId, { revision: merged.revision });
	await pool().query("UPDATE branch SET state = 'open', merged_revision = NULL WHERE id = $1 AND state = 'merged'", [id]);
	return { cells, stay };
}

export interface BranchComment {
	id: number;
	person: string | null;
	at: string;
	text: string;
}

/** What people have written about a branch, the oldest first. */
export async function readComments(branch: number): Promise<BranchComment[]> {
	const found = await pool().query<Omit<BranchComment, 'at'> & { at: Date }>(
		'SELECT c.id, p.name AS person, c.at, c.text FROM branch_comment c LEFT JOIN person p ON p.id = c.person_id WHERE c.branch_id = $1 ORDER BY c.id LIMIT 500',
		[branch]
	);
	return found.rows.map((row) => ({ ...row, at: row.at.toISOString() }));
}

export const commentSchema = z.object({ id: z.int(), text: z.string().trim().min(1, 'write something').max(4_000) });

/** Writes about a branch: whoever may look at it. */
export async function writeComment(
	person: SignedIn | undefined,
	modelId: number,
	{ id, text }: z.infer<typeof commentSchema>
): Promise<{ comments: BranchComment[] }> {
	const writer = requirePermission(person, 'form.read');
	if (writer.acting?.way === 'look') throw onlyLooking(writer.name);
	const branch = await branchFor(writer, modelId, id);
	if (branch.state === 'dropped') throw notFound('branch');
	await pool().query('INSERT INTO branch_comment (branch_id, person_id, text) VALUES ($1, $2, $3)', [id, writer.id, text]);
	return { comments: await readComments(id) };
}
