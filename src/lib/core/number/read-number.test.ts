import { describe, expect, test } from 'vitest';
import { readDate } from '../calendar';
import { dateStyle, numberStyle, parseEntry, pastedStyle } from '../entry';
import { parseAmount } from '../mapping/amount';
import { readNumber } from '.';

/** One table for every field: what is typed, in two styles. */
const english = { decimal: '.', group: ',' } as const;
const german = { decimal: ',', group: '.' } as const;

describe('one reader of numbers', () => {
	test.each<[string, number | undefined, number | undefined]>([
		['17,250', 17_250, 17.25],
		['17.250', 17.25, 17_250],
		['10,5', undefined, 10.5],
		['1250,50', undefined, 1_250.5],
		['1,200', 1_200, 1.2],
		['0,500', undefined, 0.5],
		['0.500', 0.5, undefined],
		['00,500', undefined, 0.5],
		['1,200,000', 1_200_000, undefined],
		['1,20,000', undefined, undefined],
		['1,200.50', 1_200.5, undefined],
		['1.200,50', undefined, 1_200.5],
		['1 200', 1_200, 1_200],
		['1\u202f200', 1_200, 1_200],
		['1’200', 1_200, 1_200],
		["1'200", 1_200, 1_200],
		['1,200 300', undefined, undefined],
		['€ 1,200', 1_200, 1.2],
		['1,200 EUR', 1_200, 1.2],
		['EUR 1,200', 1_200, 1.2],
		['-€5', -5, -5],
		['€-5', -5, -5],
		['1,000-', -1_000, -1],
		['(1,000)', -1_000, -1],
		['(€ 12)', -12, -12],
		['-', 0, 0],
		['–', 0, 0],
		['−3', -3, -3],
		['+7', 7, 7],
		['--5', undefined, undefined],
		['-5-', undefined, undefined],
		['(-5)', undefined, undefined],
		['1.2m', 1_200_000, undefined],
		['1,2m', undefined, 1_200_000],
		['350k', 350_000, 350_000],
		['5%', 0.05, 0.05],
		['-5 %', -0.05, -0.05],
		['12 apples', undefined, undefined],
		['', undefined, undefined],
		['.5', 0.5, undefined],
		['1e5', undefined, undefined]
	])('%s is %s, or %s where the comma is the mark', (text, here, there) => {
		const amount = (style: typeof english | typeof german) => {
			const value = readNumber(text, style)?.amount;
			return value === undefined ? undefined : Number(value.toPrecision(12));
		};
		expect(amount(english)).toBe(here);
		expect(amount(german)).toBe(there);
	});

	test('a source’s amounts are read by the same rule of groups', () => {
		expect([parseAmount('0,500', { decimal: '.', group: ',' }), parseAmount('1,200', { decimal: '.', group: ',' })]).toEqual([
			undefined,
			1_200
		]);
		expect(parseAmount('1 200', { decimal: '.', group: '' })).toBeUndefined();
	});
});

describe('in cells', () => {
	test.each<[string, boolean, number, object]>([
		['=1.2m/12', false, 1_000, { value: 100_000 }],
		['=6/4', false, 1_000, { value: 1_500 }],
		['=2*350k', false, 1_000, { value: 700_000 }],
		['=50%*200', false, 1, { value: 100 }],
		['=1m/500k', false, 1_000, { value: 2_000 }],
		['=50%', true, 1, { value: 0.5 }],
		['=5%+2%', true, 1, { value: 0.07 }],
		['=10/4', true, 1, { value: 0.025 }],
		['=50%*2', true, 1, { value: 1 }],
		['5%', true, 1, { value: 0.05 }],
		['12k', false, 1_000, { value: 12_000 }],
		['+= 12k', false, 1_000, { amount: 12_000 }]
	])('%s (percent account: %s, shown in %d)', (text, isPercent, scale, wanted) => {
		const read = parseEntry(text, english, isPercent, scale) as { value?: number; amount?: number };
		const [key] = Object.keys(wanted) as ['value' | 'amount'];
		expect(read[key]).toBeCloseTo((wanted as { value: number })[key as 'value'], 9);
	});
	test('a percentage of nothing is no amount: it says what to type', () =>
		expect(parseEntry('5%', english)).toEqual({
			kind: 'fault',
			message: '“5%” is a percentage, and this is an amount. To change it by that, type += 5%.'
		}));
	test('thousands and millions do not add up unsaid', () => expect(parseEntry('=1.2m+5', english, false, 1_000).kind).toBe('fault'));
	test('a block is judged by all of its cells, not by its beginning', () => {
		const texts = [...Array.from({ length: 5_000 }, () => '1.200'), '1.200,50'];
		expect(pastedStyle(texts, english).kind).toBe('other');
	});
});

describe('dates', () => {
	test.each<[string, string | undefined, string | undefined]>([
		['2028-01-15', '2028-01-15', '2028-01-15'],
		['15.01.2028', '2028-01-15', '2028-01-15'],
		['3/4/2028', '2028-04-03', '2028-03-04'],
		['15/1/2028', '2028-01-15', undefined],
		['15 Jan 2028', '2028-01-15', '2028-01-15'],
		['Jan 15, 2028', '2028-01-15', '2028-01-15'],
		['15. März 2028', '2028-03-15', undefined],
		['2028/1/5', '2028-01-05', '2028-01-05'],
		['31.02.2028', undefined, undefined],
		['tomorrow', undefined, undefined]
	])('%s is %s, or %s where the month comes first', (text, dayFirst, monthFirst) => {
		const [here, there] = [dateStyle('de-DE'), dateStyle('en-US')];
		expect(readDate(text, here.order, here.months)).toBe(dayFirst);
		expect(readDate(text, there.order, there.months)).toBe(monthFirst);
	});
	test('styles follow the person', () => {
		expect(numberStyle('de-CH')).toEqual({ decimal: '.', group: '’' });
		expect(dateStyle('en-GB').order).toBe('day first');
	});
});
