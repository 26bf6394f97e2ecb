import { amongBy, usesBy, type NamesMembers } from '../definition/naming';

/** What branches hold: it follows; where both members have something in a branch, what stands there stays. */
export const branchNaming: NamesMembers = {
	uses: usesBy(
		`SELECT 'branch' AS kind, b.name, '/m/' || m.code || '/branches/' || b.id AS path FROM branch b JOIN model m ON m.id = b.model_id
		WHERE b.state <> 'dropped' AND EXISTS (SELECT FROM branch_series s WHERE s.branch_id = b.id AND $1 = ANY (s.address) AND cardinality(array_remove(s.versions, NULL)) > 0)`
	),
	among: amongBy('SELECT unnest(address) AS id FROM branch_series WHERE cardinality(array_remove(versions, NULL)) > 0'),
	replace: async (client, { from, to }) => {
		await client.query(
			`UPDATE branch_series s SET address = array_replace(address, $1, $2) WHERE $1 = ANY (address)
				AND NOT EXISTS (SELECT FROM branch_series o WHERE o.branch_id = s.branch_id AND o.origin_id = s.origin_id AND o.fiscal_year = s.fiscal_year AND o.address = array_replace(s.address, $1, $2))`,
			[from, to]
		);
		await client.query('DELETE FROM branch_series WHERE $1 = ANY (address)', [from]);
	}
};
