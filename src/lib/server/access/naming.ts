import { amongBy, usesBy, type NamesMembers } from '../definition/naming';

/** Slices of grants and locks. */
export const accessNaming: NamesMembers = {
	uses: usesBy(
		`SELECT 'grant' AS kind, g.name || ' of ' || coalesce(p.name, 'the group ' || t.name) AS name, o.code AS model FROM access_grant_member gm JOIN access_grant g ON g.id = gm.grant_id JOIN model o ON o.id = g.model_id
			LEFT JOIN person p ON p.id = g.person_id LEFT JOIN people_group t ON t.id = g.group_id WHERE gm.member_id = $1
		UNION SELECT 'lock', l.name, o.code FROM access_lock_member lm JOIN access_lock l ON l.id = lm.lock_id JOIN model o ON o.id = l.model_id
			-- Those of units are told by their round.
			WHERE lm.member_id = $1 AND l.layer <> 'cycle'`
	),
	among: amongBy('SELECT member_id AS id FROM access_grant_member UNION SELECT member_id FROM access_lock_member'),
	replace: async (client, { from, to }) => {
		for (const [table, owner] of [
			['access_grant_member', 'grant_id'],
			['access_lock_member', 'lock_id']
		] as const) {
			await client.query(
				`INSERT INTO ${table} (${owner}, member_id) SELECT ${owner}, $2 FROM ${table} WHERE member_id = $1 ON CONFLICT DO NOTHING`,
				[from, to]
			);
			await client.query(`DELETE FROM ${table} WHERE member_id = $1`, [from]);
		}
	}
};
