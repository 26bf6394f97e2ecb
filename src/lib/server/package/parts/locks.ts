import type pg from 'pg';
import { refuseAlternateGroups } from '../../access';
import type { ModelPackage } from '../../definition/package-format';
import type { Part } from './part';

type PackedLock = ModelPackage['locks'][number];

async function drop(client: pg.PoolClient, modelId: number, { name }: PackedLock): Promise<number> {
	const gone = await client.query<{ id: number }>('DELETE FROM access_lock WHERE model_id = $1 AND name = $2 RETURNING id', [
		modelId,
		name
	]);
	return gone.rows[0]?.id ?? 0;
}

export const locksPart: Part<PackedLock> = {
	what: 'lock',
	items: ({ locks }) => locks,
	nameOf: ({ name }) => name,
	async put({ client, modelId, memberOf }, packed, isNew) {
		const { name, layer, state, members } = packed;
		const locked = members.map(memberOf);
		await refuseAlternateGroups(client, `The lock ${name}`, locked);
		if (!isNew) await drop(client, modelId, packed);
		const lock = await client.query<{ id: number }>(
			'INSERT INTO access_lock (model_id, layer, state, name) VALUES ($1, $2, $3, $4) RETURNING id',
			[modelId, layer, state, name]
		);
		const { id } = lock.rows[0]!;
		await client.query('INSERT INTO access_lock_member (lock_id, member_id) SELECT $1, unnest($2::integer[])', [id, locked]);
		return { kind: 'lock', id };
	},
	async remove({ client, modelId }, packed) {
		return { kind: 'lock', id: await drop(client, modelId, packed) };
	}
};
