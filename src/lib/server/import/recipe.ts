import { z } from 'zod';
import {
	ENCODINGS,
	SOURCE_DATE_FORMATS,
	type ColumnRule,
	type ImportRecipe,
	type MapLine,
	type Model,
	type SourceDateFormat
} from '../../core';
import type { Database } from '../database';
import { notFound } from '../fault';

const column = z.string().max(500);
const memberIds = z.array(z.int()).max(5_000);

/** Where rows come from. */
export const placeSchema = z.discriminatedUnion('kind', [
	z.object({ kind: z.literal('file') }),
	/** A folder under the server's drop folder, watched; new files whose name matches are loaded. */
	z.object({ kind: z.literal('folder'), folder: z.string().max(200), pattern: z.string().min(1).max(200) }),
	z.object({ kind: z.literal('query'), connection: z.int(), text: z.string().max(20_000) }),
	/** Leaf amounts of another model: members (ids) by dimension, all under them; a dimension left out is not limited. */
	z.object({ kind: z.literal('model'), model: z.int(), slice: z.record(z.string(), memberIds) }),
	/** The ledger service: one company or all, from a month to a month, or the months of a variable. */
	z.object({
		kind: z.literal('ledger'),
		company: z.string().max(20),
		from: z.string().regex(/^\d{4}-\d{2}$/),
		to: z.string().regex(/^\d{4}-\d{2}$/)
	})
]);

/** How a saved import's rows are written, where its amounts stand, and how it loads. */
export const sourceSchema = z.object({
	place: placeSchema.default({ kind: 'file' }),
	delimiter: z.string().length(1).default(';'),
	quote: z.enum(['"', "'"]).default('"'),
	encoding: z.enum(ENCODINGS).default('utf-8'),
	/** Rows above the data, the last of them the headings; 0: columns are called by their number. */
	headerRows: z.int().min(0).max(100).default(1),
	/** Of a workbook: the sheet, the first when empty, and the range such as B3:H900, all when empty. */
	sheet: z.string().max(100).default(''),
	range: z
		.string()
		.regex(/^$|^[A-Z]{1,3}\d{1,7}:[A-Z]{1,3}(\d{1,7})?$/)
		.default(''),
	amountColumns: z.array(column).max(400).default([]),
	decimal: z.enum(['.', ',']).default('.'),
	group: z.string().max(1).default(''),
	currencyColumn: column.nullable().default(null),
	reversedKinds: z.array(z.enum(['revenue', 'expense', 'asset', 'liability', 'equity', 'statistic', 'rate'])).default([]),
	valueDates: z.enum(SOURCE_DATE_FORMATS).default('YYYY-MM-DD'),
	/** The month's own, or run up since the start of the fiscal year. */
	amounts: z.enum(['movement', 'to date']).default('movement'),
	way: z.enum(['replace', 'add']).default('replace'),
	rejects: z.enum(['stop', 'load good rows']).default('stop'),
	/** Whether rows after the span of their scenario make it longer; they are rejects otherwise. */
	extendsSpan: z.boolean().default(false),
	/** Dimensions (ids) that limit what a load replaces, beside scenario and period. */
	extent: z.array(z.int()).max(20).default([])
});
export type Source = z.infer<typeof sourceSchema>;

const text = z.string().max(500);
const termsByKind = {
	single: z.object({ value: text }),
	'any of': z.object({ values: z.array(text).max(5_000) }),
	span: z.object({ from: text, to: text }),
	pattern: z.object({ pattern: text }),
	joint: z.object({
		conditions: z
			.array(z.object({ column, pattern: text }))
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
