import { z } from 'zod';
import { calendarSchema } from './calendar-schema';

/** The version of the format; a newer one is refused, older ones are read. */
export const PACKAGE_VERSION = 1;

const text = z.string().max(2_000);
const fieldValue = z.union([z.string().max(2_000), z.number(), z.boolean()]);
const place = z.object({ parent: text.nullable(), weight: z.union([z.literal(1), z.literal(0), z.literal(-1)]) });

/** A member; parents by code. Members come in tree order, so positions need no numbers. */
const member = place.extend({
	code: text,
	name: text,
	unassigned: z.boolean().optional(),
	retired: z.boolean().optional(),
	facts: z.record(z.string().max(220), fieldValue).optional(),
	places: z.record(z.string().max(200), place.extend({ order: z.number().int() })).optional()
});

const dimension = z.object({
	key: z.string().min(1).max(80),
	name: text,
	kind: z.enum(['account', 'period', 'scenario', 'entity', 'general']),
	hierarchies: z.array(text).max(50),
	attributes: z
		.array(
			z.object({
				name: text,
				type: z.enum(['text', 'number', 'yes/no', 'choice', 'date', 'person', 'currency']),
				choices: z.array(text).max(200)
			})
		)
		.max(200),
	members: z.array(member).max(200_000)
});
export type PackedDimension = z.infer<typeof dimension>;

const reference = z.object({ dimension: text, member: text });

/** An expression with codes for ids, as packages held formulas before they held text. */
export type PackedExpression =
	| { kind: 'number'; value: number }
	| { kind: 'account'; account: string; at?: { dimension: string; member: string }[] | undefined }
	| { kind: 'negative'; of: PackedExpression }
	| { kind: 'binary'; operator: '+' | '-' | '*' | '/'; left: PackedExpression; right: PackedExpression };
const expression: z.ZodType<PackedExpression> = z.lazy(() =>
	z.discriminatedUnion('kind', [
		z.object({ kind: z.literal('number'), value: z.number() }),
		z.object({ kind: z.literal('account'), account: text, at: z.array(reference).max(20).optional() }),
		z.object({ kind: z.literal('negative'), of: expression }),
		z.object({ kind: z.literal('binary'), operator: z.enum(['+', '-', '*', '/']), left: expression, right: expression })
	])
);

/** A form; its layout names dimensions and members by their place in the two lists. */
const form = z.object({
	code: z.string().min(1).max(80),
	name: text,
	folder: text,
	description: text,
	/** Older packages have none. */
	instructions: z.string().max(20_000).default(''),
	dimensions: z.array(text).max(40),
	members: z.array(reference).max(20_000),
	/** Names of the runbooks its buttons run, by their place. */
	runbooks: z.array(text).max(20).default([]),
	/** Names of the rate sets its blocks are read at, by their place. */
	rateSets: z.array(text).max(50).default([]),
	layout: z.unknown()
});
export type PackedForm = z.infer<typeof form>;

/** A view of the explorer that is shared; as a form, by name. */
const view = form.omit({ code: true, folder: true, instructions: true, runbooks: true });
export type PackedView = z.infer<typeof view>;

/** A shared board; its tiles name dimensions, members, runbooks and pictures by their place in the lists, forms by code and views by name. */
const board = z.object({
	name: z.string().min(1).max(80),
	description: text,
	dimensions: z.array(text).max(40),
	members: z.array(reference).max(20_000),
	runbooks: z.array(text).max(200),
	pictures: z
		.array(z.object({ type: z.enum(['image/png', 'image/jpeg', 'image/webp', 'image/gif']), data: z.base64().max(3_000_000) }))
		.max(40),
	content: z.unknown()
});
export type PackedBoard = z.infer<typeof board>;

const packedImport = z.object({
	code: z.string().min(1).max(80),
	name: text,
	description: text,
	origin: text,
	source: z.unknown(),
	rules: z
		.array(
			z.object({
				dimension: text,
				comeFrom: z.enum(['column', 'fixed', 'date', 'variable', 'chosen', 'headings']),
				columns: z.array(text).max(12),
				separator: z.string().max(5),
				label: text.nullable(),
				variable: text.nullable(),
				format: text.nullable(),
				member: text.nullable(),
				map: z
					.object({
						name: text,
						lines: z
							.array(z.object({ member: text.nullable(), skip: z.boolean(), reverseSign: z.boolean(), kind: text, terms: z.unknown() }))
							.max(100_000)
					})
					.nullable()
			})
		)
		.max(40)
});
export type PackedImport = z.infer<typeof packedImport>;

