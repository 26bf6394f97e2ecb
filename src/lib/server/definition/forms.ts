import type { FormLayout } from '../../core';
import type { Database } from '../database';
import { layoutSchema } from './layout-schema';

/**
 * The forms of a model with their layouts as they are read today.
 * @param which those that were made, or also the views of its explorer
 */
export async function formsOf(
	database: Database,
	modelId: number,
	which: 'made' | 'all'
): Promise<
	{
		id: number;
		code: string;
		name: string;
		folder: string;
		description: string;
		instructions: string;
		isView: boolean;
		layout: FormLayout;
	}[]
> {
	const found = await database.query<{
		id: number;
		code: string;
		name: string;
		folder: string;
		description: string;
		instructions: string;
		isView: boolean;
		layout: unknown;
	}>(
		'SELECT id, code, name, folder, description, instructions, owner_id IS NOT NULL AS "isView", layout FROM form WHERE model_id = $1 AND (owner_id IS NULL OR $2) ORDER BY id',
		[modelId, which === 'all']
	);
	return found.rows.map((form) => ({ ...form, layout: layoutSchema.parse(form.layout) }));
}
