// Groups of people, and what one model guards: what posts earn is read by who plans them and by those who look after all.
import type pg from 'pg';
import { insertId, type Ids, type LoadedDimension } from './dimensions';

const GROUPS = [
	{ name: 'Reviewers', description: 'Look at what planners submit', people: ['runa.eskild', 'caspar.dene'] },
	{ name: 'Auditors', description: 'Read everything, change nothing', people: ['vera.lindmoor'] }
];

/** @param guarded the model (id) of posts, and its lines */
export async function loadGroups(client: pg.PoolClient, people: Ids, guarded: { model: number; lines: LoadedDimension }): Promise<void> {
	await client.query('INSERT INTO guarded_dimension (model_id, dimension_id) VALUES ($1, $2)', [guarded.model, guarded.lines.id]);
	for (const { name, description, people: members } of GROUPS) {
		const group = await insertId(client, 'INSERT INTO people_group (name, description) VALUES ($1, $2) RETURNING id', [name, description]);
		await client.query('INSERT INTO people_group_member (group_id, person_id) SELECT $1, unnest($2::integer[])', [
			group,
			members.map((member) => people.get(`${member}@brinewater.example`))
		]);
		await client.query("INSERT INTO access_grant (model_id, group_id, name, level) VALUES ($1, $2, 'All lines', 'read')", [
			guarded.model,
			group
		]);
	}
}
