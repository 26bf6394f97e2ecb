// A round of planning that is under way: submissions in all states, one late, one returned with a note.
import type pg from 'pg';
import { lockOfUnit } from '../../src/lib/core';
import { saveRound, startRound } from '../../src/lib/server/cycle/rounds';
import type { RoundSettings } from '../../src/lib/server/cycle/settings';
import { transaction } from '../../src/lib/server/database';
import { countUpStructure } from '../../src/lib/server/database/structure-version';
import { personById } from '../../src/lib/server/session';
import type { Ids } from './dimensions';

interface Placed {
	line: string;
	department: string;
	state: 'in progress' | 'submitted' | 'returned' | 'approved';
	/** Who did what, how many days ago, with what note. */
	moves: readonly (readonly [move: string, state: string, who: string, daysAgo: number, note?: string])[];
	/** Days from today on which it is due, where that is not as of the others. */
	due?: number;
}

const [IMKE, TOVE, LIDIA, RUNA] = ['imke.solberg', 'tove.brandal', 'lidia.marne', 'runa.eskild'];

/** Departments that plan, by line; the others of a line are no units. */
const UNITS: Readonly<Record<string, readonly string[]>> = {
	NOR: ['DK', 'TM', 'BK'],
	SKE: ['DK', 'SH', 'TM'],
	AMB: ['DK', 'BK'],
	SVC: ['FC', 'AD']
};

const PLACED: readonly Placed[] = [
	{
		line: 'NOR',
		department: 'DK',
		state: 'approved',
		moves: [
			['begin', 'in progress', IMKE!, 20],
			['submit', 'submitted', IMKE!, 8, 'Two crews as before; the winter timetable is in.'],
			['approve', 'approved', RUNA!, 6]
		]
	},
	{
		line: 'NOR',
		department: 'TM',
		state: 'in progress',
		moves: [['begin', 'in progress', IMKE!, 5]]
	},
	{
		line: 'SKE',
		department: 'DK',
		state: 'submitted',
		moves: [
			['begin', 'in progress', TOVE!, 14],
			['submit', 'submitted', TOVE!, 2, 'Overtime follows the sailings of the outlook.']
		]
	},
	{
		line: 'SKE',
		department: 'SH',
		state: 'returned',
		moves: [
			['begin', 'in progress', TOVE!, 12],
			['submit', 'submitted', TOVE!, 5],
			['return', 'returned', RUNA!, 4, 'Cabins look like last year’s. Two sailings fewer in winter: please say why shop revenue holds.']
		]
	},
	{
		line: 'AMB',
		department: 'DK',
		state: 'submitted',
		moves: [
			['begin', 'in progress', LIDIA!, 9],
			['submit', 'submitted', LIDIA!, 1]
		]
	}
];
/** Not begun, and its day has passed. */
const LATE = { line: 'AMB', department: 'BK', daysLate: 4 };

