import type { Step } from '../../core';
import { pool } from '../database';
import { Fault } from '../fault';
import { startFetch } from '../import';
import { hereAndNow } from '../jobs';
import type { SignedIn } from '../session';

/**
 * Fetches and loads the imports that a runbook begins with, one after another, before anything is computed: each load
 * stands as a batch of its own, to be traced and taken back as any other.
 * @throws Fault naming the import that could not be loaded; those before it stay loaded
 */
export async function loadImports(
	person: SignedIn,
	modelId: number,
	steps: readonly Step[],
	tell: (words: string) => void
): Promise<string[]> {
	const words: string[] = [];
	for (const step of steps) {
		if (step.kind !== 'import' || !step.active) continue;
		const found = await pool().query<{ code: string; name: string }>('SELECT code, name FROM import WHERE id = $1 AND model_id = $2', [
			step.import,
			modelId
		]);
		const source = found.rows[0];
		if (!source) throw new Fault(422, 'not possible', `${step.name}: the import is not there any more.`);
		tell(`Loading ${source.name}`);
		const { job } = await hereAndNow(() => startFetch(person, modelId, source.code, true));
		const ended = await pool().query<{ state: string; words: string; result: { batches?: number[] } | null }>(
			'SELECT state, words, result FROM job WHERE id = $1',
			[job]
		);
		const { state, words: said, result } = ended.rows[0]!;
		if (state !== 'done') throw new Fault(422, 'not possible', `${step.name}: ${said}`);
		const batches = await pool().query<{ state: string; message: string | null; words: string | null }>(
			'SELECT b.state, b.message, j.words FROM batch b LEFT JOIN job j ON j.id = b.job_id WHERE b.id = ANY ($1::integer[]) ORDER BY b.id',
			[result?.batches ?? []]
		);
		const failed = batches.rows.find((batch) => batch.state === 'failed');
		if (failed) throw new Fault(422, 'not possible', `${step.name}: ${failed.message ?? 'the load failed.'}`);
		words.push(
			...(batches.rows.length > 0 ? batches.rows.map((batch) => batch.words ?? '') : [said]).map((each) => `${source.name}: ${each}`)
		);
	}
	return words;
}
