import { z } from 'zod';
import { Fault } from '../../fault';
import { insertAs, type KindOfAccess } from './kind';

const schema = z.object({
	dimension: z.int(),
	/** What names people at its members: their owner, their reviewers, or an attribute (id). */
	by: z.union([z.enum(['owner', 'reviewers']), z.int()]),
	level: z.enum(['read', 'write'])
});
export type AttributeGrantState = z.infer<typeof schema>;

/** A grant by attribute: at each member that names somebody, that person may read or write. */
export const attributeGrantKind: KindOfAccess<AttributeGrantState> = {
	schema,
	inModel: true,
	nameOf: ({ by }) => (by === 'owner' ? 'By owner' : by === 'reviewers' ? 'By reviewers' : 'By attribute'),
	async read(client, modelId, id) {
		const found = await client.query<{ dimension: number; field: string; attribute: number | null; level: 'read' | 'write' }>(
			`SELECT dimension_id AS dimension, field, attribute_id AS attribute, level FROM attribute_grant WHERE id = $1 AND model_id = $2 FOR UPDATE`,
			[id, modelId]
		);
		const [grant] = found.rows;
		return grant ? { dimension: grant.dimension, by: grant.attribute ?? (grant.field as 'owner'), level: grant.level } : null;
	},
	async write(client, modelId, id, state) {
		if (!state) {
			await client.query('DELETE FROM attribute_grant WHERE id = $1 AND model_id = $2', [id, modelId]);
			return id!;
		}
		const { dimension, by, level } = state;
		const [field, attribute] = typeof by === 'number' ? ['attribute', by] : [by, null];
		const there = await client.query(
			`SELECT FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $2
			WHERE d.id = $1 AND CASE WHEN $3::integer IS NULL THEN d.kind = 'entity'
				ELSE EXISTS (SELECT FROM attribute a WHERE a.id = $3 AND a.dimension_id = d.id AND a.type = 'person') END`,
			[dimension, modelId, attribute]
		);
		if (there.rowCount === 0)
			throw new Fault(422, 'not there', 'What names people here is not in this model any more. Choose something else.');
		const other = await client.query(
			`SELECT FROM attribute_grant WHERE model_id = $1 AND dimension_id = $2 AND field = $3 AND attribute_id IS NOT DISTINCT FROM $4 AND id IS DISTINCT FROM $5`,
			[modelId, dimension, field, attribute, id]
		);
		if (other.rowCount) throw new Fault(409, 'known', 'This gives something already. Change that instead.');
		const values = { model_id: modelId, dimension_id: dimension, field, attribute_id: attribute, level };
		const updated =
			id === null
				? undefined
				: await client.query(
						'UPDATE attribute_grant SET dimension_id = $3, field = $4, attribute_id = $5, level = $6 WHERE id = $1 AND model_id = $2',
						[id, modelId, dimension, field, attribute, level]
					);
		return id !== null && updated?.rowCount ? id : insertAs(client, 'attribute_grant', id, values);
	},
	words: (before, after) =>
		!before
			? `given, to ${after!.level}`
			: !after
				? 'taken away'
				: before.level !== after.level
					? `from ${before.level} to ${after.level}`
					: 'changed'
};
