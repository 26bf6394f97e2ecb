import { z } from 'zod';
import { upgradeLayout, type Expression, type FormLayout, type Selection } from '../../core';

const reference = z.union([z.number().int(), z.literal('chosen'), z.object({ variable: z.string().max(200) })]);
const attributeValue = z.union([z.string().max(500), z.number(), z.boolean()]);
const test = z.object({
	attribute: z.string().max(200),
	operator: z.enum(['=', '<>', '<', '<=', '>', '>=', 'one of']),
	value: z.union([attributeValue, z.array(attributeValue).max(1_000)])
});
const hierarchy = z.string().max(200).optional();
/** Which members of a dimension; nested selections are limited by the size of a request. */
export const selectionSchema: z.ZodType<Selection> = z.lazy(() =>
	z.discriminatedUnion('kind', [
		z.object({ kind: z.literal('these'), members: z.array(reference).max(10_000), hierarchy }),
		z.object({ kind: z.literal('all'), hierarchy }),
		z.object({ kind: z.enum(['children', 'leaves', 'under', 'ancestors', 'siblings']), of: reference, hierarchy }),
		z.object({ kind: z.literal('level'), depth: z.number().int().min(0).max(100), of: reference.optional(), hierarchy }),
		z.object({
			kind: z.literal('leaf of each'),
			in: selectionSchema,
			at: z
				.number()
				.int()
				.min(-400)
				.max(400)
				.refine((at) => at !== 0),
			hierarchy
		}),
		z.object({
			kind: z.literal('relative'),
			of: reference,
			by: z.number().int().min(-1_000).max(1_000).optional(),
			nth: z.object({ depth: z.number().int().min(1).max(30), at: z.number().int().min(1).max(10_000) }).optional(),
			take: z.enum(['this', 'children', 'leaves', 'under']),
			hierarchy
		}),
		z.object({ kind: z.literal('range'), from: reference, to: reference, hierarchy }),
		z.object({ kind: z.literal('where'), in: selectionSchema, test, hierarchy }),
		z.object({ kind: z.literal('any of'), selections: z.array(selectionSchema).max(100), hierarchy }),
		z.object({ kind: z.literal('except'), from: selectionSchema, without: selectionSchema, hierarchy })
	])
) as z.ZodType<Selection>;
const level = z.enum(['year', 'half', 'quarter', 'month', 'week', 'day']);
const parts = z.array(z.object({ dimension: z.number().int(), selection: selectionSchema })).max(6);
const label = z.string().trim().min(1, 'give it a name').max(200);

/** Expressions of computed lines and checks. */
export const expressionSchema: z.ZodType<Expression> = z.lazy(() =>
	z.discriminatedUnion('kind', [
		z.object({ kind: z.literal('number'), value: z.number() }),
		z.object({
			kind: z.literal('account'),
			member: z.number().int(),
			at: z.record(z.string().regex(/^\d+$/), z.number().int()).optional()
		}),
		z.object({ kind: z.literal('negative'), of: expressionSchema }),
		z.object({ kind: z.literal('binary'), operator: z.enum(['+', '-', '*', '/']), left: expressionSchema, right: expressionSchema })
	])
) as z.ZodType<Expression>;

const emphasis = z.object({
	when: z.enum(['above', 'below']),
	value: z.number().finite(),
	look: z.enum(['strong', 'good', 'bad', 'quiet'])
});
const look = {
	id: z.number().int().min(0).max(9_999),
	heading: z.string().max(200).optional(),
	beside: z.number().int().min(0).max(9_999).optional(),
	emphasis: z.array(emphasis).max(10).optional(),
	decimals: z.number().int().min(0).max(6).optional(),
	width: z.number().int().min(40).max(400).optional()
};
const blockId = z.number().int().min(0).max(9_999);
const block = z.discriminatedUnion('kind', [
	z.object({
		kind: z.literal('cells'),
		...look,
		parts,
		toDate: level.optional(),
		called: z.string().max(200).optional(),
		totalsAfter: z.boolean().optional(),
		readOnly: z.boolean().optional(),
		names: z.enum(['name', 'code', 'both']).optional(),
		reading: z
			.object({
				currency: z
					.string()
					.regex(/^([A-Z]{3}|local)$/)
					.optional(),
				rateSet: z.number().int().optional()
			})
			.optional(),
		flat: z.boolean().optional(),
		openLevels: z.number().int().min(0).max(30).optional(),
		sort: z.enum(['tree', 'name', 'code']).optional(),
		guidance: z.record(z.string().regex(/^\d+$/), z.string().max(300)).optional()
	}),
	z.object({
		kind: z.literal('derived'),
		...look,
		label,
		derivation: z.discriminatedUnion('how', [
			z.object({ how: z.enum(['difference', '% difference', 'share']), of: blockId, base: blockId }),
			z.object({ how: z.literal('to date'), of: blockId, since: level }),
			z.object({ how: z.literal('expression'), expression: expressionSchema, percent: z.boolean().optional() })
		])
	}),
	z.object({ kind: z.literal('text'), ...look, label: z.string().max(200) })
]);

const common = {
	selectors: z
		.array(
			z.object({
				dimension: z.number().int(),
				selection: selectionSchema,
				initial: z.number().int(),
				initialVariable: z.string().max(200).optional(),
				asks: z.boolean().optional()
			})
		)
		.max(20),
	pinned: z.array(z.object({ dimension: z.number().int(), member: z.number().int() })).max(20),
	currencies: z
		.array(z.string().regex(/^([A-Z]{3}|local)$/))
		.min(1)
		.max(20)
};

const today = z.object({
	version: z.literal(2),
	rows: z.array(block).max(50),
	columns: z.array(block).max(50),
	...common,
	scale: z.union([z.literal(1), z.literal(1_000), z.literal(1_000_000)]).optional(),
	hideEmptyRows: z.boolean().optional(),
	hideEmptyColumns: z.boolean().optional(),
	spread: z.enum(['in proportion', 'evenly', 'same value']).optional(),
	checks: z
		.array(z.object({ label, left: expressionSchema, compare: z.enum(['=', '<=', '>=']), right: expressionSchema, bars: z.boolean() }))
		.max(30)
		.optional(),
	ownLines: z.object({ dimension: z.number().int(), parent: reference }).optional(),
	methods: z.boolean().optional(),
	methodsLive: z.boolean().optional(),
	runs: z
		.array(z.object({ runbook: z.number().int(), label: z.string().max(80), when: z.enum(['button', 'before opening', 'after saving']) }))
		.max(12)
		.optional()
});

const first = z.object({
	version: z.literal(1),
	rows: z.array(z.object({ parts, toDate: level.optional() })).max(50),
	columns: z.array(z.object({ parts, toDate: level.optional() })).max(50),
	derived: z
		.array(
			z.object({
				kind: z.enum(['difference', '% difference', 'share']),
				label: z.string().min(1).max(200),
				of: z.number().int().min(0).max(49),
				base: z.number().int().min(0).max(49)
			})
		)
		.max(50)
		.optional(),
	...common
});

/** The stored layout of a form, checked whenever it is read; those of the first version become ones of today. */
export const layoutSchema = z
	.discriminatedUnion('version', [today, first])
	.transform((layout) => (layout.version === 1 ? upgradeLayout(layout) : (layout as FormLayout)));
