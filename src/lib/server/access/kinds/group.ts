import { z } from 'zod';
import { Fault } from '../../fault';
import { insertAs, type KindOfAccess } from './kind';
import { readRolesGiven, rolesGivenSchema, writeRolesGiven } from './roles-given';

const schema = z.object({
	name: z.string().trim().min(1).max(200),
	description: z.string().trim().max(1_000),
	/** People (ids). */
	members: z.array(z.int()).max(20_000),
	roles: rolesGivenSchema
});
export type GroupState = z.infer<typeof schema>;

/** A group of people, and the roles its members have through it. */
export const groupKind: KindOfAccess<GroupState> = {
	schema,
	inModel: false,
	nameOf: ({ name }) => name,
	async read(client, _, id) {
		const found = await client.query<Pick<GroupState, 'name' | 'description'>>(
			'SELECT name, description FROM people_group WHERE id = $1 FOR UPDATE',
			[id]
		);
		if (!found.rows[0]) return null;
		const members = await client.query<{ person: number }>(
			'SELECT person_id AS person FROM people_group_member WHERE group_id = $1 ORDER BY person_id',
			[id]
		);
		return { ...found.rows[0], members: members.rows.map(({ person }) => person), roles: await readRolesGiven(client, { group: id }) };
	},
	async write(client, _, id, state) {
		if (!state) {
			const granted = await client.query<{ name: string }>(
				'SELECT DISTINCT m.name FROM access_grant g JOIN model m ON m.id = g.model_id WHERE g.group_id = $1',
				[id]
			);
			if (granted.rows.length > 0)
				throw new Fault(
					409,
					'in use',
					`The group has grants in ${granted.rows.map(({ name }) => name).join(', ')}. Take them away first, or give them to others.`
				);
			await client.query('DELETE FROM people_group WHERE id = $1', [id]);
			return id!;
		}
		const { name, description, members, roles } = state;
		const same = await client.query('SELECT FROM people_group WHERE lower(name) = lower($1) AND id IS DISTINCT FROM $2', [name, id]);
		if (same.rowCount) throw new Fault(409, 'known', `There is a group called ${name} already.`);
		const updated =
			id === null
				? undefined
				: await client.query('UPDATE people_group SET name = $2, description = $3 WHERE id = $1', [id, name, description]);
		const own = id !== null && updated?.rowCount ? id : await insertAs(client, 'people_group', id, { name, description });
		await client.query('DELETE FROM people_group_member WHERE group_id = $1', [own]);
		await client.query('INSERT INTO people_group_member (group_id, person_id) SELECT $1, id FROM person WHERE id = ANY ($2::integer[])', [
			own,
			members
		]);
		await writeRolesGiven(client, { group: own }, roles);
		return own;
	},
	words: (before, after) => {
		if (!before) return 'made';
		if (!after) return 'deleted';
		const come = after.members.filter((each) => !before.members.includes(each)).length;
		const gone = before.members.filter((each) => !after.members.includes(each)).length;
		const moved = [come > 0 ? `${come} in` : '', gone > 0 ? `${gone} out` : ''].filter(Boolean).join(', ');
		return moved || (JSON.stringify(before.roles) !== JSON.stringify(after.roles) ? 'other roles' : 'changed');
	}
};
