import { dateOfDay, dayNumber } from '../../core';
import type { Database } from '../database';

export type RateKindStored = 'average' | 'closing' | 'historical';

export interface RateSpan {
	from: string;
	to: string;
	value: number;
}

/** What a rate set holds: by “EUR average” its spans in order. */
export async function spansOf(database: Database, setId: number): Promise<Map<string, RateSpan[]>> {
	const rows = await database.query<RateSpan & { currency: string; kind: RateKindStored }>(
		'SELECT currency, kind, valid_from AS from, valid_to AS to, value FROM rate WHERE rate_set_id = $1 ORDER BY currency, kind, valid_from',
		[setId]
	);
	const found = new Map<string, RateSpan[]>();
	for (const { currency, kind, from, to, value } of rows.rows) {
		const key = `${currency} ${kind}`;
		found.set(key, [...(found.get(key) ?? []), { from, to, value }]);
	}
	return found;
}

/** The spans of a line with one more, which replaces what it covers and cuts what it overlaps; null only takes away. */
export function withSpan(spans: readonly RateSpan[], { from, to }: { from: string; to: string }, value: number | null): RateSpan[] {
	const kept = spans.flatMap((span): RateSpan[] => {
		if (span.to < from || span.from > to) return [span];
		const parts: RateSpan[] = [];
		if (span.from < from) parts.push({ ...span, to: dateOfDay(dayNumber(from) - 1) });
		if (span.to > to) parts.push({ ...span, from: dateOfDay(dayNumber(to) + 1) });
		return parts;
	});
	if (value !== null) kept.push({ from, to, value });
	return kept.sort((a, b) => (a.from < b.from ? -1 : 1));
}
