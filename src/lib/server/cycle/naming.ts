import { amongBy, usesBy, type NamesMembers } from '../definition/naming';
import { unitKey, type RoundSettings } from './settings';

/** By round: what it names, in its units, in what it leaves out and names people for, and what it is compared with. */
const NAMED = `SELECT r.id AS round, x.id FROM round r CROSS JOIN LATERAL (
		SELECT unnest(ARRAY[r.scenario_id, r.from_id, r.to_id, (r.settings ->> 'compared')::integer]) AS id
		UNION SELECT unnest(u.members) FROM cycle_unit u WHERE u.round_id = r.id
		UNION SELECT part::integer FROM jsonb_array_elements_text(r.settings -> 'leaveOut') AS key, string_to_table(key, ' ') AS part
		UNION SELECT part::integer FROM jsonb_array_elements(r.settings -> 'named') AS one, string_to_table(one ->> 'unit', ' ') AS part) AS x`;

/** Rounds of planning: their scenario, periods and units. */
export const roundNaming: NamesMembers = {
	uses: usesBy(
		`SELECT DISTINCT 'round' AS kind, r.name, '/m/' || m.code || '/cycle/' || r.id AS path
		FROM (${NAMED}) AS n JOIN round r ON r.id = n.round JOIN model m ON m.id = r.model_id WHERE n.id = $1`
	),
	among: amongBy(`SELECT id FROM (${NAMED}) AS n WHERE id IS NOT NULL`),
	replace: async (client, { from, to }) => {
		const renamed = (member: number) => (member === from ? to : member);
		const inKey = (key: string) => unitKey(key.split(' ').map((part) => renamed(Number(part))));
		const rounds = await client.query<{ id: number; settings: RoundSettings }>(
			`SELECT id, settings FROM round WHERE id IN (SELECT n.round FROM (${NAMED}) AS n WHERE n.id = $1) FOR UPDATE`,
			[from]
		);
		for (const { id, settings } of rounds.rows) {
			const next: RoundSettings = {
				...settings,
				leaveOut: settings.leaveOut.map(inKey),
				named: settings.named.map((each) => ({ ...each, unit: inKey(each.unit) })),
				compared: settings.compared === null ? null : renamed(settings.compared)
			};
			await client.query(
				`UPDATE round SET settings = $2, version = version + 1, scenario_id = CASE scenario_id WHEN $3 THEN $4::integer ELSE scenario_id END,
					from_id = CASE from_id WHEN $3 THEN $4::integer ELSE from_id END, to_id = CASE to_id WHEN $3 THEN $4::integer ELSE to_id END WHERE id = $1`,
				[id, JSON.stringify(next), from, to]
			);
			await client.query('UPDATE cycle_unit SET members = array_replace(members, $2, $3) WHERE round_id = $1', [id, from, to]);
		}
	}
};
