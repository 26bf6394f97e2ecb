import type pg from 'pg';
import { z } from 'zod';
import { transaction } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { dimensionChanged } from './act';
import { readDimension, type LoadedDimension } from './read-state';
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
	await transaction(async (client) => {
		await client.query('SELECT FROM dimension WHERE code = $1 FOR UPDATE', [dimensionCode]);
		const dimension = await readDimension(client, modelId, dimensionCode);
		const { id, before } = await storeAttribute(client, dimension, wanted);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: dimension.id,
			words: `${before ? 'Changed' : 'Defined'} the attribute “${wanted.name}”`,
			objects: [{ kind: 'attribute', id, name: wanted.name, before: before ?? null, after: wanted }]
		});
		await dimensionChanged(client, dimension.id);
	});
}

/**
 * Stores an attribute of a dimension, new or known; joins the caller's transaction.
 * @throws Fault 422 where members have values that would be lost
 */
export async function storeAttribute(
	client: pg.PoolClient,
	dimension: LoadedDimension,
	wanted: z.infer<typeof attributeSchema>
): Promise<{ id: number; before: LoadedDimension['attributes'][number] | undefined }> {
	if (wanted.type === 'choice' && wanted.choices.length === 0)
		throw new Fault(422, 'not possible', 'An attribute of choices needs some to choose from.');
	const taken = dimension.state.fields.find(
		({ key, title }) => title.toLowerCase() === wanted.name.toLowerCase() && !key.startsWith('attribute ')
	);
	if (taken || /^(code|name|parent|weight|retired)$/i.test(wanted.name))
		throw new Fault(422, 'not possible', `“${wanted.name}” is the name of a fact already. Choose another name.`);
	const before = dimension.attributes.find((attribute) => attribute.name === wanted.name);
	if (before && before.type !== wanted.type) {
		await refuseGiving(client, before.id, before.name);
		const filled = await client.query<{ count: number }>('SELECT count(*)::integer AS count FROM attribute_value WHERE attribute_id = $1', [
			before.id
		]);
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
	return { id: stored.rows[0]!.id, before };
}

/** @throws Fault 409 while people have grants by an attribute */
async function refuseGiving(client: pg.PoolClient, attribute: number, name: string): Promise<void> {
	const given = await client.query('SELECT FROM attribute_grant WHERE attribute_id = $1', [attribute]);
	if (given.rowCount) throw new Fault(409, 'still used', `Whoever “${name}” names has a grant by it. Take that away under Access first.`);
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
		const used = await client.query<{ name: string }>('SELECT name FROM form WHERE owner_id IS NULL AND layout::text LIKE $1 LIMIT 1', [
			`%"attribute": ${JSON.stringify(attributeName).replaceAll(/[%_\\]/g, '\\$&')}%`
		]);
		if (used.rows[0]) throw new Fault(409, 'still used', `The form “${used.rows[0].name}” selects by “${attributeName}”. Change it first.`);
		await refuseGiving(client, attribute.id, attributeName);
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
