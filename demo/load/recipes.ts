// What saved imports are made of: maps, rules, and where rows come from.
import type pg from 'pg';
import { insertId, type LoadedDimension } from './dimensions';

export interface DemoMapLine {
	kind: string;
	/** The code of a member; null where rows are left out. */
	member: string | null;
	reverseSign?: boolean;
	terms: object;
}

/** Lines by pattern: what becomes which member (code), null to leave rows out. */
export const patterns = (pairs: Record<string, string | null>): DemoMapLine[] =>
	Object.entries(pairs).map(([pattern, member]) => ({ kind: 'pattern', member, terms: { pattern } }));

export async function addMap(client: pg.PoolClient, name: string, dimension: LoadedDimension, lines: DemoMapLine[]): Promise<number> {
	const id = await insertId(client, 'INSERT INTO map (dimension_id, name) VALUES ($1, $2) RETURNING id', [dimension.id, name]);
	for (const [index, line] of lines.entries())
		await client.query(
			'INSERT INTO map_line (map_id, position, member_id, skip, reverse_sign, kind, terms) VALUES ($1, $2, $3, $4, $5, $6, $7)',
			[
				id,
				index + 1,
				line.member === null ? null : dimension.ids.get(line.member),
				line.member === null,
				line.reverseSign ?? false,
				line.kind,
				JSON.stringify(line.terms)
			]
		);
	return id;
}

/** Where members of a dimension come from: a column by a map, a fixed member, or a date. */
export interface DemoRule {
	columns?: string[];
	separator?: string;
	label?: string;
	map?: number;
	member?: number;
	format?: string;
}

export const addRule = (
	client: pg.PoolClient,
	importId: number,
	dimension: LoadedDimension,
	{ columns, separator, label, map, member, format }: DemoRule
) =>
	client.query(
		'INSERT INTO import_rule (import_id, dimension_id, come_from, source_columns, separator, label_column, map_id, member_id, date_format) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)',
		[
			importId,
			dimension.id,
			format ? 'date' : map ? 'column' : 'fixed',
			columns ?? [],
			separator ?? '',
			label ?? null,
			map ?? null,
			member ?? null,
			format ?? null
		]
	);

export interface DemoImport {
	modelId: number;
	origin: number;
	code: string;
	name: string;
	description: string;
	source: object;
}

export const addImport = (client: pg.PoolClient, { modelId, origin, code, name, description, source }: DemoImport) =>
	insertId(
		client,
		'INSERT INTO import (model_id, origin_id, code, name, description, source) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
		[modelId, origin, code, name, description, JSON.stringify(source)]
	);
