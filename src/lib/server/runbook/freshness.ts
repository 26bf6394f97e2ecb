import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner } from '../engine';
import type { Answers } from '../../core';
import { requirePermission, type SignedIn } from '../session';
import { readStored } from './read';
import { latestRuns, type RunInShort } from './runs';

/** A run that stands, with the steps it carried out. */
interface Standing {
	id: number;
	/** The revision it read. */
	since: number | null;
	answers: Answers;
	outOfDate: boolean;
	/** Whether it took results away instead of writing any. */
	clears: boolean;
	steps: number[];
}

/** Runs that are looked through for the latest one of each step. */
const MOST_RUNS = 60;

/**
 * Looks whether the latest run of some step of a runbook is out of date because something that step read has changed since,
 * and notes it.
 * @returns its runs, and through what it changed; null where nothing did, or it was known already
 */
export async function checkFreshness(
	person: SignedIn | undefined,
	modelId: number,
	id: number
): Promise<{ runs: RunInShort[]; through: string | null }> {
	requirePermission(person, 'rule.read');
	const { steps, parameters } = await readStored(pool(), modelId, id);
	const found = await pool().query<Standing>(
		`SELECT id, read_revision AS since, answers, out_of_date AS "outOfDate", coalesce((definition ->> 'clears')::boolean, false) AS clears,
			ARRAY(SELECT (entry ->> 'step')::integer FROM jsonb_array_elements(log) entry) AS steps
		FROM run WHERE model_id = $1 AND runbook_id = $2 AND branch_id IS NULL AND state = 'done' ORDER BY id DESC LIMIT $3`,
		[modelId, id, MOST_RUNS]
	);
	const versions = await modelVersions(pool(), modelId);
	const own = await pool().query<{ id: number }>('SELECT id FROM origin WHERE model_id = $1 AND runbook_id = $2', [modelId, id]);
	const left = new Set(steps.map((step) => step.id));
	let through: string | null = null;
	for (const run of found.rows) {
		// Of each step its latest run counts.
		const latest = steps.filter((step) => left.has(step.id) && run.steps.includes(step.id));
		for (const step of latest) left.delete(step.id);
		if (latest.length === 0 || run.clears || run.outOfDate || run.since === null || run.since === versions.revision) continue;
		const moved = await askRunner(modelId, 'readsMoved', {
			...versions,
			steps: latest,
			parameters,
			answers: run.answers,
			since: run.since,
			own: own.rows.map((row) => row.id)
		});
		if (moved.through === null) continue;
		through ??= moved.through;
		await pool().query("UPDATE run SET out_of_date = true WHERE id = $1 AND state = 'done'", [run.id]);
	}
	return { runs: await latestRuns(modelId, id), through };
}
