import { z } from 'zod';
import { type ColumnRule, type ImportRecipe, type MapLine, type Model, type SourceDateFormat } from '../../core';
import type { Database } from '../database';
import { sourceSchema, type Source } from '../definition/source-schema';
import { notFound } from '../fault';

const text = z.string().max(500);
const termsByKind = {
	single: z.object({ value: text }),
	'any of': z.object({ values: z.array(text).max(5_000) }),
	span: z.object({ from: text, to: text }),
	pattern: z.object({ pattern: text }),
	joint: z.object({
		conditions: z
			.array(z.object({ column: text, pattern: text }))
			.min(1)
			.max(12)
	})
};

/** The terms of a map line with their kind. */
export const termsSchema = z.discriminatedUnion('kind', [
	termsByKind.single.extend({ kind: z.literal('single') }),
	termsByKind['any of'].extend({ kind: z.literal('any of') }),
	termsByKind.span.extend({ kind: z.literal('span') }),
	termsByKind.pattern.extend({ kind: z.literal('pattern') }),
	termsByKind.joint.extend({ kind: z.literal('joint') })
]);
export type Terms = z.infer<typeof termsSchema>;

export interface StoredImport {
	id: number;
	origin: number;
	code: string;
	name: string;
	description: string;
	version: number;
	source: Source;
}

/** An import of a model by its code. @throws Fault 404 */
export async function readStoredImport(database: Database, modelId: number, code: string): Promise<StoredImport> {
	const found = await database.query<StoredImport>(
		'SELECT id, origin_id AS origin, code, name, description, version, source FROM import WHERE model_id = $1 AND code = $2',
		[modelId, code]
	);
	const stored = found.rows[0];
	if (!stored) throw notFound('import');
	return { ...stored, source: sourceSchema.parse(stored.source) };
}

interface RuleRow {
	dimension: number;
	comeFrom: ColumnRule['from'];
	columns: string[];
	separator: string;
	label: string | null;
	variable: string | null;
	map: number | null;
	member: number | null;
	format: SourceDateFormat | null;
}

/** A rule with the map it goes through. */
export type StoredRule = ColumnRule & { map: number | null };

/** The rules of an import with the lines of their maps, in the model's order of dimensions. */
export async function readRules(database: Database, modelId: number, importId: number): Promise<StoredRule[]> {
	const rules = await database.query<RuleRow>(
		`SELECT r.dimension_id AS dimension, r.come_from AS "comeFrom", r.source_columns AS columns, r.separator, r.label_column AS label, r.variable,
			r.map_id AS map, r.member_id AS member, r.date_format AS format
		FROM import_rule r JOIN model_dimension m ON m.model_id = $1 AND m.dimension_id = r.dimension_id WHERE r.import_id = $2 ORDER BY m.position`,
		[modelId, importId]
	);
	const lines = await readMapLines(
		database,
		rules.rows.map((rule) => rule.map).filter((map) => map !== null)
	);
	return rules.rows.map((rule): StoredRule => {
		const { dimension, map } = rule;
		switch (rule.comeFrom) {
			case 'fixed':
				return { dimension, from: 'fixed', member: rule.member!, map };
			case 'date':
				return { dimension, from: 'date', column: rule.columns[0]!, format: rule.format!, map };
			case 'headings':
				return { dimension, from: 'headings', format: rule.format!, map };
			case 'variable':
				return { dimension, from: 'variable', variable: rule.variable!, map };
			case 'chosen':
				return { dimension, from: 'chosen', map };
			case 'column':
				return {
					dimension,
					from: 'column',
					columns: rule.columns,
					separator: rule.separator,
					label: rule.label,
					lines: lines.get(map!) ?? [],
					map
				};
			default:
				return rule.comeFrom satisfies never;
		}
	});
}

/** The lines of maps, in their order. */
export async function readMapLines(database: Database, maps: readonly number[]): Promise<Map<number, MapLine[]>> {
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
	const byMap = new Map<number, MapLine[]>(maps.map((map) => [map, []]));
	for (const { map, id, member, skip, reverse, kind, terms } of found.rows)
		byMap.get(map)!.push({ id, member, skip, reverseSign: reverse, kind, ...termsByKind[kind].parse(terms) } as MapLine);
	return byMap;
}

/** What the core needs to read rows. */
export const recipeOf = (source: Source, rules: readonly ColumnRule[]): ImportRecipe => ({
	rules: [...rules],
	amountColumns: source.amountColumns,
	amountStyle: { decimal: source.decimal, group: source.group },
	currencyColumn: source.currencyColumn,
	reversedKinds: source.reversedKinds,
	valueDates: source.valueDates
});

/** A rule in words, for the page: "from the column Account". */
export function ruleInWords(model: Model, rule: ColumnRule): string {
	const dimension = model.dimension(rule.dimension)!;
	switch (rule.from) {
		case 'fixed': {
			const ordinal = dimension.ordinal(rule.member);
			return `always ${ordinal === undefined ? 'a member that is gone' : dimension.member(ordinal).name}`;
		}
		case 'date':
			return `by the date in ${rule.column}, written ${rule.format}`;
		case 'headings':
			return `by the headings of the amount columns, written ${rule.format}`;
		case 'variable':
			return `the variable ${rule.variable}`;
		case 'chosen':
			return 'chosen at load';
		case 'column':
			return `from ${rule.columns.length === 1 ? 'the column' : 'the columns'} ${rule.columns.join(' + ')}`;
		default:
			return rule satisfies never;
	}
}

/** A line's terms in words. */
export function termsInWords(line: MapLine): string {
	switch (line.kind) {
		case 'single':
			return line.value === '' ? '(empty)' : line.value;
		case 'any of':
			return line.values.map((value) => (value === '' ? '(empty)' : value)).join(', ');
		case 'span':
			return `${line.from} … ${line.to}`;
		case 'pattern':
			return line.pattern;
		case 'joint':
			return line.conditions.map((condition) => `${condition.column} ${condition.pattern}`).join(' and ');
		default:
			return line satisfies never;
	}
}
