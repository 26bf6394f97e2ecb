import { countUpStructure } from '../../database/structure-version';
import type { PackedImport } from '../../definition/package-format';
import { sourceSchema } from '../../definition/source-schema';
import { Fault } from '../../fault';
import { dropImport, newMap } from '../../import/edit';
import type { Made } from '../made';
import type { Scene } from '../scene';
import type { Part } from './part';

type PackedRule = PackedImport['rules'][number];

/** Imports with their rules. One that is there keeps where its rows come from, its schedule and its batches. */
export const importsPart: Part<PackedImport> = {
	what: 'import',
	items: ({ imports }) => imports,
	nameOf: ({ code }) => code,
	async put(scene, packed, isNew) {
		const { client, modelId, dimensions } = scene;
		const { extent, ...readAs } = packed.source as { extent?: string[] };
		const here = (extent ?? []).flatMap((key) => dimensions.get(key)?.id ?? []);
		const source = sourceSchema.safeParse({ ...readAs, extent: here });
		if (!source.success) throw new Fault(422, 'not understood', `The import ${packed.name} does not keep its format.`);
		let id: number;
		if (isNew) {
			const made = await client.query<{ id: number }>(
				'INSERT INTO import (model_id, origin_id, code, name, description, source) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
				[modelId, await originOf(scene, packed.origin), packed.code, packed.name, packed.description, JSON.stringify(source.data)]
			);
			id = made.rows[0]!.id;
		} else {
			const kept = await client.query<{ id: number }>(
				`UPDATE import SET name = $3, description = $4, source = $5::jsonb || CASE WHEN source ? 'place' THEN jsonb_build_object('place', source -> 'place') ELSE '{}' END
				WHERE model_id = $1 AND code = $2 RETURNING id`,
				[modelId, packed.code, packed.name, packed.description, JSON.stringify(source.data)]
			);
			id = kept.rows[0]!.id;
			await client.query('DELETE FROM import_rule WHERE import_id = $1', [id]);
		}
		for (const rule of packed.rules) await putRule(scene, id, packed.name, rule);
		return { kind: 'import', id };
	},
	async remove({ client, modelId }, { code }) {
		return { kind: 'import', id: (await dropImport(client, modelId, code)).id };
	}
};

/** The origin its amounts stand under, made where there is none of the name. */
async function originOf({ client, modelId, origins }: Scene, name: string): Promise<number> {
	const known = origins.get(name);
	if (known !== undefined) return known;
	const made = await client.query<{ id: number }>("INSERT INTO origin (model_id, mode, name) VALUES ($1, 'loads', $2) RETURNING id", [
		modelId,
		name
	]);
	origins.set(name, made.rows[0]!.id);
	await countUpStructure(client, [modelId], 'origins');
	return made.rows[0]!.id;
}

async function putRule(scene: Scene, importId: number, importName: string, rule: PackedRule): Promise<void> {
	const dimension = scene.dimensions.get(rule.dimension);
	if (!dimension)
		throw new Fault(422, 'not understood', `The import ${importName} names the dimension ${rule.dimension}, which is not there.`);
	const map = rule.map ? (scene.maps.get(rule.map.name) ?? (await putMap(scene, dimension, rule.map))) : null;
	await scene.client.query(
		`INSERT INTO import_rule (import_id, dimension_id, come_from, source_columns, separator, label_column, variable, map_id, member_id, date_format)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
		[
			importId,
			dimension.id,
			rule.comeFrom,
			rule.columns,
			rule.separator,
			rule.label,
			rule.variable,
			map,
			rule.member === null ? null : (dimension.ids.get(rule.member) ?? null),
			rule.format
		]
	);
}

/** A map with its lines: the one of that name that imports of this model go through, or a new one. */
async function putMap({ client, modelId, maps }: Scene, dimension: Made, { name, lines }: NonNullable<PackedRule['map']>): Promise<number> {
	const standing = await client.query<{ id: number }>(
		`SELECT m.id FROM map m WHERE m.name = $1 AND m.dimension_id = $2
			AND EXISTS (SELECT FROM import_rule r JOIN import i ON i.id = r.import_id WHERE r.map_id = m.id AND i.model_id = $3)`,
		[name, dimension.id, modelId]
	);
	const id = standing.rows[0]?.id ?? (await newMap(client, dimension.id, name));
	maps.set(name, id);
	await client.query('DELETE FROM map_line WHERE map_id = $1', [id]);
	await client.query(
		`INSERT INTO map_line (map_id, position, member_id, skip, reverse_sign, kind, terms)
		SELECT $1, o, m, s, r, k, t::jsonb FROM unnest($2::integer[], $3::boolean[], $4::boolean[], $5::text[], $6::text[]) WITH ORDINALITY AS l (m, s, r, k, t, o)`,
		[
			id,
			lines.map(({ member }) => (member === null ? null : (dimension.ids.get(member) ?? null))),
			lines.map(({ skip }) => skip),
			lines.map(({ reverseSign }) => reverseSign),
			lines.map(({ kind }) => kind),
			lines.map(({ terms }) => JSON.stringify(terms))
		]
	);
	return id;
}
