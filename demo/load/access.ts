// Grants and locks.
import type pg from 'pg';
import { demoPeople } from '../people.mjs';
import { SCENARIOS } from '../structure';
import { insertId, type Dimensions, type Ids, type LoadedDimension } from './dimensions';

export async function loadAccess(
	client: pg.PoolClient,
	modelId: number,
	dimensions: Dimensions,
	periods: LoadedDimension,
	people: Ids
): Promise<void> {
	for (const person of demoPeople)
		for (const grant of person.grants) {
			const id = await insertId(
				client,
				"INSERT INTO access_grant (model_id, person_id, name, level) VALUES ($1, $2, $3, 'write') RETURNING id",
				[modelId, people.get(person.email), grant.name]
			);
			const members = [
				...(grant.entity ?? []).map((code) => dimensions.entity.ids.get(code)),
				...(grant.department ?? []).map((code) => dimensions.department.ids.get(code))
			];
			await client.query('INSERT INTO access_grant_member (grant_id, member_id) SELECT $1, unnest($2::integer[])', [id, members]);
		}
	const lock = async (layer: string, state: string, name: string, members: (number | undefined)[]) => {
		const id = await insertId(client, 'INSERT INTO access_lock (model_id, layer, state, name) VALUES ($1, $2, $3, $4) RETURNING id', [
			modelId,
			layer,
			state,
			name
		]);
		await client.query('INSERT INTO access_lock_member (lock_id, member_id) SELECT $1, unnest($2::integer[])', [id, members]);
	};
	await lock('board', 'closed', 'The final version', [
		dimensions.version.ids.get('FINAL'),
		...SCENARIOS.filter(({ code }) => code !== 'ACT').map(({ code }) => dimensions.scenario.ids.get(code))
	]);
	await lock('board', 'closed', 'Harbour dues of the budget, agreed with the ports', [
		dimensions.scenario.ids.get('BUD28'),
		dimensions.account.ids.get('6020')
	]);
	await lock('period close', 'closed', 'Actual to August 2026', [
		dimensions.scenario.ids.get('ACT'),
		...['FY2025', 'FY2026', 'FY2027-Q1', '2026-07', '2026-08'].map((code) => periods.ids.get(code))
	]);
}
