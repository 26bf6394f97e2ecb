import type { RateLineFacts, RateSpan } from '$lib/server/structure';

export interface Month {
	start: string;
	end: string;
	name: string;
}

/** The calendar months of a year, named for a reader. */
export function monthsOf(year: number, locale: string): Month[] {
	const name = new Intl.DateTimeFormat(locale, { month: 'short', timeZone: 'UTC' });
	return Array.from({ length: 12 }, (_, index) => {
		const start = new Date(Date.UTC(year, index, 1));
		const end = new Date(Date.UTC(year, index + 1, 0));
		return { start: plain(start), end: plain(end), name: name.format(start) };
	});
}

/**
 * What a line of rates shows in a month: an average the span that covers its end, a closing or historical rate the last
 * one dated in it; `own` when it was given for this month and not for a longer stretch.
 */
export function rateIn(line: RateLineFacts, month: Month): { value: number; own: boolean } | undefined {
	const found: RateSpan | undefined =
		line.kind === 'average'
			? line.spans.find(({ from, to }) => from <= month.end && to >= month.end)
			: line.spans.findLast(({ from, to }) => from <= month.end && to >= month.start);
	return found && { value: found.value, own: found.from >= month.start && found.to <= month.end };
}

/** The span a figure typed into a month stands for: the whole month for averages, its last day for closing rates. */
export const spanTyped = (kind: RateLineFacts['kind'], month: Month): { from: string; to: string } =>
	kind === 'average' ? { from: month.start, to: month.end } : { from: month.end, to: month.end };

/** The months after one up to the end of a horizon, as spans to fill with its rate. */
export function spansAfter(kind: RateLineFacts['kind'], month: Month, horizonEnd: string): { from: string; to: string }[] {
	const spans: { from: string; to: string }[] = [];
	let [year, number] = month.start.split('-').map(Number) as [number, number];
	for (;;) {
		[year, number] = number === 12 ? [year + 1, 1] : [year, number + 1];
		const next = { start: plain(new Date(Date.UTC(year, number - 1, 1))), end: plain(new Date(Date.UTC(year, number, 0))), name: '' };
		if (next.start > horizonEnd) return spans;
		spans.push(spanTyped(kind, next));
	}
}

const plain = (date: Date): string => date.toISOString().slice(0, 10);