export async function loadRound(
	database: pg.Pool,
	modelId: number,
	people: Ids,
	{ entity, department, scenario, periods }: Record<'entity' | 'department' | 'scenario' | 'periods', { id: number; ids: Ids }>
): Promise<void> {
	const who = (name: string) => people.get(`${name}@brinewater.example`)!;
	const leader = await personById(who('osric.hale'), modelId);
	const day = (days: number) => new Date(Date.now() + days * 86_400_000).toISOString().slice(0, 10);
	const leaveOut = Object.keys(UNITS).flatMap((line) =>
		[...department.ids].flatMap(([code, id]) => (UNITS[line]!.includes(code) ? [] : [`${entity.ids.get(line)} ${id}`]))
	);
	const forms = await database.query<{ id: number }>(
		"SELECT id FROM form WHERE model_id = $1 AND code IN ('crew-and-terminal-pay', 'route-contribution')",
		[modelId]
	);
	const checked = await database.query<{ id: number }>("SELECT id FROM form WHERE model_id = $1 AND code = 'net-assets'", [modelId]);
	const settings: RoundSettings = {
		dimensions: [entity.id, department.id],
		leaveOut,
		owners: [{ dimension: entity.id, by: 'owner' }],
		reviews: [[{ dimension: entity.id, by: 'reviewers' }]],
		named: [
			{ unit: `${entity.ids.get('GROUP')}`, owner: who('osric.hale'), reviewers: [who('maren.kvist')] },
			{ unit: `${entity.ids.get('SVC')} ${department.ids.get('FC')}`, owner: who('piet.harrow'), reviewers: [] }
		],
		due: [
			{ depth: 0, on: day(14) },
			{ depth: 1, on: day(9) },
			{ depth: 2, on: day(5) }
		],
		remind: 2,
		snapshots: 'never',
		forms: forms.rows.map(({ id }) => id),
		alsoChecked: checked.rows.map(({ id }) => id),
		checks: 'warn',
		compared: scenario.ids.get('BUD28')!,
		instructions: 'Plan what the line would do with a second winter vessel. Say in the note of your submission what you assumed.'
	};
	const { id } = await saveRound(leader, modelId, {
		id: null,
		version: 0,
		name: 'Stretch plan, first round',
		scenario: scenario.ids.get('STR')!,
		from: periods.ids.get('2027-04')!,
		to: periods.ids.get('2028-03')!,
		settings
	});
	await startRound(leader, modelId, { id });
	await transaction(async (client) => {
		await client.query("UPDATE round SET started_at = now() - interval '24 days' WHERE id = $1", [id]);
		await client.query(
			"UPDATE unit_move SET at = now() - interval '24 days' WHERE unit_id IN (SELECT id FROM cycle_unit WHERE round_id = $1)",
			[id]
		);
		const unitOf = async (line: string, of: string) =>
			(
				await client.query<{ id: number; parent: number; lock: number }>(
					'SELECT id, parent_id AS parent, lock_id AS lock FROM cycle_unit WHERE round_id = $1 AND members = $2',
					[id, [entity.ids.get(line), department.ids.get(of)]]
				)
			).rows[0]!;
		for (const { line, department: of, state, moves } of PLACED) {
			const unit = await unitOf(line, of);
			await client.query('UPDATE cycle_unit SET state = $2, moved_at = now() WHERE id = $1', [unit.id, state]);
			await client.query(
				`UPDATE cycle_unit SET state = 'in progress' WHERE round_id = $1 AND state = 'not started'
					AND (id = $2 OR id = (SELECT parent_id FROM cycle_unit WHERE id = $2))`,
				[id, unit.parent]
			);
			for (const [move, to, by, daysAgo, note = ''] of moves)
				await client.query(
					`INSERT INTO unit_move (unit_id, at, person_id, move, state, note) VALUES ($1, now() - $2 * interval '1 day', $3, $4, $5, $6)`,
					[unit.id, daysAgo, who(by), move, to, note]
				);
			const locked = lockOfUnit(state);
			await client.query("UPDATE access_lock SET state = $2, name = regexp_replace(name, ': .*$', ': ' || $3) WHERE id = $1", [
				unit.lock,
				locked,
				state
			]);
			if (locked === 'held')
				await client.query(
					'INSERT INTO access_lock_writer (lock_id, person_id) SELECT $1, person_id FROM unit_reviewer WHERE unit_id = $2',
					[unit.lock, unit.id]
				);
		}
		const late = await unitOf(LATE.line, LATE.department);
		await client.query('UPDATE cycle_unit SET due = current_date - $2::integer, reminded = true WHERE id = $1', [late.id, LATE.daysLate]);
		await countUpStructure(client, [modelId], 'locks');
	}, database);
}

/** Who owns the lines, and who reviews them. */
export async function loadOwners(client: pg.PoolClient, entities: Ids, people: Ids): Promise<void> {
	const who = (name: string) => people.get(`${name}@brinewater.example`)!;
	const owners = { NOR: IMKE!, SKE: TOVE!, AMB: LIDIA!, SVC: 'osric.hale' };
	const reviewers = { NOR: RUNA!, SKE: RUNA!, AMB: RUNA!, SVC: 'caspar.dene' };
	for (const [code, owner] of Object.entries(owners))
		await client.query('UPDATE entity SET owner_id = $2 WHERE member_id = $1', [entities.get(code), who(owner)]);
	for (const [code, reviewer] of Object.entries(reviewers))
		await client.query('INSERT INTO entity_reviewer (member_id, person_id) VALUES ($1, $2) ON CONFLICT DO NOTHING', [
			entities.get(code),
			who(reviewer)
		]);
}
