// What people left beside figures: a question with its answer, and a note for the next year.
import type pg from 'pg';
import type { Dimensions, Ids, LoadedDimension } from './dimensions';

export async function loadNotes(
	client: pg.PoolClient,
	modelId: number,
	dimensions: Dimensions,
	periods: LoadedDimension,
	people: Ids
): Promise<void> {
	const place = (account: string, period: string, scenario = 'BUD28') => [
		dimensions.account.ids.get(account),
		dimensions.scenario.ids.get(scenario),
		dimensions.entity.ids.get('SKE'),
		dimensions.department.ids.get('ALLDEP'),
		dimensions.route.ids.get('ALLROUTES'),
		dimensions.version.ids.get('WORK'),
		periods.ids.get(period)
	];
	const write = async (who: string, at: string, where: unknown[], text: string, form: string, thread: number | null = null) => {
		const made = await client.query<{ id: number }>(
			`INSERT INTO note (model_id, place, person_id, at, text, thread, form_id)
			VALUES ($1, $2, $3, $4, $5, $6, (SELECT id FROM form WHERE model_id = $1 AND code = $7)) RETURNING id`,
			[modelId, where, people.get(`${who}@brinewater.example`), at, text, thread, form]
		);
		return made.rows[0]!.id;
	};
	const asked = await write(
		'osric.hale',
		'2026-11-17T14:20:00Z',
		place('CARE', '2028-01'),
		'Does January hold the propeller work? @Tove Brandal',
		'fleet-care'
	);
	await client.query('INSERT INTO note_mention (note_id, person_id) VALUES ($1, $2)', [
		asked,
		people.get('tove.brandal@brinewater.example')
	]);
	await write(
		'imke.solberg',
		'2026-11-18T08:05:00Z',
		place('CARE', '2028-01'),
		'Half of it; the rest is planned for March.',
		'fleet-care',
		asked
	);
	await write(
		'tove.brandal',
		'2025-11-12T10:40:00Z',
		place('TICKET', '2026-07', 'BUD27'),
		'School holidays begin a week later than the year before.',
		'route-contribution'
	);
}
