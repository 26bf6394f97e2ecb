import { z } from 'zod';

/** How the periods of a calendar are made. */
export const calendarSchema = z.object({
	grain: z.enum(['quarter', 'month', 'week', 'day']),
	pattern: z.enum(['calendar months', '4-4-5', '4-5-4', '5-4-4', '13×4']),
	fiscalStartMonth: z.number().int().min(1).max(12),
	weekStart: z.number().int().min(1).max(7).optional(),
	namedBy: z.enum(['first year', 'last year']),
	firstYear: z.number().int().min(1950).max(2150),
	years: z.number().int().min(1).max(40),
	levels: z.array(z.enum(['half', 'quarter', 'month', 'week'])).max(4)
});
