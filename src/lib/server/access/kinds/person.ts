import { z } from 'zod';
import { Fault } from '../../fault';
import { insertAs, type KindOfAccess } from './kind';
import { readRolesGiven, rolesGivenSchema, writeRolesGiven } from './roles-given';

const schema = z.object({
	email: z
		.string()
		.trim()
		.toLowerCase()
		.max(200)
		.regex(/^[^\s@]+@[^\s@]+$/, 'is no e-mail address'),
	name: z.string().trim().min(1).max(200),
	title: z.string().trim().max(200),
	/** Who is not active signs in nowhere and is never deleted: what they did stays theirs. */
	active: z.boolean(),
	roles: rolesGivenSchema
});
export type PersonState = z.infer<typeof schema>;

/** A person: who they are, and the roles given to them by themselves. */
export const personKind: KindOfAccess<PersonState> = {
	schema,
	inModel: false,
	nameOf: ({ name }) => name,
	async read(client, _, id) {
		const found = await client.query<Omit<PersonState, 'roles'>>('SELECT email, name, title, active FROM person WHERE id = $1 FOR UPDATE', [
			id
		]);
		return found.rows[0] ? { ...found.rows[0], roles: await readRolesGiven(client, { person: id }) } : null;
	},
	async write(client, _, id, state) {
		if (!state) {
			// Taking an invitation back: whoever has been here since stays.
			const gone = await client.query(
				'DELETE FROM person p WHERE id = $1 AND password_hash IS NULL AND NOT EXISTS (SELECT FROM change_set c WHERE c.person_id = p.id)',
				[id]
			);
			if (gone.rowCount === 0)
				throw new Fault(409, 'has been here', 'This person has signed in since. Deactivate them instead: what they did stays theirs.');
			return id!;
		}
		const { roles, ...facts } = state;
		const same = await client.query('SELECT FROM person WHERE lower(email) = $1 AND id IS DISTINCT FROM $2', [facts.email, id]);
		if (same.rowCount) throw new Fault(409, 'known', `There is somebody with the address ${facts.email} already.`);
		const updated =
			id === null
				? undefined
				: await client.query('UPDATE person SET email = $2, name = $3, title = $4, active = $5 WHERE id = $1', [
						id,
						facts.email,
						facts.name,
						facts.title,
						facts.active
					]);
		const own = id !== null && updated?.rowCount ? id : await insertAs(client, 'person', id, facts);
		if (!facts.active) await client.query('DELETE FROM session WHERE person_id = $1', [own]);
		await writeRolesGiven(client, { person: own }, roles);
		return own;
	},
	words: (before, after) =>
		!before
			? 'invited'
			: !after
				? 'taken off the list'
				: before.active !== after.active
					? after.active
						? 'activated'
						: 'deactivated'
					: JSON.stringify(before.roles) !== JSON.stringify(after.roles)
						? 'other roles'
						: 'changed'
};
