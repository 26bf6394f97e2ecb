import { namedKey, originModeOf, readNamedKey, type Clears, type MembersNamed, type ResultOrigin, type Step } from '../../core';
import { pool, transaction } from '../database';
import { countUpStructure } from '../database/structure-version';

/** The origins of a run: where each step writes, where its runbook's results stand, and what kind of thing each origin is. */
export interface RunOrigins {
	originOf: [number, number][];
	results: ResultOrigin[];
	/** By origin of results: those its last run read. */
	readBy: [number, number[]][];
	kinds: [number, Clears][];
}

/**
 * The origins of a runbook's steps for some members, made when missing. A new one counts up the structure by origins alone: engines must
 * know whether it sets or adds.
 * @param make false to look only: steps that have none yet are left out
 */
export async function originsOfRun(
	modelId: number,
	runbook: { id: number; name: string; steps: readonly Step[] },
	named: MembersNamed,
	make = true
): Promise<RunOrigins> {
	const answers = namedKey(named);
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
		if (made > 0) await countUpStructure(client, [modelId], 'origins');
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
		reads: number[];
	}>('SELECT id, mode, step_id AS step, runbook_id AS runbook, answers, reads FROM origin WHERE model_id = $1', [modelId]);
	const steps = new Set(runbook.steps.map(({ id }) => id));
	return {
		originOf: found.rows.flatMap(({ id, step, answers: own }): [number, number][] =>
			step !== null && steps.has(step) && own === answers ? [[step, id]] : []
		),
		results: found.rows.flatMap(({ id, step, runbook: of, answers: own }) =>
			of === runbook.id && step !== null ? [{ origin: id, step, named: readNamedKey(own ?? '') }] : []
		),
		readBy: found.rows.filter(({ reads }) => reads.length > 0).map(({ id, reads }) => [id, reads]),
		kinds: found.rows.map(({ id, mode, step }): [number, Clears] => [
			id,
			mode === 'entry' ? 'entries' : step !== null || mode === 'sets' ? 'results' : 'loads'
		])
	};
}

/** Notes which results each step of a run read: a step that reads one of another's is left aside with it. */
export async function keepReads(
	client: { query: (text: string, values: unknown[]) => Promise<unknown> },
	reads: readonly [number, readonly number[]][]
): Promise<void> {
	if (reads.length === 0) return;
	await client.query(
		`UPDATE origin SET reads = ARRAY(SELECT jsonb_array_elements_text(given.reads)::integer)
		FROM jsonb_to_recordset($1::jsonb) AS given (id integer, reads jsonb) WHERE origin.id = given.id`,
		[JSON.stringify(reads.map(([id, read]) => ({ id, reads: read })))]
	);
}
