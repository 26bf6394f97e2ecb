/** Variables: names for a member or a number that forms and rules go by. */
import type pg from 'pg';
import { z } from 'zod';
import { pool, transaction, type Database } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { countUpStructure } from '../database/structure-version';
import { writeJournal } from '../definition/journal';

export interface VariableLine {
	id: number;
	name: string;
	dimension: string | null;
	member: number | null;
	memberName: string | null;
	number: number | null;
	/** Forms that use it. */
	forms: string[];
}

/** The model's variables with what they name today and where they are used. */
export async function listVariables(person: SignedIn | undefined, modelId: number): Promise<VariableLine[]> {
	requirePermission(person, 'structure.read');
	return variablesOf(pool(), modelId);
}

async function variablesOf(database: Database, modelId: number): Promise<VariableLine[]> {
	return (
		await database.query<VariableLine>(
			`SELECT v.id, v.name, d.name AS dimension, v.member_id AS member, m.name AS "memberName", v.number,
				coalesce((SELECT array_agg(f.name ORDER BY f.id) FROM form f WHERE f.model_id = v.model_id
					AND f.layout::text LIKE '%"variable": ' || replace(to_json(v.name)::text, '%', '\\%') || '%'), '{}') AS forms
			FROM variable v LEFT JOIN member m ON m.id = v.member_id LEFT JOIN dimension d ON d.id = m.dimension_id
			WHERE v.model_id = $1 ORDER BY v.name`,
			[modelId]
		)
	).rows;
}

export const variableSchema = z.object({
	name: z.string().trim().min(1).max(80),
	/** A member of the model, or a number. */
	member: z.number().int().nullable(),
	number: z.number().finite().nullable()
});

/** Sets a variable, new or known; forms that use it follow at once. */
export async function setVariable(person: SignedIn | undefined, modelId: number, wanted: z.infer<typeof variableSchema>): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	if (wanted.member !== null && wanted.number !== null)
		throw new Fault(422, 'not possible', 'A variable is a member or a number, not both.');
	await transaction(async (client) => {
		const before = await client.query('SELECT name, member_id AS member, number FROM variable WHERE model_id = $1 AND name = $2', [
			modelId,
			wanted.name
		]);
		const id = await storeVariable(client, modelId, wanted);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Set the variable “${wanted.name}”`,
			objects: [{ kind: 'variable', id, name: wanted.name, before: before.rows[0] ?? null, after: wanted }]
		});
	});
}

/** Deletes a variable; refused while a form uses it. */
export async function deleteVariable(person: SignedIn | undefined, modelId: number, id: number): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	await transaction(async (client) => {
		const variable = (await variablesOf(client, modelId)).find((each) => each.id === id);
		if (!variable) throw new Fault(404, 'not found', 'There is no such variable. It may have been removed.');
		await dropVariable(client, modelId, variable.name);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Deleted the variable “${variable.name}”`,
			objects: [{ kind: 'variable', id, name: variable.name, before: variable, after: null }]
		});
	});
}

/** Stores a variable, new or known; joins the caller's transaction. @throws Fault 422 for a member of another model */
export async function storeVariable(
	client: pg.PoolClient,
	modelId: number,
	{ name, member, number }: z.infer<typeof variableSchema>
): Promise<number> {
	if (member !== null) {
		const known = await client.query(
			'SELECT FROM member m JOIN model_dimension md ON md.dimension_id = m.dimension_id WHERE md.model_id = $1 AND m.id = $2',
			[modelId, member]
		);
		if (known.rowCount === 0) throw new Fault(422, 'not possible', 'This member is not in the model.');
	}
	const stored = await client.query<{ id: number }>(
		`INSERT INTO variable (model_id, name, member_id, number) VALUES ($1, $2, $3, $4)
		ON CONFLICT (model_id, name) DO UPDATE SET member_id = excluded.member_id, number = excluded.number RETURNING id`,
		[modelId, name, member, number]
	);
	await countUpStructure(client, [modelId], 'definition');
	return stored.rows[0]!.id;
}

/** Takes a variable away; joins the caller's transaction. @throws Fault 409 while a form uses it */
export async function dropVariable(client: pg.PoolClient, modelId: number, name: string): Promise<number> {
	const variable = (await variablesOf(client, modelId)).find((each) => each.name === name);
	if (!variable) throw new Fault(404, 'not found', `There is no variable ${name}. It may have been removed.`);
	if (variable.forms.length > 0)
		throw new Fault(409, 'still used', `“${name}” is used by the form “${variable.forms[0]}”. Change it first.`);
	await client.query('DELETE FROM variable WHERE id = $1 AND model_id = $2', [variable.id, modelId]);
	await countUpStructure(client, [modelId], 'definition');
	return variable.id;
}
