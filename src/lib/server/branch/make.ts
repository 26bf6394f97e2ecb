/** Branches: made, named, shared, frozen, copied, dropped and brought back. */
import type pg from 'pg';
import { z } from 'zod';
import type { RatesInstead } from '../../core';
import { refuseAlternateGroups } from '../access';
import { pool, transaction } from '../database';
import { lockBranch, writeBranch } from '../database/branch-series';
import { peopleInModel } from '../database/model-people';
import { Fault, notAllowed } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { branchFor, KEPT_DAYS, mayIn, whyNotWork, type Branch } from './record';

const name = z.string().trim().min(1, 'give it a name').max(80);
export const branchSchema = z.object({
	name,
	purpose: z.string().trim().max(500).default(''),
	due: z.iso.date().nullable().default(null),
	everybody: z.enum(['nothing', 'read', 'work']).default('nothing'),
	people: z
		.array(z.object({ id: z.int(), may: z.enum(['read', 'work']) }))
		.max(200)
		.default([]),
	/** By dimension (id) the members (ids) it is limited to, each with all under it. */
	part: z
		.record(z.string().regex(/^\d{1,9}$/), z.array(z.int()).min(1).max(100))
		.nullable()
		.optional(),
	/** A rate set (id) that is read in it in the place of another one. */
	rates: z.object({ of: z.int(), by: z.int() }).nullable().optional()
});
export const changeBranchSchema = branchSchema.extend({ id: z.int() });
export const branchOnly = z.object({ id: z.int() });
export const copyBranchSchema = z.object({ id: z.int(), name });

/** A branch has at most so many live siblings: each is a name somebody has to tell apart. */
const MOST_BRANCHES = 2_000;

/** Makes a branch of the plan as it is: nothing is copied. */
export async function makeBranch(
	person: SignedIn | undefined,
	modelId: number,
	asked: z.infer<typeof branchSchema>
): Promise<{ id: number }> {
	const maker = requirePermission(person, 'branch.write');
	return transaction(async (client) => {
		const count = await client.query<{ count: number }>(
			"SELECT count(*)::integer AS count FROM branch WHERE model_id = $1 AND state <> 'dropped'",
			[modelId]
		);
		if (count.rows[0]!.count >= MOST_BRANCHES)
			throw new Fault(422, 'too many', `A model has at most ${MOST_BRANCHES} branches. Drop some that are decided.`);
		await refuseForeign(client, modelId, asked);
		const id = await insertBranch(client, modelId, maker.id, asked);
		await setPeople(client, id, asked.people);
		return { id };
	}).catch(named);
}

async function insertBranch(
	client: pg.PoolClient,
	modelId: number,
	maker: number,
	{ name, purpose, due, everybody, part, rates }: Omit<z.infer<typeof branchSchema>, 'people'>,
	copiedFrom = ''
): Promise<number> {
	const made = await client.query<{ id: number }>(
		`INSERT INTO branch (model_id, name, purpose, due, everybody, made_by, copied_from, part, rates_of, rates_by)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) RETURNING id`,
		[modelId, name, purpose, due, everybody, maker, copiedFrom, part ? JSON.stringify(part) : null, rates?.of ?? null, rates?.by ?? null]
	);
	return made.rows[0]!.id;
}

/** What a branch is limited to, and its rates, are the model's own. @throws Fault 422 */
async function refuseForeign(
	client: pg.PoolClient,
	modelId: number,
	{ part, rates }: Pick<z.infer<typeof branchSchema>, 'part' | 'rates'>
): Promise<void> {
	if (part) {
		const members = [...new Set(Object.values(part).flat())];
		const found = await client.query<{ count: number }>(
			`SELECT count(*)::integer AS count FROM jsonb_each($2::jsonb) AS e (dimension, members) CROSS JOIN LATERAL jsonb_array_elements_text(e.members) AS x (id)
			JOIN member m ON m.id = x.id::integer AND m.dimension_id = e.dimension::integer
			JOIN model_dimension d ON d.dimension_id = m.dimension_id AND d.model_id = $1`,
			[modelId, JSON.stringify(part)]
		);
		if (found.rows[0]!.count < members.length)
			throw new Fault(422, 'not possible', 'A member it is to be limited to is not in this model. Choose it again.');
		await refuseAlternateGroups(client, 'The limit', members);
	}
	if (!rates) return;
	const sets = await client.query('SELECT FROM rate_set WHERE id = ANY ($1)', [[rates.of, rates.by]]);
	if (sets.rows.length < 2) throw new Fault(422, 'not possible', 'Choose two different rate sets.');
}

