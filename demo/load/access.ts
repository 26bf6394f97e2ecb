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
	const keeper = people.get('osric.hale@brinewater.example') ?? null;
	const lock = async (layer: string, state: string, name: string, members: (number | undefined)[], reason = '') => {
		const id = await insertId(
			client,
			'INSERT INTO access_lock (model_id, layer, state, name, reason, set_by, set_at) VALUES ($1, $2, $3, $4, $5, $6, now()) RETURNING id',
			[modelId, layer, state, name, reason, keeper]
		);
		await client.query('INSERT INTO access_lock_member (lock_id, member_id) SELECT $1, unnest($2::integer[])', [id, members]);
		return id;
	};
	await lock('board', 'closed', 'The final version', [
		dimensions.version.ids.get('FINAL'),
		...SCENARIOS.filter(({ code }) => code !== 'ACT').map(({ code }) => dimensions.scenario.ids.get(code))
	]);
	await lock('board', 'closed', 'Harbour dues of the budget, agreed with the ports', [
		dimensions.scenario.ids.get('BUD28'),
		dimensions.account.ids.get('6020')
	]);
	await client.query(
		'INSERT INTO lock_dimension (model_id, dimension_id, position) SELECT $1, d, p FROM unnest($2::integer[]) WITH ORDINALITY AS x (d, p)',
		[modelId, [dimensions.scenario.id, dimensions.entity.id, dimensions.department.id, periods.id]]
	);
	// The stretch plan of the group's services is done; fleet care still talks about winter docking.
	const stretch = dimensions.scenario.ids.get('STR');
	const [services, care] = [dimensions.entity.ids.get('SVC'), dimensions.department.ids.get('FC')];
	await lock('board', 'closed', 'Stretch plan FY2028–29, Group services', [stretch, services]);
	await lock(
		'board',
		'open',
		'Stretch plan FY2028–29, Group services, Fleet care',
		[stretch, services, care],
		'winter docking is still in talks'
	);
	const terminals = dimensions.department.ids.get('TM');
	const north = dimensions.entity.ids.get('NOR');
	for (const quarter of ['FY2028-Q3', 'FY2028-Q4']) {
		const held = await lock(
			'board',
			'held',
			`Stretch plan FY2028–29, Northgate Line, Terminals, ${quarter.replace(/(FY\d+)-(Q\d)/, '$2 $1')}`,
			[stretch, north, terminals, periods.ids.get(quarter)],
			'landing fees still in talks'
		);
		await client.query("INSERT INTO access_lock_writer (lock_id, dimension_id, field) VALUES ($1, $2, 'owner')", [
			held,
			dimensions.entity.id
		]);
	}
	await lock('period close', 'closed', 'Actual to August 2026', [
		dimensions.scenario.ids.get('ACT'),
		...['FY2025', 'FY2026', 'FY2027-Q1', '2026-07', '2026-08'].map((code) => periods.ids.get(code))
	]);
}
