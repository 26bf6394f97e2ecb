import { VIEW_PREFIX } from '../../../core';
import type { PackedView } from '../../definition/package-format';
import { notFound } from '../../fault';
import type { Scene } from '../scene';
import { layoutHere } from './forms';
import type { Part } from './part';

/** Shared views of the explorer, by name: a new one is whose package it is. */
export const viewsPart: Part<PackedView> = {
	what: 'view',
	items: ({ views }) => views,
	nameOf: ({ name }) => name,
	async put(scene, packed, isNew) {
		const { client, modelId, person } = scene;
		const layout = JSON.stringify(await layoutHere(scene, packed));
		if (isNew) {
			const made = await client.query<{ id: number }>(
				`WITH made AS (SELECT nextval(pg_get_serial_sequence('form', 'id'))::integer AS id)
				INSERT INTO form (id, model_id, code, name, folder, description, layout, owner_id, kept, shared)
				OVERRIDING SYSTEM VALUE SELECT id, $1, $2 || id, $3, '', $4, $5, $6, true, true FROM made RETURNING id`,
				[modelId, VIEW_PREFIX, packed.name, packed.description, layout, person.id]
			);
			return { kind: 'view', id: made.rows[0]!.id };
		}
		const id = await idOf(scene, packed.name);
		await client.query('UPDATE form SET layout = $2, description = $3, version = version + 1, changed_at = now() WHERE id = $1', [
			id,
			layout,
			packed.description
		]);
		return { kind: 'view', id };
	},
	async remove(scene, { name }) {
		const id = await idOf(scene, name);
		await scene.client.query('DELETE FROM form WHERE id = $1', [id]);
		return { kind: 'view', id };
	}
};

async function idOf({ client, modelId }: Scene, name: string): Promise<number> {
	const found = await client.query<{ id: number }>(
		'SELECT id FROM form WHERE model_id = $1 AND owner_id IS NOT NULL AND kept AND shared AND name = $2 ORDER BY id LIMIT 1 FOR UPDATE',
		[modelId, name]
	);
	if (!found.rows[0]) throw notFound('view');
	return found.rows[0].id;
}
