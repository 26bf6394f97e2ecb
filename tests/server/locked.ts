import { transaction } from '../../src/lib/server/database';
import { countUpStructure } from '../../src/lib/server/database/structure-version';
import type { Lock } from '../../src/lib/core';

/**
 * Puts a lock past everything that checks who may: for tests of what it keeps still.
 * @param members ids; none for everything
 * @returns what takes it away again
 */
export async function putLock(
	modelId: number,
	{ layer = 'board', state = 'closed', name }: Partial<Pick<Lock, 'layer' | 'state'>> & { name: string },
	members: readonly number[] = []
): Promise<() => Promise<void>> {
	const id = await transaction(async (client) => {
		const made = await client.query<{ id: number }>(
			'INSERT INTO access_lock (model_id, layer, state, name) VALUES ($1, $2, $3, $4) RETURNING id',
			[modelId, layer, state, name]
		);
		await client.query('INSERT INTO access_lock_member (lock_id, member_id) SELECT $1, unnest($2::integer[])', [made.rows[0]!.id, members]);
		await countUpStructure(client, [modelId], 'locks');
		return made.rows[0]!.id;
	});
	return () =>
		transaction(async (client) => {
			await client.query('DELETE FROM access_lock WHERE id = $1', [id]);
			await countUpStructure(client, [modelId], 'locks');
		});
}
