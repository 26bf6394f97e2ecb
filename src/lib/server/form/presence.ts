import { z } from 'zod';
import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';
import { readForm } from './open';

export const presenceSchema = z.object({
	/** The cell one stands at: its members by dimension (ids). */
	members: z.record(z.string().regex(/^\d+$/), z.number().int()).default({}),
	/** The page is being left. */
	gone: z.boolean().default(false)
});

/** Somebody else who has the form open. */
export interface Present {
	person: string;
	members: Record<string, number>;
}

/** Says where one is on a form. @returns who else is there */
export async function tellPresence(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	{ members, gone }: z.infer<typeof presenceSchema>
): Promise<Present[]> {
	const reader = requirePermission(person, 'form.read');
	const { id } = await readForm(reader, modelId, code);
	// Who only looks as somebody else does is not there in their name.
	if (reader.acting?.way === 'look') return [];
	if (gone) {
		await pool().query('DELETE FROM form_presence WHERE form_id = $1 AND person_id = $2', [id, reader.id]);
		return [];
	}
	await pool().query(
		`INSERT INTO form_presence (form_id, person_id, place) VALUES ($1, $2, $3)
		ON CONFLICT (form_id, person_id) DO UPDATE SET at = now(), place = excluded.place`,
		[id, reader.id, JSON.stringify(members)]
	);
	const others = await pool().query<Present>(
		`SELECT p.name AS person, x.place AS members FROM form_presence x JOIN person p ON p.id = x.person_id
		WHERE x.form_id = $1 AND x.person_id <> $2 AND x.at > now() - interval '40 seconds' ORDER BY p.name LIMIT 30`,
		[id, reader.id]
	);
	return others.rows;
}
