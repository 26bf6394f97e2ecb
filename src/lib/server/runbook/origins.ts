import { originModeOf, type Clears, type Step } from '../../core';
import { pool, transaction } from '../database';

/** The origins of a run: where each step writes, what was written before, and what kind of thing each origin of the model is. */
export interface RunOrigins {
	originOf: [number, number][];
	earlier: number[];
	kinds: [number, Clears][];
}

/**
 * The origins of a runbook's steps for some answers, made when missing. A new one counts up the structure: engines must
 * know whether it adds or proposes.
 * @param make false to look only: steps that have none yet are left out
 */
export async function originsOfRun(
	modelId: number,
	runbook: { id: number; name: string; steps: readonly Step[] },
	answers: string,
	make = true
): Promise<RunOrigins> {
	if (!make) return readOrigins(modelId, runbook, answers);
	await transaction(async (client) => {
		let made = 0;
		for (const step of runbook.steps) {
			const mode = originModeOf(step);
			if (!mode) continue;
			const found = await client.query<{ mode: string }>('SELECT mode FROM origin WHERE step_id = $1 AND answers = $2', [step.id, answers]);
			if (found.rows[0]) {
				if (found.rows[0].mode === mode) continue;
				// What the step wrote before is removed by the run; until then it counts as it will.
				await client.query('UPDATE origin SET mode = $3 WHERE step_id = $1 AND answers = $2', [step.id, answers, mode]);
				made++;
				continue;
			}
			const words = `${runbook.name} · ${step.name}`.slice(0, 180);
			const same = await client.query<{ n: number }>(
				'SELECT count(*)::integer AS n FROM origin WHERE model_id = $1 AND (name = $2 OR name LIKE $3)',
				[modelId, words, `${words.replace(/[\\%_]/g, '\\$&')} (%)`]
			);
			const { n } = same.rows[0]!;
			const inserted = await client.query(
				`INSERT INTO origin (model_id, mode, name, runbook_id, step_id, answers) VALUES ($1, $2, $3, $4, $5, $6)
				ON CONFLICT DO NOTHING`,
				[modelId, mode, n === 0 ? words : `${words} (${n + 1})`, runbook.id, step.id, answers]
			);
			made += inserted.rowCount ?? 0;
		}
		if (made > 0) await client.query('UPDATE model SET structure_version = structure_version + 1 WHERE id = $1', [modelId]);
	});
	return readOrigins(modelId, runbook, answers);
}

async function readOrigins(modelId: number, runbook: { id: number; steps: readonly Step[] }, answers: string): Promise<RunOrigins> {
	const found = await pool().query<{
		id: number;
		mode: string;
		step: number | null;
		runbook: number | null;
		answers: string | null;
	}>('SELECT id, mode, step_id AS step, runbook_id AS runbook, answers FROM origin WHERE model_id = $1', [modelId]);
	const steps = new Set(runbook.steps.map(({ id }) => id));
	return {
		originOf: found.rows.flatMap(({ id, step, answers: own }): [number, number][] =>
			step !== null && steps.has(step) && own === answers ? [[step, id]] : []
		),
		earlier: found.rows.filter(({ runbook: of, answers: own }) => of === runbook.id && own === answers).map(({ id }) => id),
		kinds: found.rows.map(({ id, mode, step }): [number, Clears] => [
			id,
			mode === 'entry' ? 'entries' : step !== null ? 'results' : 'loads'
		])
	};
}