async function setPeople(client: pg.PoolClient, branch: number, people: z.infer<typeof branchSchema>['people']): Promise<void> {
	await client.query('DELETE FROM branch_person WHERE branch_id = $1', [branch]);
	await client.query(
		`INSERT INTO branch_person (branch_id, person_id, may) SELECT $1, p.id, x.may FROM jsonb_to_recordset($2::jsonb) AS x (id integer, may text)
		JOIN person p ON p.id = x.id AND p.active ON CONFLICT DO NOTHING`,
		[branch, JSON.stringify(people)]
	);
}

/** Two branches of one name cannot be told apart. */
function named(error: unknown): never {
	if ((error as { constraint?: string }).constraint === 'branch_name')
		throw new Fault(409, 'name taken', 'There is a branch of this name already. Choose another one.');
	throw error;
}

/** Names a branch anew, and says for what, until when and for whom it is. What somebody has typed in it and not saved stays theirs. */
export async function changeBranch(
	person: SignedIn | undefined,
	modelId: number,
	{ id, ...asked }: z.infer<typeof changeBranchSchema>
): Promise<void> {
	const keeper = requirePermission(person, 'branch.write');
	await transaction(async (client) => {
		const before = await keptBy(client, keeper, modelId, id);
		await refuseForeign(client, modelId, asked);
		const { part = before.part, rates = before.rates } = asked;
		await client.query(
			'UPDATE branch SET name = $2, purpose = $3, due = $4, everybody = $5, part = $6, rates_of = $7, rates_by = $8 WHERE id = $1',
			[id, asked.name, asked.purpose, asked.due, asked.everybody, part && JSON.stringify(part), rates?.of ?? null, rates?.by ?? null]
		);
		// Every figure in another currency may be another one: a change of the branch as any other.
		if (before.rates?.of !== rates?.of || before.rates?.by !== rates?.by)
			await writeBranch(
				client,
				id,
				{ person: keeper.id, acting: keeper.acting?.id ?? null, words: await ratesInWords(client, rates) },
				[],
				0
			);
		await setPeople(client, id, asked.people);
	}).catch(named);
}

async function ratesInWords(client: pg.PoolClient, rates: RatesInstead | null): Promise<string> {
	if (!rates) return 'Read at the rates of the plan';
	const { rows } = await client.query<{ words: string }>(
		`SELECT 'Read at ' || b.name || ' in the place of ' || o.name AS words FROM rate_set b, rate_set o WHERE b.id = $1 AND o.id = $2`,
		[rates.by, rates.of]
	);
	return rows[0]!.words;
}

/** A branch, locked, of who may decide over it. @throws Fault 403 to others */
export async function keptBy(client: pg.PoolClient, person: SignedIn, modelId: number, id: number): Promise<Branch> {
	await lockBranch(client, id);
	const branch = await branchFor(person, modelId, id, client);
	if (branch.madeBy?.id !== person.id && !person.permissions.includes('branch.merge'))
		throw notAllowed(`decide over “${branch.name}”: that is for who made it, and for who merges branches`);
	return branch;
}

export const stateSchema = z.object({ id: z.int(), state: z.enum(['open', 'frozen']) });

/** Freezes a branch, or opens one again that was frozen. */
export async function setBranchState(
	person: SignedIn | undefined,
	modelId: number,
	{ id, state }: z.infer<typeof stateSchema>
): Promise<void> {
	const keeper = requirePermission(person, 'branch.write');
	await transaction(async (client) => {
		const branch = await keptBy(client, keeper, modelId, id);
		if (branch.state === 'dropped') throw new Fault(422, 'dropped', 'Bring it back first.');
		if (branch.state === 'merged') throw new Fault(422, 'merged', 'Take the merge back first, or copy the branch to go on from there.');
		await client.query('UPDATE branch SET state = $2 WHERE id = $1', [id, state]);
	});
}

/** Drops a branch: it can be brought back for a while. */
export async function dropBranch(
	person: SignedIn | undefined,
	modelId: number,
	{ id }: z.infer<typeof branchOnly>
): Promise<{ days: number }> {
	const keeper = requirePermission(person, 'branch.write');
	await transaction(async (client) => {
		await keptBy(client, keeper, modelId, id);
		await client.query("UPDATE branch SET state = 'dropped', dropped_at = now() WHERE id = $1 AND state <> 'dropped'", [id]);
	});
	return { days: KEPT_DAYS };
}

