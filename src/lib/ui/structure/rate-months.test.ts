import { describe, expect, test } from 'vitest';
import { monthsOf, rateIn, spansAfter, spanTyped } from './rate-months';

const [january, february] = monthsOf(2028, 'en-GB') as [ReturnType<typeof monthsOf>[number], ReturnType<typeof monthsOf>[number]];
const line = (kind: 'average' | 'closing', ...spans: [string, string, number][]) => ({
	currency: 'GBP',
	kind,
	spans: spans.map(([from, to, value]) => ({ from, to, value })),
	gaps: []
});

describe('a month of rates', () => {
	test('ends on the leap day', () => expect([february.start, february.end]).toEqual(['2028-02-01', '2028-02-29']));
	test('shows an average given for it, or for a longer stretch', () => {
		const rates = line('average', ['2028-01-01', '2028-01-31', 0.8], ['2028-02-01', '2028-12-31', 0.9]);
		expect(rateIn(rates, january)).toEqual({ value: 0.8, own: true });
		expect(rateIn(rates, february)).toEqual({ value: 0.9, own: false });
	});
	test('shows the last closing rate dated in it, and none from before', () => {
		const rates = line('closing', ['2028-01-15', '2028-01-15', 0.7], ['2028-01-31', '2028-01-31', 0.8]);
		expect(rateIn(rates, january)?.value).toBe(0.8);
		expect(rateIn(rates, february)).toBeUndefined();
	});
	test('takes what is typed as its average, or as the rate of its last day', () => {
		expect(spanTyped('average', february)).toEqual({ from: '2028-02-01', to: '2028-02-29' });
		expect(spanTyped('closing', february)).toEqual({ from: '2028-02-29', to: '2028-02-29' });
	});
	test('is carried on to the end of the horizon, over the turn of the year', () => {
		const december = monthsOf(2027, 'en-GB')[11]!;
		expect(spansAfter('closing', december, '2028-02-29')).toEqual([
			{ from: '2028-01-31', to: '2028-01-31' },
			{ from: '2028-02-29', to: '2028-02-29' }
		]);
	});
});
