/** Locks guard definitions too: what would move closed figures needs a permission and a reason. */
import type pg from 'pg';
import { pool } from '../database';
import { readModelDefinition } from '../database/definitions';
import { writeFrozen } from '../database/frozen-results';
import { modelVersions } from '../database/structure-version';
import { askRunner, type ClosedLine } from '../engine';
import { Fault } from '../fault';
import { restatingNow } from '../restating';
import { writeLocks } from './record';

/**
 * Looks whether what a transaction has changed so far would move closed figures of a model.
 * @throws Fault 403 to who may not restate, 409 with the figures where no reason was said yet
 */
export async function guardClosed(client: pg.PoolClient, modelId: number, words: string): Promise<void> {
	const asked = restatingNow();
	if (!asked) return;
	const closed = await client.query("SELECT FROM access_lock WHERE model_id = $1 AND state = 'closed' LIMIT 1", [modelId]);
	if (closed.rowCount === 0) return;
	const definition = await readModelDefinition(client, modelId);
	if (!definition) return;
	// As it stands for everybody else: the engine compares with that, and has to have come so far.
	const versions = await modelVersions(pool(), modelId);
	const { lines, count, frozen } = await askRunner(modelId, 'closedMoved', { ...versions, definition });
	if (count === 0) return;
	const told = `${count === 1 ? 'One closed figure' : `${count} closed figures`} would move: ${inWords(lines[0]!)}${count > 1 ? ' and others' : ''}.`;
	if (!asked.may) throw new Fault(403, 'closed', `${told} Ask somebody who may restate closed figures.`, { lines });
	if (asked.reason === null) throw new Fault(409, 'restates', told, { lines, count });
	await writeLocks(client, modelId, {
		layer: 'board',
		person: asked.person,
		words: `Restated: ${words} (${count === 1 ? 'one figure' : `${count} figures`}; ${inWords(lines[0]!)})`,
		reason: asked.reason,
		goes: [],
		comes: []
	});
	if (frozen) await writeFrozen(client, modelId, frozen);
	// A formula that is new there has nothing frozen yet.
	await client.query('UPDATE model SET frozen_version = 0 WHERE id = $1', [modelId]);
}

const inWords = ({ account, where, scenario, period, before, after }: ClosedLine): string =>
	`${[account, where, scenario, period].filter(Boolean).join(', ')}: ${before === null ? 'nothing' : Math.round(before)} → ${after === null ? 'nothing' : Math.round(after)}`;
