import { z } from 'zod';
import { countUpStructure } from '../database/structure-version';
import { Fault } from '../fault';
import { changeLocks } from '../locks';
import { requirePermission, type SignedIn } from '../session';
import { readRound } from './rounds';

export const endSchema = z.object({ id: z.int(), closes: z.boolean() });

/** Ends a round: what is approved stays closed, what is not becomes closed too unless it is let go. */
export async function endRound(
	person: SignedIn | undefined,
	modelId: number,
	{ id, closes }: { id: number; closes: boolean }
): Promise<void> {
	const writer = requirePermission(person, 'cycle.write');
	await changeLocks(modelId, async (client) => {
		const round = await readRound(client, modelId, id, true);
		if (round.state !== 'running') throw new Fault(409, 'not running', 'This round does not run.');
		const locks = 'SELECT u.lock_id FROM cycle_unit u WHERE u.round_id = $1 AND u.lock_id IS NOT NULL';
		if (closes) {
			await client.query(
				`UPDATE access_lock l SET state = 'closed', name = $2 || ', ' || u.name || ': the round has ended', set_by = $3, set_at = now()
				FROM cycle_unit u WHERE u.round_id = $1 AND u.lock_id = l.id AND l.state <> 'closed'`,
				[id, round.name, writer.id]
			);
			await client.query(`DELETE FROM access_lock_writer WHERE lock_id IN (${locks})`, [id]);
		} else await client.query(`DELETE FROM access_lock WHERE id IN (${locks}) AND state <> 'closed'`, [id]);
		await client.query("UPDATE round SET state = 'ended', ended_at = now(), version = version + 1 WHERE id = $1", [id]);
		await countUpStructure(client, [modelId], 'locks');
	});
}
