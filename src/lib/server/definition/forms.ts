import type { FormLayout } from '../../core';
import type { Database } from '../database';
import { layoutSchema } from './layout-schema';

/** The forms of a model with their layouts as they are read today. */
export async function formsOf(
	database: Database,
	modelId: number
): Promise<{ id: number; code: string; name: string; folder: string; description: string; instructions: string; layout: FormLayout }[]> {
	const found = await database.query<{
		id: number;
		code: string;
		name: string;
		folder: string;
		description: string;
		instructions: string;
		layout: unknown;
	}>('SELECT id, code, name, folder, description, instructions, layout FROM form WHERE model_id = $1 ORDER BY id', [modelId]);
	return found.rows.map((form) => ({ ...form, layout: layoutSchema.parse(form.layout) }));
}
