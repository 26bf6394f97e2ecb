/** Closing freezes the results of live formulas; opening lets them follow again. */
import type pg from 'pg';
import { pool, transaction } from '../database';
import { lockModel } from '../database/change-set';
import { writeFrozen } from '../database/frozen-results';
import { countUpStructure, modelVersions, structureVersion } from '../database/structure-version';
import { askRunner } from '../engine';
import { doEveryMinute } from '../jobs';
import { log } from '../log';

const STALE = `SELECT m.id FROM model m WHERE m.frozen_version < coalesce((SELECT max(s.version) FROM structure_step s WHERE s.model_id = m.id AND s.what = 'locks'), 0)
	AND (EXISTS (SELECT FROM frozen_results f WHERE f.model_id = m.id) OR EXISTS (SELECT FROM formula f WHERE f.model_id = m.id AND f.timing = 'per leaf')
		AND EXISTS (SELECT FROM access_lock l WHERE l.model_id = m.id AND 'closed' IN (l.state, l.turns_to)))`;

/**
 * Freezes the results of a model where it is closed now and lets go of the others; nothing is done where locks are as they
 * were. Worked out before the model is locked, and again within where something moved meanwhile: others save in it.
 */
export async function freezeClosed(modelId: number): Promise<void> {
	const isStale = async (client: Pick<pg.PoolClient, 'query'>) =>
		((await client.query(`${STALE} AND m.id = $1`, [modelId])).rowCount ?? 0) > 0;
	if (!(await isStale(pool()))) return;
	const before = await modelVersions(pool(), modelId);
	const early = await askRunner(modelId, 'frozenNow', before);
	await transaction(async (client) => {
		await lockModel(client, modelId);
		if (!(await isStale(client))) return;
		// No figure and no lock moves while this stands; the runner reads what is committed, which is all there is.
		const versions = await modelVersions(client, modelId);
		const isStill = versions.revision === before.revision && versions.structure === before.structure;
		const blocks = isStill ? early : await askRunner(modelId, 'frozenNow', versions);
		if (blocks) {
			await writeFrozen(client, modelId, blocks);
			await countUpStructure(client, [modelId], 'locks');
		}
		await client.query('UPDATE model SET frozen_version = $2 WHERE id = $1', [modelId, await structureVersion(client, modelId)]);
	});
}

/** The same right after a change of locks, which is done whether or not this succeeds: it is tried again within a minute. */
export async function freezeAfter(modelId: number): Promise<void> {
	await freezeClosed(modelId).catch((error: unknown) => log.error({ err: error, model: modelId }, 'closed results were not frozen'));
}

/** Changes what is locked in a transaction of its own, with the model to itself, and freezes what is closed then. */
export async function changeLocks<Result>(modelId: number, work: (client: pg.PoolClient) => Promise<Result>): Promise<Result> {
	const result = await transaction(async (client) => {
		await lockModel(client, modelId);
		return work(client);
	});
	await freezeAfter(modelId);
	return result;
}

doEveryMinute(async () => {
	const stale = await pool().query<{ id: number }>(STALE);
	for (const { id } of stale.rows) await freezeAfter(id);
});
