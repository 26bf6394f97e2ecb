import { pool } from '../database';
import { doEveryMinute } from '../jobs';
import { changeLocks } from './freeze';
import { readRecords, writeLocks, type LockRecord } from './record';

/** Locks whose day has come become what they were to become, with a line in the history. @returns how many did */
export async function turnDueLocks(): Promise<number> {
	const due = await pool().query<{ model: number; layer: 'board'; locks: number[] }>(
		'SELECT model_id AS model, layer, array_agg(id) AS locks FROM access_lock WHERE turns_on <= current_date GROUP BY model_id, layer'
	);
	let turned = 0;
	for (const { model, layer, locks } of due.rows)
		turned += await changeLocks(model, async (client) => {
			// Another server may have been quicker, or somebody may have set them anew.
			const found = (await readRecords(client, model, layer, locks)).filter(({ turns }) => turns !== null);
			if (found.length === 0) return 0;
			const comes = found.map(({ id: _, ...lock }): LockRecord => ({
				...lock,
				state: lock.turns!.to,
				turns: null,
				writers: lock.turns!.to === 'held' ? lock.writers : []
			}));
			await writeLocks(client, model, {
				layer,
				person: null,
				words:
					found.length === 1 ? `${found[0]!.name}: ${comes[0]!.state}, as its day has come` : `${found.length} states whose day has come`,
				reason: '',
				goes: found.map(({ id }) => id),
				comes
			});
			return found.length;
		});
	return turned;
}

doEveryMinute(async () => void (await turnDueLocks()));
