import { z } from 'zod';
import type { ColumnRule, MapLine, Model, SourceDateFormat } from '../../core';
import type { Database } from '../database';
import { notFound } from '../fault';

/** How a saved import's file is written. */
export const sourceSchema = z.object({
	delimiter: z.string().length(1),
	encoding: z.enum(['utf-8', 'windows-1252', 'utf-16le']),
	amountColumn: z.string(),
	decimal: z.enum(['.', ',']),
	group: z.string().max(1)
});
export type Source = z.infer<typeof sourceSchema>;

const termsSchema = {
	single: z.object({ value: z.string() }),
	'any of': z.object({ values: z.array(z.string()) }),
	span: z.object({ from: z.string(), to: z.string() }),
	pattern: z.object({ pattern: z.string() }),
	joint: z.object({ conditions: z.array(z.object({ column: z.string(), pattern: z.string() })).min(1) })
};

export interface StoredImport {
	id: number;
	origin: number;
	code: string;
	name: string;
	description: string;
	source: Source;
}

export async function readStoredImport(database: Database, modelId: number, code: string): Promise<StoredImport> {
	const found = await database.query<StoredImport>(
		'SELECT id, origin_id AS origin, code, name, description, source FROM import WHERE model_id = $1 AND code = $2',
		[modelId, code]
	);
	const stored = found.rows[0];
	if (!stored) throw notFound('import');
	return { ...stored, source: sourceSchema.parse(stored.source) };
}

interface RuleRow {
	dimension: number;
	comeFrom: ColumnRule['from'];
	column: string | null;
	map: number | null;
	member: number | null;
	format: SourceDateFormat | null;
}

/** The rules of an import with the lines of their maps, in the model's order of dimensions. */
export async function readRules(database: Database, modelId: number, importId: number): Promise<ColumnRule[]> {
	const rules = await database.query<RuleRow>(
		`SELECT r.dimension_id AS dimension, r.come_from AS "comeFrom", r.source_column AS column, r.map_id AS map, r.member_id AS member, r.date_format AS format
		FROM import_rule r JOIN model_dimension m ON m.model_id = $1 AND m.dimension_id = r.dimension_id WHERE r.import_id = $2 ORDER BY m.position`,
		[modelId, importId]
	);
	const lines = await readMapLines(
		database,
		rules.rows.map((rule) => rule.map).filter((map) => map !== null)
	);
	return rules.rows.map((rule): ColumnRule => {
		if (rule.comeFrom === 'fixed') return { dimension: rule.dimension, from: 'fixed', member: rule.member! };
		if (rule.comeFrom === 'date') return { dimension: rule.dimension, from: 'date', column: rule.column!, format: rule.format! };
		return { dimension: rule.dimension, from: 'column', column: rule.column!, lines: lines.get(rule.map!) ?? [] };
	});
}

async function readMapLines(database: Database, maps: readonly number[]): Promise<Map<number, MapLine[]>> {
	const found = await database.query<{
		map: number;
		id: number;
		member: number | null;
		skip: boolean;
		reverse: boolean;
		kind: MapLine['kind'];
		terms: unknown;
	}>(
		'SELECT map_id AS map, id, member_id AS member, skip, reverse_sign AS reverse, kind, terms FROM map_line WHERE map_id = ANY ($1) ORDER BY map_id, position',
		[maps]
	);
	const byMap = new Map<number, MapLine[]>();
	for (const { map, id, member, skip, reverse, kind, terms } of found.rows) {
		const line = { id, member, skip, reverseSign: reverse, kind, ...termsSchema[kind].parse(terms) } as MapLine;
		byMap.set(map, [...(byMap.get(map) ?? []), line]);
	}
	return byMap;
}

/** A rule in words, for the page: "from the column Account, through 46 map lines". */
export function ruleInWords(model: Model, rule: ColumnRule): string {
	const dimension = model.dimension(rule.dimension)!;
	if (rule.from === 'fixed') return `always ${dimension.member(dimension.ordinal(rule.member)!).name}`;
	if (rule.from === 'date') return `by the date in ${rule.column}, written ${rule.format}`;
	return `from the column ${rule.column}`;
}
