import type pg from 'pg';
import { copyRows } from '../database/cells';
import type { Database } from '../database';
import type { DraftChange } from '../engine';
import type { SignedIn } from '../session';

/** Whose draft: each person has one of the plan, and one in each branch they work in. */
type DraftOf = Pick<SignedIn, 'id' | 'branch'>;
export const OF_BRANCH = 'person_id = $1 AND model_id = $2 AND branch_id IS NOT DISTINCT FROM $3';

/** A person's draft row; made when missing. Locked for the rest of the transaction, so that two tabs take turns. */
export async function lockDraft(
	client: pg.PoolClient,
	{ id: person, branch }: DraftOf,
	modelId: number
): Promise<{ id: number; version: number }> {
	const lock = async () =>
		(
			await client.query<{ id: number; version: number }>(`SELECT id, version FROM draft WHERE ${OF_BRANCH} FOR UPDATE`, [
				person,
				modelId,
				branch?.id ?? null
			])
		).rows[0];
	const known = await lock();
	if (known) return known;
	await client.query(
		'INSERT INTO draft (person_id, model_id, branch_id) VALUES ($1, $2, $3) ON CONFLICT (person_id, model_id, coalesce(branch_id, 0)) DO NOTHING',
		[person, modelId, branch?.id ?? null]
	);
	return (await lock())!;
}

/** The draft's version, 0 when there is none. */
export async function draftVersion(database: Database, { id: person, branch }: DraftOf, modelId: number): Promise<number> {
	const found = await database.query<{ version: number }>(`SELECT version FROM draft WHERE ${OF_BRANCH}`, [
		person,
		modelId,
		branch?.id ?? null
	]);
	return found.rows[0]?.version ?? 0;
}

/** Stores cells of a draft that were changed in a form, and counts the version up. */
export async function storeChanges(client: pg.PoolClient, draft: number, form: number, changes: readonly DraftChange[]): Promise<void> {
	if (changes.length <= FEW_CHANGES) return storeFew(client, draft, form, changes);
	const last = lastOfEach(changes);
	await client.query(
		'CREATE TEMPORARY TABLE changed (address integer[], period_id integer, value double precision, gone boolean, seen double precision) ON COMMIT DROP'
	);
	await copyRows(
		client,
		'COPY changed FROM STDIN',
		last,
		({ address, period, after, seen }) =>
			`{${address.join(',')}}\t${period}\t${stored(after) ?? '\\N'}\t${after === null ? 't' : 'f'}\t${seen ?? '\\N'}\n`
	);
	if (last.some(({ after }) => after === null))
		await client.query(
			'DELETE FROM draft_cell d USING changed c WHERE d.draft_id = $1 AND d.address = c.address AND d.period_id = c.period_id AND c.gone',
			[draft]
		);
	await client.query(
		`INSERT INTO draft_cell (draft_id, address, period_id, value, seen, form_id)
		SELECT $1, address, period_id, value, seen, $2 FROM changed WHERE NOT gone
		ON CONFLICT (draft_id, address, period_id) DO UPDATE SET value = excluded.value, form_id = excluded.form_id`,
		[draft, form]
	);
	const tried = await client.query('SELECT FROM draft_trial_cell WHERE draft_id = $1 LIMIT 1', [draft]);
	if (tried.rowCount)
		await client.query(
			'DELETE FROM draft_trial_cell t USING changed c WHERE t.draft_id = $1 AND t.address = c.address AND t.period_id = c.period_id',
			[draft]
		);
	await client.query('DROP TABLE changed');
	await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1', [draft]);
}

/** One entry may change a cell twice (a pasted block over a parent and its leaf): the last one counts. */
const lastOfEach = (changes: readonly DraftChange[]): DraftChange[] => [
	...new Map(changes.map((change) => [`${change.address.join(' ')} ${change.period}`, change])).values()
];

/** A draft value as the table holds it: an entry that says there is nothing as infinity, one taken away as null. */
const stored = (value: DraftChange['after']): number | 'Infinity' | null =>
	typeof value === 'number' ? value : value === 'nothing' ? 'Infinity' : null;

/** Up to this many changes travel within the statement; more are copied in. */
const FEW_CHANGES = 200;

