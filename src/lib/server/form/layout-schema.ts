import { z } from 'zod';
import type { FormLayout, Selection } from '../../core';

const reference = z.union([z.number().int(), z.literal('chosen'), z.object({ variable: z.string().max(200) })]);
const attributeValue = z.union([z.string().max(500), z.number(), z.boolean()]);
const test = z.object({
	attribute: z.string().max(200),
	operator: z.enum(['=', '<>', '<', '<=', '>', '>=', 'one of']),
	value: z.union([attributeValue, z.array(attributeValue).max(1_000)])
});
const hierarchy = z.string().max(200).optional();
const selection: z.ZodType<Selection> = z.lazy(() =>
	z.discriminatedUnion('kind', [
		z.object({ kind: z.literal('these'), members: z.array(reference).max(10_000), hierarchy }),
		z.object({ kind: z.literal('all'), hierarchy }),
		z.object({ kind: z.enum(['children', 'leaves', 'under', 'ancestors', 'siblings']), of: reference, hierarchy }),
		z.object({ kind: z.literal('level'), depth: z.number().int().min(0).max(100), of: reference.optional(), hierarchy }),
		z.object({ kind: z.literal('range'), from: reference, to: reference, hierarchy }),
		z.object({ kind: z.literal('where'), in: selection, test, hierarchy }),
		z.object({ kind: z.literal('any of'), selections: z.array(selection).max(100), hierarchy }),
		z.object({ kind: z.literal('except'), from: selection, without: selection, hierarchy })
	])
) as z.ZodType<Selection>;
const block = z.object({
	parts: z
		.array(z.object({ dimension: z.number().int(), selection }))
		.min(1)
		.max(6),
	toDate: z.enum(['year', 'half', 'quarter', 'month', 'week', 'day']).optional()
});
const derived = z.object({
	kind: z.enum(['difference', '% difference', 'share']),
	label: z.string().min(1).max(200),
	of: z.number().int().min(0).max(49),
	base: z.number().int().min(0).max(49)
});

/** The stored layout of a form, checked whenever it is read. */
export const layoutSchema = z.object({
	version: z.literal(1),
	rows: z.array(block).max(50),
	columns: z.array(block).max(50),
	derived: z.array(derived).max(50).optional(),
	selectors: z.array(z.object({ dimension: z.number().int(), selection, initial: z.number().int() })).max(20),
	pinned: z.array(z.object({ dimension: z.number().int(), member: z.number().int() })).max(20),
	currencies: z
		.array(z.string().regex(/^([A-Z]{3}|local)$/))
		.min(1)
		.max(20)
}) satisfies z.ZodType<FormLayout>;
