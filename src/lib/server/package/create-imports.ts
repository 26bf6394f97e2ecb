import type pg from 'pg';
import { Fault } from '../fault';
import { sourceSchema } from '../definition/source-schema';
import type { PackedImport } from '../definition/package-format';
import type { Made } from './made';

/** Makes an import with its rules. Maps several go through are made once: `maps` holds them by name. @throws Fault 422 */
export async function createImport(
	client: pg.PoolClient,
	modelId: number,
	packed: PackedImport,
	made: ReadonlyMap<string, Made>,
	origins: ReadonlyMap<string, number>,
	maps: Map<string, number>
): Promise<void> {
	const { extent, ...readAs } = packed.source as { extent?: string[] };
	const source = sourceSchema.safeParse({ ...readAs, extent: (extent ?? []).flatMap((key) => made.get(key)?.id ?? []) });
	const origin = origins.get(packed.origin);
	if (!source.success || origin === undefined)
		throw new Fault(422, 'not understood', `The import ${packed.name} does not keep its format.`);
	const row = await client.query<{ id: number }>(
		'INSERT INTO import (model_id, origin_id, code, name, description, source) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
		[modelId, origin, packed.code, packed.name, packed.description, JSON.stringify(source.data)]
	);
	for (const rule of packed.rules) {
		const dimension = made.get(rule.dimension);
		if (!dimension)
			throw new Fault(
				422,
				'not understood',
				`The import ${packed.name} names the dimension ${rule.dimension}, which the package does not have.`
			);
		let map = rule.map ? (maps.get(rule.map.name) ?? null) : null;
		if (rule.map && map === null) {
			const taken = new Set((await client.query<{ name: string }>('SELECT name FROM map')).rows.map(({ name }) => name));
			let name = rule.map.name;
			for (let number = 2; taken.has(name); number++) name = `${rule.map.name} ${number}`;
			const stored = await client.query<{ id: number }>('INSERT INTO map (dimension_id, name) VALUES ($1, $2) RETURNING id', [
				dimension.id,
				name
			]);
			map = stored.rows[0]!.id;
			maps.set(rule.map.name, map);
			await client.query(
				`INSERT INTO map_line (map_id, position, member_id, skip, reverse_sign, kind, terms)
				SELECT $1, o, m, s, r, k, t::jsonb FROM unnest($2::integer[], $3::boolean[], $4::boolean[], $5::text[], $6::text[]) WITH ORDINALITY AS l (m, s, r, k, t, o)`,
				[
					map,
					rule.map.lines.map(({ member }) => (member === null ? null : (dimension.ids.get(member) ?? null))),
					rule.map.lines.map(({ skip }) => skip),
					rule.map.lines.map(({ reverseSign }) => reverseSign),
					rule.map.lines.map(({ kind }) => kind),
					rule.map.lines.map(({ terms }) => JSON.stringify(terms))
				]
			);
		}
		await client.query(
			`INSERT INTO import_rule (import_id, dimension_id, come_from, source_columns, separator, label_column, variable, map_id, member_id, date_format)
			VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
			[
				row.rows[0]!.id,
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
}
