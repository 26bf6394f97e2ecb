import { z } from 'zod';
import { nearest, print, readExpression as readText, type Expression } from '../../core';
import { pool } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';

/** What the blocks of an axis are called. */
type BlockLabels = readonly { id: number; label: string }[];

export const expressionTextSchema = z.object({
	text: z.string().max(2_000),
	/** The blocks it may name; accounts when left out. */
	blocks: z
		.array(z.object({ id: z.number().int(), label: z.string().max(200) }))
		.max(50)
		.optional()
});

/** Reads and prints the expressions of forms, with today's names. */
export async function expressionReader(modelId: number) {
	const accounts = await pool().query<{ id: number; code: string; name: string }>(
		`SELECT m.id, m.code, m.name FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id AND d.kind = 'account'
		JOIN member m ON m.dimension_id = d.id WHERE md.model_id = $1`,
		[modelId]
	);
	const nameOf = new Map(accounts.rows.map(({ id, name }) => [id, name]));
	const byName = new Map(
		accounts.rows.flatMap(({ id, code, name }) => [[name.toLowerCase(), id] as const, [code.toLowerCase(), id] as const])
	);
	return {
		print: (expression: Expression, blocks?: BlockLabels): string =>
			print(expression, {
				member: (member) =>
					blocks
						? (blocks.find(({ id }) => id === member)?.label ?? 'a block that is gone')
						: (nameOf.get(member) ?? 'an account that is gone')
			}),
		parse: (text: string, blocks?: BlockLabels) => {
			const known = blocks ? new Map(blocks.map(({ id, label }) => [label.toLowerCase(), id])) : byName;
			const all = blocks ? blocks.map(({ label }) => label) : accounts.rows.map((account) => account.name);
			return readText(text, {
				account: ({ word }) => {
					const found = known.get(word.toLowerCase());
					if (found !== undefined) return found;
					const near = nearest(word, all);
					return `There is no ${blocks ? 'block' : 'account'} “${word}”.${near ? ` Did you mean “${near}”?` : ''}`;
				}
			});
		}
	};
}

/** An expression from its text. @throws Fault 422 with the place of the first fault */
export async function readExpression(
	person: SignedIn | undefined,
	modelId: number,
	{ text, blocks }: z.infer<typeof expressionTextSchema>
): Promise<{ expression: Expression; text: string }> {
	requirePermission(person, 'form.design');
	const reader = await expressionReader(modelId);
	const parsed = reader.parse(text, blocks);
	if ('fault' in parsed)
		throw new Fault(422, 'not possible', `At character ${parsed.fault.from + 1}: ${parsed.fault.message}`, {
			at: parsed.fault.from,
			message: parsed.fault.message
		});
	return { expression: parsed.expression, text: reader.print(parsed.expression, blocks) };
}
