/** Forms as they are stored, with their versions. */
import type pg from 'pg';
import type { FormLayout } from '../../core';
import type { Database } from '../database';
import { Fault, notFound } from '../fault';

/** What a form is besides its code and who sees it. */
export interface FormFacts {
	name: string;
	folder: string;
	description: string;
	instructions: string;
	layout: FormLayout;
}

/**
 * Stores the next version of a form, or a new one; joins the caller's transaction.
 * @param roles (ids) that see it; none: everybody who may open forms
 * @param changed the version that was changed; null for a new form
 * @throws Fault 409 when another version came meanwhile, 404 when there is no such form
 */
export async function publishForm(
	client: pg.PoolClient,
	modelId: number,
	person: number,
	code: string,
	{ name, folder, description, instructions, roles, layout }: FormFacts & { roles: readonly number[] },
	changed: number | null
): Promise<{ id: number; version: number }> {
	const values = [name, folder, description, instructions, roles, JSON.stringify(layout)];
	let id: number;
	if (changed === null) {
		const made = await client.query<{ id: number }>(
			`INSERT INTO form (model_id, code, name, folder, description, instructions, roles, layout) VALUES ($7, $8, $1, $2, $3, $4, $5, $6) RETURNING id`,
			[...values, modelId, code]
		);
		id = made.rows[0]!.id;
	} else {
		const stored = await client.query<{ id: number; version: number }>(
			'SELECT id, version FROM form WHERE model_id = $1 AND code = $2 AND owner_id IS NULL FOR UPDATE',
			[modelId, code]
		);
		if (!stored.rows[0]) throw notFound('form');
		if (stored.rows[0].version !== changed)
			throw new Fault(
				409,
				'conflict',
				'Somebody published another version of this form meanwhile. Compare them under Versions, then publish again.',
				{ version: stored.rows[0].version }
			);
		id = stored.rows[0].id;
		await client.query(
			'UPDATE form SET name = $1, folder = $2, description = $3, instructions = $4, roles = $5, layout = $6, version = $7 WHERE id = $8',
			[...values, changed + 1, id]
		);
	}
	await client.query(
		`INSERT INTO form_version (form_id, version, name, folder, description, instructions, roles, layout, person_id)
		SELECT id, version, name, folder, description, instructions, roles, layout, $2 FROM form WHERE id = $1`,
		[id, person]
	);
	return { id, version: (changed ?? 0) + 1 };
}

/** Takes a form away for good; its notes stay at their figures. @returns its id @throws Fault 404 */
export async function dropForm(database: Database, modelId: number, code: string): Promise<number> {
	const gone = await database.query<{ id: number }>(
		'DELETE FROM form WHERE model_id = $1 AND code = $2 AND owner_id IS NULL RETURNING id',
		[modelId, code]
	);
	if (!gone.rows[0]) throw notFound('form');
	return gone.rows[0].id;
}
