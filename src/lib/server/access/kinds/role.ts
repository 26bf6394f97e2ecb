import { z } from 'zod';
import { Fault } from '../../fault';
import { isPermission, PERMISSIONS } from '../../session';
import { insertAs, type KindOfAccess } from './kind';

const schema = z.object({
	name: z.string().trim().min(1).max(200),
	description: z.string().trim().max(1_000),
	permissions: z.array(z.enum(PERMISSIONS)).max(100)
});
export type RoleState = z.infer<typeof schema>;

/** A role: a bundle of permissions with a name. */
export const roleKind: KindOfAccess<RoleState> = {
	schema,
	inModel: false,
	nameOf: ({ name }) => name,
	async read(client, _, id) {
		const found = await client.query<Omit<RoleState, 'permissions'>>('SELECT name, description FROM role WHERE id = $1 FOR UPDATE', [id]);
		if (!found.rows[0]) return null;
		const held = await client.query<{ permission: string }>(
			'SELECT permission FROM role_permission WHERE role_id = $1 ORDER BY permission',
			[id]
		);
		return { ...found.rows[0], permissions: held.rows.map(({ permission }) => permission).filter(isPermission) };
	},
	async write(client, _, id, state) {
		if (!state) {
			const used = await client.query<{ count: number; forms: number }>(
				`SELECT (SELECT count(*)::integer FROM role_given WHERE role_id = $1) AS count,
					(SELECT count(*)::integer FROM form WHERE $1 = ANY (roles)) AS forms`,
				[id]
			);
			const { count, forms } = used.rows[0]!;
			if (count > 0)
				throw new Fault(
					409,
					'in use',
					`The role is given to ${count === 1 ? 'one person or group' : `${count} people and groups`}. Take it from them first.`
				);
			if (forms > 0)
				throw new Fault(409, 'in use', `${forms === 1 ? 'A form is' : `${forms} forms are`} for this role. Give them to others first.`);
			await client.query('DELETE FROM role WHERE id = $1', [id]);
			return id!;
		}
		const { name, description, permissions } = state;
		const same = await client.query('SELECT FROM role WHERE lower(name) = lower($1) AND id IS DISTINCT FROM $2', [name, id]);
		if (same.rowCount) throw new Fault(409, 'known', `There is a role called ${name} already.`);
		const updated =
			id === null ? undefined : await client.query('UPDATE role SET name = $2, description = $3 WHERE id = $1', [id, name, description]);
		const own =
			id !== null && updated?.rowCount
				? id
				: await insertAs(client, 'role', id, { code: `role-${crypto.randomUUID().slice(0, 8)}`, name, description });
		await client.query('DELETE FROM role_permission WHERE role_id = $1', [own]);
		await client.query('INSERT INTO role_permission (role_id, permission) SELECT $1, unnest($2::text[])', [own, [...new Set(permissions)]]);
		return own;
	},
	words: (before, after) => {
		if (!before) return 'made';
		if (!after) return 'deleted';
		const more = after.permissions.filter((each) => !before.permissions.includes(each)).length;
		const less = before.permissions.filter((each) => !after.permissions.includes(each)).length;
		return more + less === 0 ? 'changed' : `${more} permissions more, ${less} less`;
	}
};
