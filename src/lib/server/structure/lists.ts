/** Lists of choices: what an account of choices lets people pick, where no dimension of the model says it. */
import { z } from 'zod';
import { pool, transaction } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { startDimension } from './new-model';
import { shortNames } from './short-names';
import { countUpStructure } from '../database/structure-version';
import { writeJournal } from '../definition/journal';
import { lockCodes } from '../database/locks';

export interface ChoiceList {
	code: string;
	name: string;
	choices: number;
	/** The first names, to see what it is about. */
	first: string[];
	/** Names of the accounts that choose from it, in any model. */
	accounts: string[];
	/** The model it belongs to, where that is another one that shares the accounts. */
	of: string | null;
}

const FIRST_NAMES = 6;
const MOST_CHOICES = 5_000;

/** The lists that accounts of a model may choose from, by name. */
export async function listChoiceLists(person: SignedIn | undefined, modelId: number): Promise<ChoiceList[]> {
	requirePermission(person, 'structure.read');
	return (
		await pool().query<ChoiceList>(
			`SELECT d.code, d.name, (SELECT count(*)::integer FROM member m WHERE m.dimension_id = d.id) AS choices,
				ARRAY(SELECT m.name FROM member m JOIN hierarchy_node n ON n.member_id = m.id JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main
					WHERE m.dimension_id = d.id AND NOT m.retired ORDER BY n.position LIMIT ${FIRST_NAMES}) AS first,
				ARRAY(SELECT m.name FROM account a JOIN member m ON m.id = a.member_id WHERE a.choice_dimension = d.id ORDER BY m.name) AS accounts,
				CASE WHEN o.id <> $1 THEN o.name END AS of
			FROM known_dimension k JOIN choice_list l ON l.dimension_id = k.dimension_id JOIN dimension d ON d.id = l.dimension_id
			JOIN model o ON o.id = l.model_id WHERE k.model_id = $1 ORDER BY lower(d.name), d.id`,
			[modelId]
		)
	).rows;
}

export const listSchema = z.object({
	name: z.string().trim().min(1, 'a name is missing').max(80),
	/** Names in their order. */
	choices: z.array(z.string().trim().min(1).max(200)).min(1, 'a list needs something to choose').max(MOST_CHOICES)
});

/** Makes a list out of names; each gets a code from its name. @throws Fault 422 for a name that is there twice */
export async function makeChoiceList(
	person: SignedIn | undefined,
	modelId: number,
	{ name, choices }: z.infer<typeof listSchema>
): Promise<{ code: string }> {
	const maker = requirePermission(person, 'structure.write');
	const seen = new Set<string>();
	for (const choice of choices) {
		const key = choice.toLowerCase();
		if (seen.has(key)) throw new Fault(422, 'not possible', `“${choice}” is there twice: people could not tell them apart.`);
		seen.add(key);
	}
	return transaction(async (client) => {
		// Two at once would be given the same codes.
		await lockCodes(client);
		const taken = await client.query(
			'SELECT FROM known_dimension k JOIN dimension d ON d.id = k.dimension_id WHERE k.model_id = $1 AND lower(d.name) = lower($2)',
			[modelId, name]
		);
		if (taken.rowCount) throw new Fault(422, 'not possible', `This model has a dimension or a list named ${name} already.`);
		const list = await startDimension(
			client,
			name,
			'general',
			shortNames(choices, 'choice', 'of any script').map((code, place) => ({ code, name: choices[place]! }))
		);
		await client.query('INSERT INTO choice_list (dimension_id, model_id) VALUES ($1, $2)', [list.id, modelId]);
		await countUpStructure(client, [modelId], 'definition');
		await writeJournal(client, {
			person: maker.id,
			modelId,
			dimensionId: null,
			words: `Made the list of choices “${name}”`,
			objects: [{ kind: 'dimension', id: list.id, name, before: null, after: { name, choices } }]
		});
		return { code: list.code };
	});
}

/** Deletes a list that no account chooses from. @throws Fault 404, or 422 naming the accounts */
export async function deleteChoiceList(person: SignedIn | undefined, modelId: number, code: string): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	await transaction(async (client) => {
		const found = await client.query<{ id: number; name: string }>(
			'SELECT d.id, d.name FROM choice_list l JOIN dimension d ON d.id = l.dimension_id WHERE l.model_id = $1 AND d.code = $2 FOR UPDATE OF d',
			[modelId, code]
		);
		const list = found.rows[0];
		if (!list) throw notFound('list of choices');
		const accounts = await client.query<{ name: string }>(
			'SELECT m.name FROM account a JOIN member m ON m.id = a.member_id WHERE a.choice_dimension = $1 ORDER BY m.name',
			[list.id]
		);
		if (accounts.rows.length > 0)
			throw new Fault(
				422,
				'still used',
				`${accounts.rows.map(({ name }) => name).join(', ')} ${accounts.rows.length === 1 ? 'chooses' : 'choose'} from this list. Give ${accounts.rows.length === 1 ? 'it' : 'them'} another one first.`
			);
		const members = await client.query<{ name: string }>('SELECT name FROM member WHERE dimension_id = $1 ORDER BY id', [list.id]);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Deleted the list of choices “${list.name}”`,
			objects: [
				{
					kind: 'dimension',
					id: list.id,
					name: list.name,
					before: { name: list.name, choices: members.rows.map(({ name }) => name) },
					after: null
				}
			]
		});
		for (const table of ['hierarchy_node', 'hierarchy', 'attribute', 'member'])
			await client.query(`DELETE FROM ${table} WHERE dimension_id = $1`, [list.id]);
		await client.query('UPDATE structure_change SET dimension_id = NULL WHERE dimension_id = $1', [list.id]);
		await client.query('DELETE FROM dimension WHERE id = $1', [list.id]);
		await countUpStructure(client, [modelId], 'definition');
	});
}