async function storeFew(client: pg.PoolClient, draft: number, form: number, changes: readonly DraftChange[]): Promise<void> {
	const cells = lastOfEach(changes).map(({ address, period, after, seen }) => ({
		address,
		period,
		value: stored(after),
		gone: after === null,
		seen
	}));
	await client.query(
		`WITH changed AS (
			SELECT ARRAY(SELECT jsonb_array_elements_text(address)::integer) AS address, period, value, gone, seen
			FROM jsonb_to_recordset($2::jsonb) AS x (address jsonb, period integer, value double precision, gone boolean, seen double precision)
		), removed AS (
			DELETE FROM draft_cell d USING changed c WHERE d.draft_id = $1 AND d.address = c.address AND d.period_id = c.period AND c.gone
		), tried AS (
			DELETE FROM draft_trial_cell t USING changed c WHERE t.draft_id = $1 AND t.address = c.address AND t.period_id = c.period
		), kept AS (
			INSERT INTO draft_cell (draft_id, address, period_id, value, seen, form_id)
			SELECT $1, address, period, value, seen, $3 FROM changed WHERE NOT gone
			ON CONFLICT (draft_id, address, period_id) DO UPDATE SET value = excluded.value, form_id = excluded.form_id
		)
		UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1`,
		[draft, JSON.stringify(cells), form]
	);
}

/** Ends what is tried on a draft. */
export async function endTrial(client: pg.PoolClient, draft: number): Promise<void> {
	await client.query('DELETE FROM draft_trial_cell WHERE draft_id = $1', [draft]);
	await client.query('UPDATE draft SET trial = NULL, trial_version = NULL, trial_revision = NULL WHERE id = $1', [draft]);
}

/** Remembers a step of a form for undo; what had been undone in it before is forgotten. */
export async function storeStep(client: pg.PoolClient, draft: number, form: number, changes: readonly DraftChange[]): Promise<void> {
	await client.query(
		`WITH forgotten AS (DELETE FROM draft_step WHERE draft_id = $1 AND form_id = $3 AND undone)
		INSERT INTO draft_step (draft_id, sequence, changes, form_id)
		SELECT $1, coalesce(max(sequence), 0) + 1, $2, $3 FROM draft_step WHERE draft_id = $1`,
		[draft, JSON.stringify(changes), form]
	);
}

/** Whether a form has a step to undo, and one to redo. */
export async function stepsLeft(
	database: Database,
	{ id: person, branch }: DraftOf,
	modelId: number,
	form: number
): Promise<{ undo: boolean; redo: boolean }> {
	const found = await database.query<{ undo: boolean; redo: boolean }>(
		`SELECT coalesce(bool_or(NOT s.undone), false) AS undo, coalesce(bool_or(s.undone), false) AS redo
		FROM draft d JOIN draft_step s ON s.draft_id = d.id WHERE ${OF_BRANCH} AND s.form_id = $4`,
		[person, modelId, branch?.id ?? null, form]
	);
	return found.rows[0] ?? { undo: false, redo: false };
}

/** What a draft holds beside what goes with a form. */
export async function draftElsewhere(
	database: Database,
	{ id: person, branch }: DraftOf,
	modelId: number,
	form: number
): Promise<{ code: string; name: string; cells: number }[]> {
	const found = await database.query<{ code: string; name: string; cells: number }>(
		`SELECT f.code, f.name, count(*)::integer AS cells FROM draft d JOIN draft_cell c ON c.draft_id = d.id JOIN form f ON f.id = c.form_id
		WHERE d.person_id = $1 AND d.model_id = $2 AND d.branch_id IS NOT DISTINCT FROM $3 AND f.id <> $4 GROUP BY f.id ORDER BY f.name`,
		[person, modelId, branch?.id ?? null, form]
	);
	return found.rows;
}

/** Ends what goes with a form in a draft, or all of it: it was saved, or is discarded. */
export async function endDraft(client: pg.PoolClient, draft: number, form: number | undefined): Promise<void> {
	for (const table of ['draft_step', 'draft_cell'])
		await client.query(`DELETE FROM ${table} WHERE draft_id = $1 AND ($2::integer IS NULL OR form_id IS NULL OR form_id = $2)`, [
			draft,
			form ?? null
		]);
	await endTrial(client, draft);
	await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1', [draft]);
}
