import { z } from 'zod';
import { pool } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { editMembers } from '../structure';
import { readForm, type FormChoices } from './open';

export const ownLineSchema = z.object({ name: z.string().trim().min(1, 'give the line a name').max(120) });

/**
 * Adds a line of a planner's own: a member under the one the form names. The right comes with the form, not with the
 * person's role; the change stands in the history of the dimension under their name.
 */
export async function addOwnLine(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ name }: z.infer<typeof ownLineSchema>
): Promise<{ member: number; name: string }> {
	const writer = requirePermission(person, 'form.enter');
	const { layout } = await readForm(writer, modelId, code);
	const own = layout.ownLines;
	if (!own) throw new Fault(403, 'not allowed', 'This form takes no lines of one’s own.');
	const parent = await parentOf(modelId, own, choices, layout.selectors);
	const dimension = await pool().query<{ code: string; kind: string }>('SELECT code, kind FROM dimension WHERE id = $1', [own.dimension]);
	const taken = await pool().query('SELECT FROM member WHERE dimension_id = $1 AND lower(name) = lower($2)', [own.dimension, name]);
	if (taken.rowCount) throw new Fault(422, 'not possible', `There is a line “${name}” already. Call yours something else.`);
	const given = await pool().query<{ next: number }>(
		`SELECT coalesce(max(substring(code FROM '^OWN-(\\d+)$')::integer), 0) + 1 AS next FROM member WHERE dimension_id = $1`,
		[own.dimension]
	);
	const lineCode = `OWN-${String(given.rows[0]!.next).padStart(3, '0')}`;
	if (dimension.rows[0]!.kind === 'account') await requireAccountBeside(parent);
	await editMembers({ ...writer, permissions: [...writer.permissions, 'structure.write'] }, modelId, dimension.rows[0]!.code, {
		edits: [{ act: 'add', code: lineCode, name, parent }],
		handOver: {}
	});
	const made = await pool().query<{ id: number }>('SELECT id FROM member WHERE dimension_id = $1 AND code = $2', [own.dimension, lineCode]);
	return { member: made.rows[0]!.id, name };
}

async function parentOf(
	modelId: number,
	own: { dimension: number; parent: number | 'chosen' | { variable: string } },
	choices: FormChoices,
	selectors: readonly { dimension: number; initial: number }[]
): Promise<number> {
	if (typeof own.parent === 'number') return own.parent;
	if (own.parent === 'chosen') {
		const chosen = choices.members[String(own.dimension)] ?? selectors.find(({ dimension }) => dimension === own.dimension)?.initial;
		if (chosen !== undefined) return chosen;
	} else {
		const found = await pool().query<{ member: number }>('SELECT member_id AS member FROM variable WHERE model_id = $1 AND name = $2', [
			modelId,
			own.parent.variable
		]);
		if (found.rows[0]?.member) return found.rows[0].member;
	}
	throw new Fault(422, 'not possible', 'The place for lines of one’s own is not settled. Ask the form’s maker.');
}

/** An account of one's own is like those beside it, so there have to be some. @throws Fault 422 */
async function requireAccountBeside(parent: number): Promise<void> {
	const found = await pool().query(
		'SELECT FROM hierarchy_node n JOIN account a ON a.member_id = n.member_id WHERE n.parent_id = $1 LIMIT 1',
		[parent]
	);
	if (!found.rowCount) throw new Fault(422, 'not possible', 'There is no account beside which a line could stand. Ask the form’s maker.');
}
