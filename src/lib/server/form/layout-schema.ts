import { z } from 'zod';
import type { FormLayout } from '../../core';

const reference = z.union([z.number().int(), z.literal('chosen')]);
const selection = z.discriminatedUnion('kind', [
	z.object({ kind: z.literal('these'), members: z.array(reference).max(10_000) }),
	z.object({ kind: z.enum(['children', 'leaves', 'under']), of: reference })
]);
const block = z.object({
	parts: z
		.array(z.object({ dimension: z.number().int(), selection }))
		.min(1)
		.max(6)
});

/** The stored layout of a form, checked whenever it is read. */
export const layoutSchema = z.object({
	version: z.literal(1),
	rows: z.array(block).max(50),
	columns: z.array(block).max(50),
	selectors: z.array(z.object({ dimension: z.number().int(), selection, initial: z.number().int() })).max(20),
	pinned: z.array(z.object({ dimension: z.number().int(), member: z.number().int() })).max(20),
	currencies: z
		.array(z.string().regex(/^([A-Z]{3}|local)$/))
		.min(1)
		.max(20)
}) satisfies z.ZodType<FormLayout>;
