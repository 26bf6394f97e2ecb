import { z } from 'zod';
import { pool, transaction } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { dimensionChanged } from './act';
import { readDimension } from './read-state';
import { countUpStructure } from '../database/structure-version';
import { writeJournal } from '../definition/journal';

const name = z.string().trim().min(1).max(80);
export const attributeSchema = z.object({
	name,
	type: z.enum(['text', 'number', 'yes/no', 'choice', 'date', 'person', 'currency']),
	choices: z.array(z.string().trim().min(1).max(100)).max(200).default([])
});

/** Defines an attribute of a dimension, or changes its choices; its type stays as it is while members have values. */
export async function defineAttribute(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	wanted: z.infer<typeof attributeSchema>
): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	if (wanted.type === 'choice' && wanted.choices.length === 0)
		throw new Fault(422, 'not possible', 'An attribute of choices needs some to choose from.');
	await transaction(async (client) => {
		await client.query('SELECT FROM dimension WHERE code = $1 FOR UPDATE', [dimensionCode]);
		const dimension = await readDimension(client, modelId, dimensionCode);
		const taken = dimension.state.fields.find(
			({ key, title }) => title.toLowerCase() === wanted.name.toLowerCase() && !key.startsWith('attribute ')
		);
		if (taken || /^(code|name|parent|weight|retired)$/i.test(wanted.name))
			throw new Fault(422, 'not possible', `“${wanted.name}” is the name of a fact already. Choose another name.`);
		const before = dimension.attributes.find((attribute) => attribute.name === wanted.name);
		if (before && before.type !== wanted.type) {
			const filled = await client.query<{ count: number }>(
				'SELECT count(*)::integer AS count FROM attribute_value WHERE attribute_id = $1',
				[before.id]
			);
			if (filled.rows[0]!.count > 0)
				throw new Fault(
					422,
					'not possible',
					`${filled.rows[0]!.count} members have a value of “${before.name}” as ${before.type}. Empty them first, or define another attribute.`
				);
		}
		if (before && wanted.type === 'choice') {
			const lost = await client.query<{ value: string; count: number }>(
				"SELECT value #>> '{}' AS value, count(*)::integer AS count FROM attribute_value WHERE attribute_id = $1 AND NOT (value #>> '{}' = ANY ($2)) GROUP BY 1 LIMIT 1",
				[before.id, wanted.choices]
			);
			if (lost.rows[0])
				throw new Fault(422, 'not possible', `${lost.rows[0].count} members have the choice “${lost.rows[0].value}”. Change them first.`);
		}
		const stored = await client.query<{ id: number }>(
			`INSERT INTO attribute (dimension_id, name, type, choices) VALUES ($1, $2, $3, $4)
			ON CONFLICT (dimension_id, name) DO UPDATE SET type = excluded.type, choices = excluded.choices RETURNING id`,
			[dimension.id, wanted.name, wanted.type, wanted.choices]
		);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: dimension.id,
			words: `${before ? 'Changed' : 'Defined'} the attribute “${wanted.name}”`,
			objects: [{ kind: 'attribute', id: stored.rows[0]!.id, name: wanted.name, before: before ?? null, after: wanted }]
		});
		await dimensionChanged(client, dimension.id);
	});
}

/** Deletes an attribute with its values; refused while a form selects by it. */
export async function deleteAttribute(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	attributeName: string
): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	await transaction(async (client) => {
		const dimension = await readDimension(client, modelId, dimensionCode);
		const attribute = dimension.attributes.find((each) => each.name === attributeName);
		if (!attribute) throw new Fault(404, 'not found', `There is no attribute ${attributeName}.`);
		const used = await client.query<{ name: string }>('SELECT name FROM form WHERE layout::text LIKE $1 LIMIT 1', [
			`%"attribute": ${JSON.stringify(attributeName).replaceAll(/[%_\\]/g, '\\$&')}%`
		]);
		if (used.rows[0]) throw new Fault(409, 'still used', `The form “${used.rows[0].name}” selects by “${attributeName}”. Change it first.`);
		const values = await client.query('SELECT member_id AS member, value FROM attribute_value WHERE attribute_id = $1', [attribute.id]);
		await client.query('DELETE FROM attribute WHERE id = $1', [attribute.id]);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: dimension.id,
			words: `Deleted the attribute “${attributeName}”`,
			objects: [{ kind: 'attribute', id: attribute.id, name: attributeName, before: { ...attribute, values: values.rows }, after: null }]
		});
		await dimensionChanged(client, dimension.id);
	});
}

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
	return (
		await pool().query<VariableLine>(
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
	name,
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
		if (wanted.member !== null) {
			const known = await client.query(
				'SELECT FROM member m JOIN model_dimension md ON md.dimension_id = m.dimension_id WHERE md.model_id = $1 AND m.id = $2',
				[modelId, wanted.member]
			);
			if (known.rowCount === 0) throw new Fault(422, 'not possible', 'This member is not in the model.');
		}
		const before = await client.query('SELECT name, member_id AS member, number FROM variable WHERE model_id = $1 AND name = $2', [
			modelId,
			wanted.name
		]);
		const stored = await client.query<{ id: number }>(
			`INSERT INTO variable (model_id, name, member_id, number) VALUES ($1, $2, $3, $4)
			ON CONFLICT (model_id, name) DO UPDATE SET member_id = excluded.member_id, number = excluded.number RETURNING id`,
			[modelId, wanted.name, wanted.member, wanted.number]
		);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Set the variable “${wanted.name}”`,
			objects: [{ kind: 'variable', id: stored.rows[0]!.id, name: wanted.name, before: before.rows[0] ?? null, after: wanted }]
		});
		await countUpStructure(client, [modelId], 'definition');
	});
}

/** Deletes a variable; refused while a form uses it. */
export async function deleteVariable(person: SignedIn | undefined, modelId: number, id: number): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	const variable = (await listVariables(person, modelId)).find((each) => each.id === id);
	if (!variable) throw new Fault(404, 'not found', 'There is no such variable. It may have been removed.');
	if (variable.forms.length > 0)
		throw new Fault(409, 'still used', `“${variable.name}” is used by the form “${variable.forms[0]}”. Change it first.`);
	await transaction(async (client) => {
		await client.query('DELETE FROM variable WHERE id = $1 AND model_id = $2', [id, modelId]);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Deleted the variable “${variable.name}”`,
			objects: [{ kind: 'variable', id, name: variable.name, before: variable, after: null }]
		});
		await countUpStructure(client, [modelId], 'definition');
	});
}