export async function bringBackBranch(person: SignedIn | undefined, modelId: number, { id }: z.infer<typeof branchOnly>): Promise<void> {
	const keeper = requirePermission(person, 'branch.write');
	await transaction(async (client) => {
		const branch = await keptBy(client, keeper, modelId, id);
		if (branch.state !== 'dropped') return;
		if (branch.droppedAt && Date.parse(branch.droppedAt) < Date.now() - KEPT_DAYS * 86_400_000)
			throw new Fault(422, 'gone', `It was dropped more than ${KEPT_DAYS} days ago.`);
		await client.query(
			"UPDATE branch SET state = CASE WHEN merged_revision IS NULL THEN 'open' ELSE 'merged' END, dropped_at = NULL WHERE id = $1",
			[id]
		);
	}).catch(named);
}

/** A branch of its own with everything this one holds today; later changes of one do not reach the other. */
export async function copyBranch(
	person: SignedIn | undefined,
	modelId: number,
	{ id, name: called }: z.infer<typeof copyBranchSchema>
): Promise<{ id: number }> {
	const maker = requirePermission(person, 'branch.write');
	return transaction(async (client) => {
		await lockBranch(client, id);
		const branch = await branchFor(maker, modelId, id, client);
		const copy = await insertBranch(client, modelId, maker.id, { ...branch, name: called, everybody: 'nothing' }, branch.name);
		await client.query(
			`INSERT INTO branch_series (branch_id, origin_id, fiscal_year, address, amounts, versions, seen, version)
			SELECT $2, origin_id, fiscal_year, address, amounts, ARRAY(SELECT CASE WHEN v IS NULL THEN NULL ELSE 1 END FROM unnest(versions) WITH ORDINALITY AS e (v, o) ORDER BY o), seen, 1
			FROM branch_series WHERE branch_id = $1 AND cardinality(array_remove(versions, NULL)) > 0`,
			[id, copy]
		);
		await client.query('UPDATE branch SET version = 1 WHERE id = $1', [copy]);
		await client.query(
			`INSERT INTO branch_change (branch_id, version, person_id, words, cells)
			SELECT $1, 1, $2, $3, coalesce(sum(cardinality(array_remove(versions, NULL))), 0) FROM branch_series WHERE branch_id = $1`,
			[copy, maker.id, `Copied from “${branch.name}”`]
		);
		await copyRuns(client, id, copy);
		await client.query(
			`INSERT INTO branch_load (branch_id, origin_id, batch_id, extent, part, timeless)
			SELECT $2, origin_id, batch_id, extent, part, timeless FROM branch_load WHERE branch_id = $1 ORDER BY id`,
			[id, copy]
		);
		return { id: copy };
	}).catch(named);
}

/** The runs that stand in a branch, in another with the same results. */
async function copyRuns(client: pg.PoolClient, from: number, to: number): Promise<void> {
	const runs = await client.query<{ id: number }>(
		'SELECT id FROM run WHERE id IN (SELECT run_id FROM branch_result WHERE branch_id = $1) ORDER BY id',
		[from]
	);
	const given = 'INSERT INTO branch_result (branch_id, origin_id, periods, reads, run_id) SELECT $2, origin_id, periods, reads';
	for (const { id } of runs.rows) {
		const copied = await client.query<{ id: number }>(
			`INSERT INTO run (model_id, runbook_id, name, person_id, at, state, words, answers, definition, log, totals, cells, read_revision, out_of_date, part, branch_id, branch_version)
			SELECT model_id, runbook_id, name, person_id, at, state, words, answers, definition, log, totals, cells, read_revision, out_of_date, part, $2, 1
			FROM run WHERE id = $1 RETURNING id`,
			[id, to]
		);
		await client.query(`${given}, $4 FROM branch_result WHERE branch_id = $1 AND run_id = $3`, [from, to, id, copied.rows[0]!.id]);
	}
	await client.query(`${given}, NULL FROM branch_result WHERE branch_id = $1 AND run_id IS NULL`, [from, to]);
}

/** A branch as its page shows it. */
export interface BranchView extends Branch {
	/** What whoever looks may do. */
	mayWork: boolean;
	whyNot: string;
	mayDecide: boolean;
	mayMerge: boolean;
}

export function asView(person: SignedIn, branch: Branch): BranchView {
	const whyNot = whyNotWork(person, branch);
	const merges = person.permissions.includes('branch.merge');
	return {
		...branch,
		whyNot,
		mayWork: whyNot === '' && mayIn(person, branch) === 'work',
		mayDecide: person.permissions.includes('branch.write') && (branch.madeBy?.id === person.id || merges),
		mayMerge: merges && person.permissions.includes('form.enter') && branch.state === 'open'
	};
}

/** Whom a branch can be shared with: everybody who works in the model. */
export async function peopleForBranches(modelId: number): Promise<{ id: number; name: string }[]> {
	return peopleInModel(pool(), modelId);
}
