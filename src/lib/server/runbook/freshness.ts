import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner } from '../engine';
import type { Answers } from '../../core';
import { requirePermission, type SignedIn } from '../session';
import { readStored } from './read';
import { latestRuns, type RunInShort } from './runs';

/**
 * Looks whether the latest run of a runbook is out of date because something it read has changed since, and notes it.
 * @returns its runs, and through what it changed; null where nothing did, or it was known already
 */
export async function checkFreshness(
	person: SignedIn | undefined,
	modelId: number,
	id: number
): Promise<{ runs: RunInShort[]; through: string | null }> {
	requirePermission(person, 'rule.read');
	const { steps, parameters } = await readStored(pool(), modelId, id);
	const found = await pool().query<{ id: number; since: number | null; answers: Answers; outOfDate: boolean }>(
		`SELECT id, read_revision AS since, answers, out_of_date AS "outOfDate" FROM run
		WHERE model_id = $1 AND runbook_id = $2 AND state = 'done' ORDER BY id DESC LIMIT 1`,
		[modelId, id]
	);
	const last = found.rows[0];
	const versions = await modelVersions(pool(), modelId);
	if (!last || last.outOfDate || last.since === null || last.since === versions.revision)
		return { runs: await latestRuns(modelId, id), through: null };
	const own = await pool().query<{ id: number }>('SELECT id FROM origin WHERE model_id = $1 AND runbook_id = $2', [modelId, id]);
	const { through } = await askRunner(modelId, 'readsMoved', {
		...versions,
		steps,
		parameters,
		answers: last.answers,
		since: last.since,
		own: own.rows.map((row) => row.id)
	});
	if (through !== null) await pool().query("UPDATE run SET out_of_date = true WHERE id = $1 AND state = 'done'", [last.id]);
	return { runs: await latestRuns(modelId, id), through };
}
