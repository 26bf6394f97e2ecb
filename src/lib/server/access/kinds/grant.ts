import { z } from 'zod';
import { Fault } from '../../fault';
import { refuseAlternateGroups } from '../rules';
import { insertAs, type KindOfAccess } from './kind';

const schema = z.object({
	holder: z.union([z.object({ person: z.int() }), z.object({ group: z.int() })]),
	name: z.string().trim().min(1).max(200),
	level: z.enum(['read', 'write', 'none']),
	/** Members (ids): of each dimension that is named one of them, or what is under it; of the others, all. */
	members: z.array(z.int()).max(5_000)
});
export type GrantState = z.infer<typeof schema>;

/** A grant: what a person or a group may read or write in a model, or is kept out of. */
export const grantKind: KindOfAccess<GrantState> = {
	schema,
	inModel: true,
	nameOf: ({ name }) => name,
	async read(client, modelId, id) {
		const found = await client.query<{ person: number | null; group: number | null; name: string; level: GrantState['level'] }>(
			'SELECT person_id AS person, group_id AS "group", name, level FROM access_grant WHERE id = $1 AND model_id = $2 FOR UPDATE',
			[id, modelId]
		);
		const grant = found.rows[0];
		if (!grant) return null;
		const members = await client.query<{ member: number }>(
			'SELECT member_id AS member FROM access_grant_member WHERE grant_id = $1 ORDER BY member_id',
			[id]
		);
		const { person, group, name, level } = grant;
		return { holder: person === null ? { group: group! } : { person }, name, level, members: members.rows.map(({ member }) => member) };
	},
	async write(client, modelId, id, state) {
		if (!state) {
			await client.query('DELETE FROM access_grant WHERE id = $1 AND model_id = $2', [id, modelId]);
			return id!;
		}
		const { holder, name, level, members } = state;
		const [person, group] = 'person' in holder ? [holder.person, null] : [null, holder.group];
		const there = await client.query(person === null ? 'SELECT FROM people_group WHERE id = $1' : 'SELECT FROM person WHERE id = $1', [
			person ?? group
		]);
		if (there.rowCount === 0) throw new Fault(422, 'not there', 'Whoever this is for is not there any more. Choose again.');
		const foreign = await client.query(
			`SELECT FROM unnest($1::integer[]) AS x (id) WHERE NOT EXISTS (SELECT FROM member m
				JOIN model_dimension d ON d.dimension_id = m.dimension_id AND d.model_id = $2 WHERE m.id = x.id) LIMIT 1`,
			[members, modelId]
		);
		if (foreign.rowCount) throw new Fault(422, 'not there', 'A member of this grant is not in this model any more. Choose again.');
		await refuseAlternateGroups(client, 'The grant', members);
		const updated =
			id === null
				? undefined
				: await client.query(
						'UPDATE access_grant SET person_id = $3, group_id = $4, name = $5, level = $6 WHERE id = $1 AND model_id = $2',
						[id, modelId, person, group, name, level]
					);
		const own =
			id !== null && updated?.rowCount
				? id
				: await insertAs(client, 'access_grant', id, { model_id: modelId, person_id: person, group_id: group, name, level });
		await client.query('DELETE FROM access_grant_member WHERE grant_id = $1', [own]);
		await client.query('INSERT INTO access_grant_member (grant_id, member_id) SELECT DISTINCT $1::integer, unnest($2::integer[])', [
			own,
			members
		]);
		return own;
	},
	async same(client, modelId, { holder, name, level, members }) {
		const found = await client.query<{ id: number }>(
			`SELECT g.id FROM access_grant g WHERE g.model_id = $1 AND g.person_id IS NOT DISTINCT FROM $2 AND g.group_id IS NOT DISTINCT FROM $3
				AND g.name = $4 AND g.level = $5
				AND $6::integer[] = coalesce((SELECT array_agg(x.member_id ORDER BY x.member_id) FROM access_grant_member x WHERE x.grant_id = g.id), '{}') LIMIT 1`,
			[
				modelId,
				'person' in holder ? holder.person : null,
				'group' in holder ? holder.group : null,
				name,
				level,
				[...new Set(members)].sort((one, other) => one - other)
			]
		);
		return found.rows[0]?.id;
	},
	words: (before, after) =>
		!before
			? `given, to ${after!.level === 'none' ? 'keep out' : after!.level}`
			: !after
				? 'taken away'
				: before.level !== after.level
					? `from ${before.level} to ${after.level}`
					: 'changed'
};
