import { formsOf } from '../definition/forms';
import { mapMembers, membersNamed } from '../definition/layout-members';
import { modelsOf } from '../definition/models';
import { amongBy, type NamesMembers } from '../definition/naming';

/** Layouts of forms. Views of the explorer follow, and hold nothing back: what is gone from one, its owner sees. */
export const formNaming: NamesMembers = {
	uses: async (database, dimension, member) => {
		const uses = [];
		for (const { id, code } of await modelsOf(database, dimension))
			for (const form of await formsOf(database, id, 'made'))
				if (membersNamed(form.layout).has(member))
					uses.push({ kind: 'form' as const, name: form.name, path: `/m/${code}/forms/${form.code}` });
		return uses;
	},
	among: async (database, dimension, members) => {
		const asked = new Set(members);
		const found = new Set<number>();
		for (const { id } of await modelsOf(database, dimension))
			for (const form of await formsOf(database, id, 'made'))
				for (const named of membersNamed(form.layout)) if (asked.has(named)) found.add(named);
		return found;
	},
	replace: async (client, { dimension, from, to }) => {
		for (const { id } of await modelsOf(client, dimension))
			for (const form of await formsOf(client, id, 'all')) {
				const layout = mapMembers(form.layout, (member) => (member === from ? to : member));
				if (JSON.stringify(layout) !== JSON.stringify(form.layout))
					await client.query('UPDATE form SET layout = $2 WHERE id = $1', [form.id, JSON.stringify(layout)]);
			}
	}
};

/** Unsaved entries: they follow; where both members have one, the one that stands there stays. */
export const draftNaming: NamesMembers = {
	uses: async (database, _, member) => {
		const found = await database.query<{ count: number }>(
			'SELECT count(*)::integer AS count FROM draft_cell WHERE $1 = ANY (address) OR period_id = $1',
			[member]
		);
		const { count } = found.rows[0]!;
		return count > 0 ? [{ kind: 'draft', name: 'Unsaved entries', count }] : [];
	},
	among: amongBy('SELECT unnest(address) AS id FROM draft_cell UNION SELECT period_id FROM draft_cell'),
	replace: async (client, { from, to }) => {
		await client.query(
			`UPDATE draft_cell d SET address = array_replace(address, $1, $2) WHERE $1 = ANY (address)
				AND NOT EXISTS (SELECT FROM draft_cell o WHERE o.draft_id = d.draft_id AND o.period_id = d.period_id AND o.address = array_replace(d.address, $1, $2))`,
			[from, to]
		);
		for (const table of ['draft_cell', 'draft_trial_cell']) await client.query(`DELETE FROM ${table} WHERE $1 = ANY (address)`, [from]);
		await client.query('UPDATE draft SET version = version + 1');
	}
};

/** What stands beside figures: notes, detail lines and links. */
export const besideNaming: NamesMembers = {
	uses: async (database, _, member) => {
		const found = await database.query<{ count: number }>(
			`SELECT ((SELECT count(*) FROM note WHERE $1 = ANY (place)) + (SELECT count(*) FROM detail_line WHERE $1 = ANY (place))
				+ (SELECT count(*) FROM cell_link WHERE $1 = ANY (place)))::integer AS count`,
			[member]
		);
		const { count } = found.rows[0]!;
		return count > 0 ? [{ kind: 'note', name: 'Notes, detail lines and links', count }] : [];
	},
	among: amongBy(
		'SELECT unnest(place) AS id FROM note UNION SELECT unnest(place) FROM detail_line UNION SELECT unnest(place) FROM cell_link'
	),
	replace: async (client, { from, to }) => {
		for (const table of ['note', 'detail_line', 'cell_link'])
			await client.query(`UPDATE ${table} SET place = array_replace(place, $1, $2) WHERE $1 = ANY (place)`, [from, to]);
	}
};
