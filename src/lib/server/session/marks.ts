import { z } from 'zod';
import { pool } from '../database';

/** How a person wants figures marked: one of three sets of looks, and the marks they do without. */
export const markChoiceSchema = z.object({
	set: z.enum(['usual', 'colour-blind', 'contrast']).default('usual'),
	hidden: z
		.array(z.enum(['news', 'levels', 'moved', 'notes', 'lines', 'links', 'results']))
		.max(20)
		.default(['results'])
});
export type MarkChoice = z.infer<typeof markChoiceSchema>;

/** A person's choice; the usual one where nothing, or nothing that is understood, is stored. */
export async function readMarkChoice(person: number): Promise<MarkChoice> {
	const stored = (await pool().query<{ marks: unknown }>('SELECT marks FROM person WHERE id = $1', [person])).rows[0]?.marks;
	const read = markChoiceSchema.safeParse(stored);
	return read.success ? read.data : markChoiceSchema.parse({});
}

export async function setMarkChoice(person: number, choice: MarkChoice): Promise<void> {
	await pool().query('UPDATE person SET marks = $2 WHERE id = $1', [person, JSON.stringify(choice)]);
}
