import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing';
import { dateOfDay, dayNumber, generatePeriods, isDate, type CalendarDefinition } from '.';

const aprilToMarch: CalendarDefinition = {
	fiscalStartMonth: 4,
	namedBy: 'last year',
	firstYear: 2025,
	years: 5,
	levels: ['half', 'quarter']
};

describe('generated periods', () => {
	test('name a year that ends in March by its last year', () => {
		const [year] = generatePeriods(aprilToMarch);
		expect(year).toMatchObject({ code: 'FY2025', start: '2024-04-01', end: '2025-03-31' });
	});
	test('name it by its first year when asked', () => {
		const [year] = generatePeriods({ ...aprilToMarch, namedBy: 'first year' });
		expect(year).toMatchObject({ code: 'FY2025', start: '2025-04-01', end: '2026-03-31' });
	});
	test('are the calendar year when the fiscal year starts in January, whichever the naming', () => {
		for (const namedBy of ['first year', 'last year'] as const)
			expect(generatePeriods({ ...aprilToMarch, fiscalStartMonth: 1, namedBy })[0]).toMatchObject({
				code: 'FY2025',
				start: '2025-01-01',
				end: '2025-12-31'
			});
	});
	test('know leap days', () => {
		const february = generatePeriods({ ...aprilToMarch, firstYear: 2028, years: 1 }).find(({ code }) => code === '2028-02');
		expect(february).toMatchObject({ end: '2028-02-29', parent: 'FY2028-Q4' });
	});
	test('follow each other without a gap, whatever the definition', () => {
		const definition: fc.Arbitrary<CalendarDefinition> = fc.record({
			fiscalStartMonth: fc.integer({ min: 1, max: 12 }),
			namedBy: fc.constantFrom('first year', 'last year'),
			firstYear: fc.integer({ min: 1990, max: 2050 }),
			years: fc.integer({ min: 1, max: 6 }),
			levels: fc.subarray(['half', 'quarter'] as const)
		});
		fc.assert(
			fc.property(definition, (calendar) => {
				const periods = generatePeriods(calendar);
				const months = periods.filter(({ level }) => level === 'month');
				expect(months).toHaveLength(calendar.years * 12);
				for (let index = 1; index < months.length; index++)
					expect(dayNumber(months[index]!.start)).toBe(dayNumber(months[index - 1]!.end) + 1);
				const codes = new Set(periods.map(({ code }) => code));
				for (const { parent } of periods) expect(parent === undefined || codes.has(parent)).toBe(true);
			})
		);
	});
	test('refuse a fiscal start that is no month', () =>
		expect(() => generatePeriods({ ...aprilToMarch, fiscalStartMonth: 13 })).toThrow('from 1 to 12, not 13'));
});

describe('dates', () => {
	test('turn into day numbers and back', () => expect(dateOfDay(dayNumber('2028-02-29'))).toBe('2028-02-29'));
	test.each([
		['2027-02-29', false],
		['2028-02-29', true],
		['2027-13-01', false],
		['27-01-01', false]
	])('%s exists: %s', (text, exists) => expect(isDate(text)).toBe(exists));
});

describe('the time line of a model', () => {
	const { periods } = buildModel({ accounts: [{ code: 'a', account: {} }], scenarios: [{ code: 's' }] });
	test('crosses the fiscal year by itself', () => {
		expect(periods.leaves).toHaveLength(24);
		expect(periods.leaf(12)).toMatchObject({ start: '2027-04-01', fiscalYear: 2028, position: 0 });
		expect(periods.at(2028, 0)?.index).toBe(12);
		expect(periods.at(2029, 0)).toBeUndefined();
	});
	test('finds the month of a date, and none outside', () => {
		expect(periods.onDate('2027-03-31')?.index).toBe(11);
		expect(periods.onDate('2026-03-31')).toBeUndefined();
		expect(periods.onDate('2028-04-01')).toBeUndefined();
	});
	test('knows the months under a quarter and a year', () => {
		const range = (code: string) => periods.range(periods.dimension.ordinalOfCode(code)!);
		expect(range('FY2027-Q2')).toEqual({ from: 3, to: 5 });
		expect(range('FY2028')).toEqual({ from: 12, to: 23 });
	});
});
