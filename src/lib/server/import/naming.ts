import { amongBy, usesBy, type NamesMembers } from '../definition/naming';

/** Lines of maps, and rules of imports. */
export const importNaming: NamesMembers = {
	uses: usesBy(
		`SELECT 'map' AS kind, m.name, NULL AS model FROM map_line l JOIN map m ON m.id = l.map_id WHERE l.member_id = $1
		UNION SELECT 'import', i.name, o.code FROM import_rule r JOIN import i ON i.id = r.import_id JOIN model o ON o.id = i.model_id WHERE r.member_id = $1`
	),
	among: amongBy('SELECT member_id AS id FROM map_line UNION SELECT member_id FROM import_rule'),
	replace: async (client, { from, to }) => {
		for (const table of ['map_line', 'import_rule'])
			await client.query(`UPDATE ${table} SET member_id = $2 WHERE member_id = $1`, [from, to]);
	}
};
