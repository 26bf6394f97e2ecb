import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing';
import { dateOfDay, dayNumber, extendCalendar, generatePeriods, isDate, type CalendarDefinition } from '.';

const aprilToMarch: CalendarDefinition = {
	grain: 'month',
	pattern: 'calendar months',
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
		const definition: fc.Arbitrary<CalendarDefinition> = fc
			.record({
				grain: fc.constantFrom('quarter', 'month', 'week', 'day'),
				pattern: fc.constantFrom('calendar months', '4-4-5', '4-5-4', '5-4-4', '13×4'),
				weekStart: fc.integer({ min: 1, max: 7 }),
				fiscalStartMonth: fc.integer({ min: 1, max: 12 }),
				namedBy: fc.constantFrom('first year', 'last year'),
				firstYear: fc.integer({ min: 1990, max: 2050 }),
				years: fc.integer({ min: 1, max: 4 }),
				levels: fc.subarray(['half', 'quarter', 'month', 'week'] as const)
			} as const)
			.filter(({ grain, pattern }) => !(grain === 'week' && pattern === 'calendar months') && !(grain === 'quarter' && pattern === '13×4'));
		fc.assert(
			fc.property(definition, (calendar) => {
				const periods = generatePeriods(calendar);
				const byCode = new Map(periods.map((period) => [period.code, period]));
				expect(byCode.size).toBe(periods.length);
				const parents = new Set(periods.map(({ parent }) => parent));
				const leaves = periods.filter(({ code }) => !parents.has(code));
				expect(new Set(leaves.map(({ level }) => level))).toEqual(new Set([calendar.grain]));
				for (let index = 1; index < leaves.length; index++)
					expect(dayNumber(leaves[index]!.start)).toBe(dayNumber(leaves[index - 1]!.end) + 1);
				for (const { parent, start, end } of periods) {
					const above = parent === undefined ? undefined : byCode.get(parent)!;
					if (above) expect(start >= above.start && end <= above.end).toBe(true);
				}
				const years = periods.filter(({ level }) => level === 'year');
				expect(years).toHaveLength(calendar.years);
				expect(years[0]!.start).toBe(leaves[0]!.start);
				expect(years.at(-1)!.end).toBe(leaves.at(-1)!.end);
				if (calendar.pattern !== 'calendar months')
					for (const { start, end } of years) expect([364, 371]).toContain(dayNumber(end) - dayNumber(start) + 1);
			}),
			{ numRuns: 60 }
		);
	});
	test('of weeks are the ISO week years when the year starts on the Monday nearest to 1 January', () => {
		const iso = generatePeriods({
			...aprilToMarch,
			grain: 'week',
			pattern: '4-4-5',
			weekStart: 1,
			fiscalStartMonth: 1,
			firstYear: 2020,
			years: 21,
			levels: ['month']
		});
		const weeks = (year: number) => iso.filter(({ level, fiscalYear }) => level === 'week' && fiscalYear === year).length;
		// The years 2020–2040 with a week 53 after ISO 8601.
		expect(Array.from({ length: 21 }, (_, index) => 2020 + index).filter((year) => weeks(year) === 53)).toEqual([2020, 2026, 2032, 2037]);
		expect(iso.find(({ code }) => code === 'FY2026-W53')).toMatchObject({ start: '2026-12-28', end: '2027-01-03', parent: 'FY2026-M12' });
		expect(iso.find(({ code }) => code === 'FY2025-W01')!.start).toBe('2024-12-30');
	});
	test('of weeks around a January year-end have their 53rd week in the years shops know', () => {
		const shops = generatePeriods({
			...aprilToMarch,
			grain: 'month',
			pattern: '4-5-4',
			weekStart: 7,
			fiscalStartMonth: 2,
			namedBy: 'first year',
			firstYear: 2020,
			years: 21,
			levels: ['quarter']
		});
		const year = (code: string) => shops.find((period) => period.code === code)!;
		expect([year('FY2023').start, year('FY2023').end]).toEqual(['2023-01-29', '2024-02-03']);
		expect([year('FY2024').start, year('FY2024').end]).toEqual(['2024-02-04', '2025-02-01']);
		const days = ({ start, end }: { start: string; end: string }) => dayNumber(end) - dayNumber(start) + 1;
		expect(shops.filter((period) => period.level === 'year' && days(period) === 371).map(({ fiscalYear }) => fiscalYear)).toEqual([
			2023, 2028, 2034, 2040
		]);
		expect(days(year('FY2023-M12'))).toBe(35);
		expect(days(year('FY2024-M12'))).toBe(28);
	});
	test('have 29 February in leap years 2020–2040 only', () => {
		const days = generatePeriods({
			...aprilToMarch,
			grain: 'day',
			fiscalStartMonth: 1,
			firstYear: 2020,
			years: 21,
			levels: ['month']
		}).filter(({ code }) => code.endsWith('-02-29'));
		expect(days.map(({ fiscalYear }) => fiscalYear)).toEqual([2020, 2024, 2028, 2032, 2036, 2040]);
	});
	test('stay as they are when the horizon grows at either end', () => {
		for (const pattern of ['calendar months', '4-4-5', '13×4'] as const) {
			const calendar = { ...aprilToMarch, pattern, weekStart: 6 };
			const wider = new Map(generatePeriods(extendCalendar(calendar, { before: 2, after: 3 })).map((period) => [period.code, period]));
			for (const period of generatePeriods(calendar)) expect(wider.get(period.code)).toEqual(period);
			expect([...wider.values()].filter(({ level }) => level === 'year')).toHaveLength(10);
		}
	});
	test('refuse weeks in calendar months and quarters of thirteen', () => {
		expect(() => generatePeriods({ ...aprilToMarch, grain: 'week' })).toThrow('choose a pattern of weeks');
		expect(() => generatePeriods({ ...aprilToMarch, grain: 'quarter', pattern: '13×4' })).toThrow('no quarters');
		expect(() => generatePeriods({ ...aprilToMarch, weekStart: 8 })).toThrow('from 1 (Monday) to 7');
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
		// A year of twelve months has no thirteenth, though a month follows.
		expect(periods.at(2027, 11)?.index).toBe(11);
		expect(periods.at(2027, 12)).toBeUndefined();
		expect(periods.at(2028, -1)).toBeUndefined();
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

test.each([
	[{ weekStart: 0 }, /week starts on a day from 1/],
	[{ weekStart: 8 }, /week starts on a day from 1/],
	[{ weekStart: 1.5 }, /week starts on a day from 1/],
	[{ fiscalStartMonth: 0 }, /from 1 to 12/],
	[{ fiscalStartMonth: 13 }, /from 1 to 12/],
	[{ fiscalStartMonth: 2.5 }, /from 1 to 12/],
	[{ years: 0 }, /at least one year/],
	[{ years: 1.5 }, /at least one year/]
])('a calendar with %j is refused', (more, sentence) => {
	const calendar = {
		grain: 'week',
		pattern: '4-4-5',
		fiscalStartMonth: 4,
		weekStart: 1,
		namedBy: 'last year',
		firstYear: 2027,
		years: 1,
		levels: ['quarter'],
		...more
	} as CalendarDefinition;
	expect(() => generatePeriods(calendar)).toThrow(sentence);
	expect(() => generatePeriods({ ...calendar, weekStart: 7, fiscalStartMonth: 12, years: 1 })).not.toThrow();
});
