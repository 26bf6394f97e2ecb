import { z } from 'zod';
import { Fault } from '../../fault';
import type { KindOfAccess } from './kind';

const schema = z.object({ dimensions: z.array(z.int()).max(40) });
export type GuardedState = z.infer<typeof schema>;

/** The dimensions on which a model restricts reading; its object is the model. */
export const guardedKind: KindOfAccess<GuardedState> = {
	schema,
	inModel: true,
	nameOf: () => 'Guarded dimensions',
	async read(client, modelId, id) {
		if (id !== modelId) return null;
		await client.query('SELECT FROM model WHERE id = $1 FOR UPDATE', [modelId]);
		const found = await client.query<{ dimension: number }>(
			'SELECT dimension_id AS dimension FROM guarded_dimension WHERE model_id = $1 ORDER BY dimension_id',
			[modelId]
		);
		return { dimensions: found.rows.map(({ dimension }) => dimension) };
	},
	async write(client, modelId, _, state) {
		await client.query('DELETE FROM guarded_dimension WHERE model_id = $1', [modelId]);
		const dimensions = [...new Set(state?.dimensions ?? [])];
		const made = await client.query(
			`INSERT INTO guarded_dimension (model_id, dimension_id) SELECT $1, d.id FROM dimension d
			JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 WHERE d.id = ANY ($2::integer[]) AND d.kind <> 'period'`,
			[modelId, dimensions]
		);
		if (made.rowCount !== dimensions.length)
			throw new Fault(422, 'not there', 'A dimension named here is not in this model, or is its periods, which guard nothing.');
		return modelId;
	},
	words: (before, after) => `${before?.dimensions.length ?? 0} before, ${after?.dimensions.length ?? 0} now`
};
