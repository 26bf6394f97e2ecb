import { z } from 'zod';
import { ENCODINGS, SOURCE_DATE_FORMATS } from '../../core';

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
