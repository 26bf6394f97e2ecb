import { z } from 'zod';
import { transaction } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermissionEverywhere, type SignedIn } from '../session';
import { lockDraft } from './draft';

export const handOnSchema = z.object({ from: z.int(), to: z.int(), model: z.int() });

/**
 * Hands the draft of somebody who is not active any more on to somebody else, whose own entries stay where both have one.
 * @returns how many cells went over, and how many stay because the other has an entry there
 * @throws Fault 404 without a draft, 422 while its owner is active or the other may not enter anything in the model
 */
export async function handOnDraft(
	person: SignedIn | undefined,
	{ from, to, model }: z.infer<typeof handOnSchema>
): Promise<{ cells: number; stay: number }> {
	const writer = requirePermissionEverywhere(person, 'access.write');
	if (from === to) throw new Fault(422, 'not possible', 'This is their own draft already.');
	return transaction(async (client) => {
		const owner = await client.query<{ name: string; active: boolean }>('SELECT name, active FROM person WHERE id = $1 FOR UPDATE', [from]);
		if (!owner.rows[0]) throw notFound('person');
		if (owner.rows[0].active)
			throw new Fault(422, 'is active', `${owner.rows[0].name} is active: what they have not saved is theirs to save.`);
		const heir = await client.query<{ name: string; enters: boolean }>(
			`SELECT p.name, EXISTS (SELECT FROM person_role r JOIN role_permission rp ON rp.role_id = r.role_id AND rp.permission = 'form.enter'
				WHERE r.person_id = p.id AND (r.model_id IS NULL OR r.model_id = $2)) AS enters FROM person p WHERE p.id = $1 AND p.active`,
			[to, model]
		);
		if (!heir.rows[0]) throw notFound('person who is active');
		if (!heir.rows[0].enters) throw new Fault(422, 'may not enter', `${heir.rows[0].name} may not enter figures in this model.`);
		const held = await client.query(
			'SELECT FROM draft d JOIN draft_cell c ON c.draft_id = d.id WHERE d.person_id = $1 AND d.model_id = $2 AND d.branch_id IS NULL LIMIT 1',
			[from, model]
		);
		if (held.rowCount === 0) throw notFound('draft');
		// In the order of people, so that two who hand on at once do not wait for each other.
		const drafts = new Map<number, number>();
		for (const each of [from, to].sort((one, other) => one - other)) drafts.set(each, (await lockDraft(client, { id: each }, model)).id);
		const [own, theirs] = [drafts.get(from)!, drafts.get(to)!];
		const taken = await client.query(
			`INSERT INTO draft_cell (draft_id, address, period_id, value, seen, form_id)
			SELECT $2, address, period_id, value, seen, form_id FROM draft_cell WHERE draft_id = $1 ON CONFLICT DO NOTHING`,
			[own, theirs]
		);
		await client.query(
			`DELETE FROM draft_cell d WHERE d.draft_id = $1 AND EXISTS (SELECT FROM draft_cell o WHERE o.draft_id = $2 AND o.address = d.address
				AND o.period_id = d.period_id AND o.value IS NOT DISTINCT FROM d.value AND o.seen IS NOT DISTINCT FROM d.seen)`,
			[own, theirs]
		);
		const left = await client.query<{ count: number }>('SELECT count(*)::integer AS count FROM draft_cell WHERE draft_id = $1', [own]);
		// What undoing would take back is not there any more.
		await client.query('DELETE FROM draft_step WHERE draft_id = $1', [own]);
		await client.query('DELETE FROM draft_trial_cell WHERE draft_id = $1', [own]);
		await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = ANY ($1::integer[])', [[own, theirs]]);
		await client.query(`INSERT INTO access_change (person_id, kind, object_id, name, words) VALUES ($1, 'draft', $2, $3, $4)`, [
			writer.id,
			from,
			owner.rows[0].name,
			`draft handed on to ${heir.rows[0].name}: ${taken.rowCount} cells`
		]);
		return { cells: taken.rowCount ?? 0, stay: left.rows[0]!.count };
	});
}
