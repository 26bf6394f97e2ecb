/** What a value in a cell would do: goals reached, and a range of values tried. Nothing is written. */
import { z } from 'zod';
import { pool } from '../database';
import { askRunner, type FormAsk, type SoughtValue, type TryValues } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { draftVersion } from './draft';
import { formAsk, readForm, type FormChoices } from './open';

const cell = z.object({ row: z.int().min(0).max(1_000_000), column: z.int().min(0).max(10_000) });
const figure = z.number().min(-1e15).max(1e15);
const tryout = z.object({
	/** The cell whose value is changed. */
	driver: cell,
	/** The lines the page shows: cells are named by their place among them. */
	frame: z.string().max(100)
});
export const tryValuesSchema = tryout.extend({ values: z.array(figure).min(1).max(25), results: z.array(cell).min(1).max(8) });
export const seekGoalSchema = tryout.extend({ result: cell, goal: figure });

async function tryoutAsk(person: SignedIn | undefined, modelId: number, code: string, choices: FormChoices): Promise<FormAsk> {
	// Tried is what could be typed: by who types.
	const writer = requirePermission(person, 'form.enter');
	const { layout } = await readForm(writer, modelId, code);
	return formAsk(writer, modelId, layout, choices, await draftVersion(pool(), writer, modelId));
}

/** What figures of a form come to with one value after another in a cell, over what the person has typed. */
export async function tryFormValues(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ frame, ...asked }: z.infer<typeof tryValuesSchema>
): Promise<TryValues> {
	return askRunner(modelId, 'tryValues', { ...(await tryoutAsk(person, modelId, code, choices)), ...asked, seenFrame: frame });
}

/** The value of a cell at which a figure of the form reaches a goal. */
export async function seekFormGoal(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ frame, ...asked }: z.infer<typeof seekGoalSchema>
): Promise<SoughtValue> {
	return askRunner(modelId, 'seekGoal', { ...(await tryoutAsk(person, modelId, code, choices)), ...asked, seenFrame: frame });
}
