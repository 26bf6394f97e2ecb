import type pg from 'pg';
import { UnitTree, type CycleUnit } from '../../core';
import { actingNow } from '../acting';

/**
 * Notes that work has begun on the units of running rounds in which something was saved, and on those above them.
 * @param addresses of what was saved: members (ids) of each
 */
export async function noteBegun(
	client: pg.PoolClient,
	modelId: number,
	person: number,
	addresses: readonly (readonly number[])[]
): Promise<void> {
	const waiting = await client.query<{ round: number; scenario: number }>(
		`SELECT r.id AS round, r.scenario_id AS scenario FROM round r WHERE r.model_id = $1 AND r.state = 'running'
			AND EXISTS (SELECT FROM cycle_unit u WHERE u.round_id = r.id AND u.state = 'not started')`,
		[modelId]
	);
	for (const { round, scenario } of waiting.rows) {
		const members = new Set(addresses.filter((address) => address.includes(scenario)).flat());
		if (members.size === 0) continue;
		const lines = await client.query<{ id: number; line: number[] }>(
			`WITH RECURSIVE line AS (
				SELECT x.id, x.id AS at FROM unnest($1::integer[]) AS x (id)
				UNION SELECT l.id, n.parent_id FROM line l JOIN hierarchy_node n ON n.member_id = l.at AND n.parent_id IS NOT NULL JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main
			) SELECT id, array_agg(at) AS line FROM line GROUP BY id`,
			[[...members]]
		);
		const above = new Map(lines.rows.map(({ id, line }) => [id, line]));
		const units = (
			await client.query<CycleUnit & { members: number[] }>(
				'SELECT id, parent_id AS parent, state, reviewed, members FROM cycle_unit WHERE round_id = $1 ORDER BY position',
				[round]
			)
		).rows;
		const parents = new Set(units.map(({ parent }) => parent));
		// Only the members a unit can be told by matter: few of many addresses.
		const telling = new Set(units.flatMap((unit) => unit.members));
		const places = new Map(
			addresses
				.filter((address) => address.includes(scenario))
				.map((address) => {
					const line = address.flatMap((member) => above.get(member) ?? []).filter((member) => telling.has(member));
					return [line.join(' '), new Set(line)];
				})
		);
		const begun = units.filter(
			({ id, state, members: of }) =>
				state === 'not started' && !parents.has(id) && [...places.values()].some((line) => of.every((member) => line.has(member)))
		);
		const tree = new UnitTree(units);
		const steps = new Set<number>();
		for (const { id } of begun) {
			const outcome = tree.move(id, 'begin', 1);
			if ('steps' in outcome) for (const step of outcome.steps) steps.add(step.id);
		}
		if (steps.size === 0) continue;
		await client.query("UPDATE cycle_unit SET state = 'in progress', moved_at = now() WHERE id = ANY ($1)", [[...steps]]);
		await client.query(
			`INSERT INTO unit_move (unit_id, person_id, acting_id, move, state) SELECT x, $2, $3, 'begin', 'in progress' FROM unnest($1::integer[]) AS x`,
			[[...steps], person, actingNow()]
		);
	}
}
