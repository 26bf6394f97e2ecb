import { pool } from '../database';
import { SEEN_BY } from './open';
import { requirePermission, type SignedIn } from '../session';

export interface FormCard {
	code: string;
	name: string;
	folder: string;
	description: string;
}

/** The forms of a model, by folder. */
export async function listForms(person: SignedIn | undefined, modelId: number): Promise<FormCard[]> {
	const reader = requirePermission(person, 'form.read');
	return (
		await pool().query<FormCard>(
			`SELECT code, name, folder, description FROM form WHERE model_id = $1 AND owner_id IS NULL AND ${SEEN_BY('$2', '$3')} ORDER BY folder, id`,
			[modelId, reader.id, reader.permissions.includes('form.design')]
		)
	).rows;
}
