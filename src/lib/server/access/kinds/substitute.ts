import { z } from 'zod';
import { Fault } from '../../fault';
import { insertAs, type KindOfAccess } from './kind';

const day = z.iso.date();
const schema = z
	.object({
		/** Who is away, and who stands in for them (ids). */
		person: z.int(),
		substitute: z.int(),
		/** Both days included. */
		from: day,
		until: day
	})
	.refine(({ from, until }) => from <= until, { error: 'is before the first day', path: ['until'] })
	.refine(({ person, substitute }) => person !== substitute, { error: 'is the same person', path: ['substitute'] });
export type SubstituteState = z.infer<typeof schema>;

/** Who stands in for somebody while they are away. */
export const substituteKind: KindOfAccess<SubstituteState> = {
	schema,
	inModel: false,
	ownBy: ({ person }) => person,
	nameOf: () => 'Substitute',
	async read(client, _, id) {
		const found = await client.query<SubstituteState>(
			`SELECT person_id AS person, substitute_id AS substitute, from_date::text AS from, until_date::text AS until
			FROM substitute WHERE id = $1 FOR UPDATE`,
			[id]
		);
		return found.rows[0] ?? null;
	},
	async write(client, _, id, state) {
		if (!state) {
			await client.query('DELETE FROM substitute WHERE id = $1', [id]);
			return id!;
		}
		const there = await client.query('SELECT FROM person WHERE active AND id IN ($1, $2)', [state.person, state.substitute]);
		if (there.rowCount !== 2) throw new Fault(422, 'not there', 'Whoever is named here is not active. Choose somebody else.');
		const values = { person_id: state.person, substitute_id: state.substitute, from_date: state.from, until_date: state.until };
		const updated =
			id === null
				? undefined
				: await client.query('UPDATE substitute SET person_id = $2, substitute_id = $3, from_date = $4, until_date = $5 WHERE id = $1', [
						id,
						...Object.values(values)
					]);
		return id !== null && updated?.rowCount ? id : insertAs(client, 'substitute', id, values);
	},
	words: (before, after) => (!before ? `named, ${after!.from} to ${after!.until}` : !after ? 'no longer named' : 'changed')
};