/** A runbook; its steps and what it asks for name dimensions and members by their place in the two lists. */
const runbook = z.object({
	name: z.string().min(1).max(200),
	description: z.string().max(4_000),
	onRefused: z.enum(['skip', 'stop']),
	whenBusy: z.enum(['wait', 'refuse']),
	dimensions: z.array(text).max(40),
	members: z.array(reference).max(20_000),
	parameters: z.array(z.unknown()).max(30),
	/** Scripts as text; imports by code. */
	steps: z.array(z.unknown()).max(200),
	/** The origins of what its steps have written, for which answers. */
	results: z
		.array(
			z.object({
				step: z.number().int().min(0),
				origin: text,
				answers: z.array(
					z.object({ parameter: text, value: z.union([z.number(), z.string().max(500), z.array(z.number().int()).max(1_000)]).nullable() })
				)
			})
		)
		.max(10_000)
});
export type PackedRunbook = z.infer<typeof runbook>;

/** The whole model as plain data: one file of the zip each. */
export const packageSchema = z.object({
	model: z.object({
		format: z.literal('noble lattice model'),
		version: z.number().int().min(1),
		name: text,
		reportingCurrency: z.string().regex(/^[A-Z]{3}$/),
		currencies: z
			.array(z.string().regex(/^[A-Z]{3}$/))
			.min(1)
			.max(50),
		dimensions: z.array(z.string().max(80)).min(3).max(40),
		/** Dimensions (keys) on which reading is restricted; older packages do not say. */
		guarded: z.array(z.string().max(80)).max(40).default([]),
		/** Packages of before call loads and results alike what “proposes”. */
		origins: z.array(z.object({ name: text, mode: z.enum(['entry', 'loads', 'sets', 'adds', 'proposes']) })).max(1_000)
	}),
	calendar: calendarSchema,
	dimensions: z.array(dimension).min(3).max(40),
	/** What accounts choose from beside dimensions of the model; older packages have none. */
	lists: z.array(dimension).max(500).default([]),
	rates: z
		.array(
			z.object({
				name: text,
				pivot: z.string().regex(/^[A-Z]{3}$/),
				rates: z
					.array(
						z.object({
							currency: z.string().regex(/^[A-Z]{3}$/),
							kind: z.enum(['average', 'closing', 'historical']),
							from: text,
							to: text,
							value: z.number().positive()
						})
					)
					.max(200_000)
			})
		)
		.max(100),
	variables: z.array(z.object({ name: text, member: reference.nullable(), number: z.number().nullable() })).max(1_000),
	formulas: z
		.array(
			z.object({
				account: text,
				timing: z.enum(['after totals', 'per leaf']),
				/** In the formula language, with names; packages of before hold a tree instead. */
				text: z.string().max(20_000).optional(),
				expression: expression.optional(),
				/** Whether figures may be typed above its results. */
				mayBeTyped: z.boolean().optional(),
				/** Where it stands per leaf, by codes. */
				scope: z
					.object({
						scenarios: z.array(text).max(1_000).optional(),
						from: text.optional(),
						to: text.optional(),
						within: z.enum(['first period of the year', 'later periods of the year']).optional()
					})
					.optional()
			})
		)
		.max(10_000),
	locks: z
		.array(
			z.object({
				name: text,
				layer: z.enum(['period close', 'cycle', 'board']),
				state: z.enum(['open', 'held', 'closed']),
				members: z.array(reference).max(20_000)
			})
		)
		.max(1_000),
	forms: z.array(form).max(2_000),
	imports: z.array(packedImport).max(500),
	/** Older packages have none. */
	runbooks: z.array(runbook).max(500).default([]),
	/** Older packages have neither. */
	views: z.array(view).max(1_000).default([]),
	boards: z.array(board).max(1_000).default([])
});
export type ModelPackage = z.infer<typeof packageSchema>;

/** A row of the data: an origin's series for one fiscal year; members by code in the order of the dimensions. */
export interface PackedSeries {
	origin: string;
	members: string[];
	year: number;
	/** Choices by code and texts as they are; everything else as numbers. */
	amounts: (number | string | null)[];
	/** With which revision of the model it came from each was written, or all of them: what is newest stands. */
	written: number[];
}

/** A result of nothing, which sets aside what stands beneath it. */
export const NOTHING_PACKED = '∅';

/** Accounts (codes) whose values stand for something else than a number, and the dimension or list (key) that is chosen from. */
export function codedAccounts({ dimensions }: Pick<ModelPackage, 'dimensions'>): Map<string, { chosenFrom: string | undefined }> {
	const accounts = dimensions.find(({ kind }) => kind === 'account')?.members ?? [];
	return new Map(
		accounts.flatMap(({ code, facts }) =>
			facts?.valueType === 'choice' || facts?.valueType === 'text'
				? [[code, { chosenFrom: facts.valueType === 'choice' ? String(facts.choiceDimension) : undefined }] as const]
				: []
		)
	);
}
