import { pool } from '../database';
import { refuseOfOtherShape } from '../database/shape';
import { catchUpEngine } from '../engine';
import { Fault, notFound } from '../fault';
import { handleJobs, noteJob, startJob } from '../jobs';
import { personById, requirePermission, type SignedIn } from '../session';
import { accessOfLoad } from './start';
import { askData, inOwnThread } from './work/host';
import type { TakeBackPreview } from './work/take-back';

interface BatchHead {
	code: string;
	import: number;
	origin: number;
	name: string;
	state: string;
	revision: number | null;
	branch: number | null;
}

async function headOf(modelId: number, batchId: number): Promise<BatchHead> {
	const found = await pool().query<BatchHead>(
		`SELECT i.code, i.id AS import, i.origin_id AS origin, i.name, b.state, b.revision, b.branch_id AS branch FROM batch b JOIN import i ON i.id = b.import_id WHERE b.id = $1 AND i.model_id = $2`,
		[batchId, modelId]
	);
	if (!found.rows[0]) throw notFound('batch');
	return found.rows[0];
}

/** What taking a batch back would do: how many of its cells still hold, and which later batches wrote the others. */
export async function previewTakeBack(person: SignedIn | undefined, modelId: number, batchId: number): Promise<TakeBackPreview> {
	requirePermission(person, 'data.load');
	const { origin, revision } = await headOf(modelId, batchId);
	if (revision !== null) await refuseOfOtherShape(pool(), modelId, revision);
	return askData('previewTakeBack', { modelId, origin, batch: batchId });
}

/**
 * Takes a batch back, as a job: alone (cells that later batches wrote stay), or with the later batches that met it.
 * @throws Fault when it has been taken back already, or loaded nothing
 */
export async function startTakeBack(
	person: SignedIn | undefined,
	modelId: number,
	batchId: number,
	withLater: boolean
): Promise<{ job: number }> {
	const taker = requirePermission(person, 'data.load');
	const { state, name, code, origin, revision, branch } = await headOf(modelId, batchId);
	if (branch !== null) throw new Fault(422, 'not possible', 'This batch was loaded into a branch. It is put back there.');
	if (state === 'taken back') throw new Fault(409, 'taken back', 'This batch has been taken back already.');
	if (state !== 'loaded') throw new Fault(422, 'not possible', 'This batch loaded nothing, so there is nothing to take back.');
	if (revision !== null) await refuseOfOtherShape(pool(), modelId, revision);
	const later = withLater ? (await askData('previewTakeBack', { modelId, origin, batch: batchId })).later : [];
	const still = await pool().query<{ id: number }>("SELECT id FROM batch WHERE id = ANY ($1) AND state = 'loaded'", [later]);
	const batches = [...still.rows.map(({ id }) => id), batchId].sort((a, b) => b - a);
	return startJob(async (client) => ({
		job: await noteJob(
			client,
			modelId,
			taker.id,
			'take back',
			`${name}: taking back ${batches.length === 1 ? `batch ${batchId}` : `${batches.length} batches`}`,
			{
				batches,
				code
			}
		)
	}));
}

handleJobs(
	'take back',
	async (job, tell, signal) => {
		const { batches } = job.payload as { batches: number[] };
		const head = await headOf(job.modelId, batches[0]!);
		tell(0, 'Taking back');
		const outcome = await inOwnThread(
			'takeBack',
			{
				modelId: job.modelId,
				person: job.personId!,
				acting: job.actingId,
				access: await accessOfLoad(await personById(job.personId, job.modelId), job.modelId),
				import: { id: head.import, origin: head.origin, name: head.name },
				batches
			},
			tell,
			signal
		);
		if (outcome.revision !== null) await catchUpEngine(job.modelId, outcome.revision).catch(() => {});
		const stays = outcome.written > 0 ? ` ${outcome.written} were written again since and stay.` : '';
		return { words: `${outcome.cells} cells are as they were before.${stays}`, result: { ...outcome, batches } };
	},
	async (job) => {
		const { batches } = job.payload as { batches: number[] };
		// Waits for one that is being committed at this moment.
		const found = await pool().query<{ state: string }>('SELECT state FROM batch WHERE id = ANY ($1) FOR UPDATE', [batches]);
		if (!found.rows.every(({ state }) => state === 'taken back')) return undefined;
		return { words: `${batches.length === 1 ? 'The batch is' : `${batches.length} batches are`} taken back.`, result: { batches } };
	}
);
