import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { type AccessRules, type Lock } from '../access';
import { CLEARED, compileQuery, Cube, type Line, View } from '../cube';
import type { Model } from '../model';
import { isEmpty, roundTo } from '../number';
import { buildModel, sceneOf, type Scene } from '../testing';
import { enter, parseCoded, parseEntry, pastedStyle, type EnterResult, type SpreadOptions, type SpreadLeaf } from '.';
import { spread } from './spread';

const english = { decimal: '.', group: ',' } as const;
const german = { decimal: ',', group: '.' } as const;

describe('what is typed', () => {
	test.each<[string, object]>([
		['1,200', { kind: 'set', value: 1200 }],
		['-5', { kind: 'set', value: -5 }],
		['+5', { kind: 'set', value: 5 }],
		['(12.5)', { kind: 'set', value: -12.5 }],
		['1.2m', { kind: 'set', value: 1_200_000 }],
		['350k', { kind: 'set', value: 350_000 }],
		['=12000/12', { kind: 'set', value: 1000 }],
		['=(2+3)*-4', { kind: 'set', value: -20 }],
		['+= 500', { kind: 'change', operator: '+', amount: 500, percent: false }],
		['-= 2,000', { kind: 'change', operator: '+', amount: -2000, percent: false }],
		['*= 1.1', { kind: 'change', operator: '*', amount: 1.1, percent: false }],
		['+= 5%', { kind: 'change', operator: '+', amount: 0.05, percent: true }],
		['', { kind: 'clear' }]
	])('%s', (text, wanted) => expect(parseEntry(text, english)).toEqual(wanted));
	test.each(['abc', '1,2,3', '1..2', '=2+', '=1/0', '=alert(1)', '12 apples', '+= x', '--5', '1,00'])(
		'%s is refused with a sentence',
		(text) => {
			const read = parseEntry(text, english);
			expect(read.kind).toBe('fault');
			expect('message' in read && read.message).toMatch(/^(“|After)/);
		}
	);
	test('numbers follow the locale', () => {
		expect(parseEntry('1.200,50', german)).toEqual({ kind: 'set', value: 1200.5 });
		expect(parseEntry('1,5', german)).toEqual({ kind: 'set', value: 1.5 });
	});
	test('in a percent account 5 means 5 %, and += adds points', () => {
		expect(parseEntry('5', english, true)).toEqual({ kind: 'set', value: 0.05 });
		expect(parseEntry('5%', english, true)).toEqual({ kind: 'set', value: 0.05 });
		expect(parseEntry('+= 2', english, true)).toMatchObject({ amount: 0.02, percent: false });
	});
});

const leaf = (value: number, more: Partial<SpreadLeaf> = {}): SpreadLeaf => ({ value, weight: 1, rate: 1, fixed: false, ...more });
const valuesOf = (result: ReturnType<typeof spread>) => ('values' in result ? result.values : result.fault);

describe('spreading', () => {
	test('in proportion, to the cent', () =>
		expect(valuesOf(spread([leaf(1), leaf(1), leaf(1)], 100, 2, 'in proportion'))).toEqual([33.34, 33.33, 33.33]));
	test('mixed signs move by size, each the same way', () =>
		expect(valuesOf(spread([leaf(100), leaf(-50)], 110, 2, 'in proportion'))).toEqual([140, -30]));
	test('a subtracting leaf shrinks when the total grows', () =>
		expect(valuesOf(spread([leaf(100), leaf(40, { weight: -1 })], 74, 2, 'in proportion'))).toEqual([110, 36]));
	test('fixed leaves keep their value and the rest absorb the difference', () =>
		expect(valuesOf(spread([leaf(50, { fixed: true }), leaf(25), leaf(25)], 200, 2, 'in proportion'))).toEqual([50, 75, 75]));
	test('what is finer than the decimals goes to the largest leaf, wherever it stands and whichever way it counts', () => {
		const finer = (leaves: SpreadLeaf[], target: number) => {
			const result = spread(leaves, target, 2, 'in proportion');
			if (!('values' in result)) throw new Error(result.message);
			return result.values.map((value) => Math.round(value * 1e6) / 1e6);
		};
		expect(finer([leaf(100), leaf(300)], 400.004)).toEqual([100, 300.004]);
		expect(finer([leaf(300), leaf(100)], 400.004)).toEqual([300.004, 100]);
		expect(finer([leaf(100), leaf(-300), leaf(5)], -195.004)).toEqual([100, -300.004, 5]);
		expect(finer([leaf(100), leaf(300, { weight: -1 })], -200.004)).toEqual([100, 300.004]);
	});
	test('evenly', () => expect(valuesOf(spread([leaf(9), leaf(1), leaf(Number.NaN)], 10, 0, 'evenly'))).toEqual([4, 3, 3]));
	test('the same value everywhere', () => expect(valuesOf(spread([leaf(9), leaf(1)], 4, 0, 'same value'))).toEqual([4, 4]));
	test('nothing there yet: evenly', () =>
		expect(valuesOf(spread([leaf(Number.NaN), leaf(Number.NaN)], 5, 2, 'in proportion'))).toEqual([2.5, 2.5]));
	test('through a rate, unrounded', () => expect(valuesOf(spread([leaf(10, { rate: 0.5 })], 7, 2, 'in proportion'))).toEqual([14]));
	test('all closed: refused with the reason', () =>
		expect(spread([leaf(1, { fixed: true })], 5, 2, 'in proportion')).toMatchObject({ fault: 'nothing may change' }));
	test('warns when a leaf moves by more than half', () =>
		expect(spread([leaf(10), leaf(10)], 100, 2, 'in proportion')).toMatchObject({ warning: '2 cells beneath moved by more than half.' }));
	test('always reaches the target, whatever the leaves', () => {
		const any = fc.record({
			value: fc.oneof(
				fc.integer({ min: -10_000, max: 10_000 }).map((cents) => cents / 100),
				fc.constant(Number.NaN)
			),
			weight: fc.constantFrom(1, 1, -1),
			rate: fc.constantFrom(1, 1, 0.085),
			fixed: fc.constantFrom(false, false, false, true)
		});
		fc.assert(
			fc.property(
				fc.array(any, { minLength: 1, maxLength: 30 }),
				fc.integer({ min: -1_000_000, max: 1_000_000 }).map((cents) => cents / 100),
				fc.constantFrom('in proportion' as const, 'evenly' as const),
				(leaves, target, method) => {
					const result = spread(leaves, target, 2, method);
					if ('fault' in result) {
						expect(leaves.every(({ fixed }) => fixed)).toBe(true);
						return;
					}
					const total = leaves.reduce(
						(sum, each, index) => sum + (isEmpty(result.values[index]!) ? 0 : result.values[index]! * each.rate * each.weight),
						0
					);
					expect(total).toBeCloseTo(target, 6);
					leaves.forEach((each, index) => each.fixed && expect(result.values[index]).toEqual(each.value));
				}
			),
			{ numRuns: 500 }
		);
	});
});

describe('entering at a cell', () => {
	const open: AccessRules = { mayEnter: true, grants: [{ name: 'All', level: 'write', slice: {} }] };
	const setUp = (locks: Lock[] = []) => {
		const model = buildModel({
			accounts: [
				{ code: 'result' },
				{ code: 'sales', parent: 'result', account: {} },
				{ code: 'cost', parent: 'result', weight: -1, account: { kind: 'expense' } },
				{ code: 'loan', account: { kind: 'liability', timeBehaviour: 'closing' } },
				{ code: 'people', account: { valueType: 'quantity', timeBehaviour: 'average', decimals: 0 } },
				{
					code: 'margin',
					account: { valueType: 'percent', consolidation: 'formula', timeBehaviour: 'none' },
					formula: (account) => ({ kind: 'binary', operator: '/', left: account('result'), right: account('sales') })
				}
			],
			scenarios: [{ code: 'plan', entry: ['2026-04', '2027-03'] }, { code: 'actual' }],
			entities: [{ code: 'group' }, { code: 'uk', parent: 'group', currency: 'GBP' }, { code: 'de', parent: 'group', currency: 'EUR' }],
			general: {
				route: [
					{ code: 'all' },
					{ code: 'r1', parent: 'all' },
					{ code: 'r2', parent: 'all' },
					{ code: 'none', parent: 'all', unassigned: true }
				]
			},
			rates: (['average', 'closing'] as const).map((kind) => ({ currency: 'GBP', kind, from: '2026-01-01', to: '2027-01-31', value: 0.8 }))
		});
		const cube = new Cube(model);
		return sceneOf(cube, open, undefined, locks);
	};
	const figure = ({ model, reader }: Scene, members: number[], period: number, currency = 'EUR'): number => {
		const slice: Record<number, number> = {};
		model.dimensions.forEach((dimension, axis) => (slice[dimension.id] = dimension.member(members[axis]!).id));
		const { [model.accounts.id]: account, ...others } = slice;
		const row: Line = { [model.accounts.id]: account! };
		const view = new View(
			compileQuery(model, {
				slice: others,
				rows: [row],
				columns: [{ [model.periods.dimension.id]: model.periods.dimension.member(period).id }],
				currency
			})
		);
		view.fill(reader);
		return view.evaluate().values[0]!;
	};
	const type = (
		scene: Scene,
		members: number[],
		period: string,
		text: string,
		currency = 'EUR',
		options: SpreadOptions = {}
	): EnterResult => {
		const ordinal = scene.model.periods.dimension.ordinalOfCode(period)!;
		const result = enter(scene, {
			members,
			range: scene.model.periods.range(ordinal),
			shown: figure(scene, members, ordinal, currency),
			currency,
			input: parseEntry(text, english),
			...options
		});
		if ('changes' in result)
			for (const { address, year, position, after } of result.changes) scene.overlay.set(address, year, position, after);
		return result;
	};
	const at = (model: Model, code: string) => model.periods.dimension.ordinalOfCode(code)!;
	const faultOf = (result: EnterResult) => ('fault' in result ? result.fault : undefined);

	test('a leaf in a reporting currency stores the local amount', () => {
		const scene = setUp();
		type(scene, [1, 0, 1, 1], '2026-05', '100');
		expect(scene.overlay.get([1, 0, 1, 1], 2027, 1)).toBe(80);
		expect(figure(scene, [1, 0, 1, 1], at(scene.model, '2026-05'))).toBeCloseTo(100, 9);
	});
	test('a parent over two currencies keeps the proportions and shows what was typed', () => {
		const scene = setUp();
		scene.cube.writeCell(2, [1, 0, 1, 1], 2027, 0, 80);
		scene.cube.writeCell(2, [1, 0, 2, 2], 2027, 0, 300);
		type(scene, [1, 0, 0, 0], '2026-04', '800');
		expect(scene.overlay.get([1, 0, 1, 1], 2027, 0)).toBeCloseTo(160, 9);
		expect(scene.overlay.get([1, 0, 2, 2], 2027, 0)).toBeCloseTo(600, 9);
		expect(figure(scene, [1, 0, 0, 0], at(scene.model, '2026-04'))).toBeCloseTo(800, 6);
	});
	test('a change is relative to what stands there', () => {
		const scene = setUp();
		scene.cube.writeCell(2, [1, 0, 2, 1], 2027, 0, 200);
		type(scene, [1, 0, 2, 1], '2026-04', '+= 5%');
		expect(scene.overlay.get([1, 0, 2, 1], 2027, 0)).toBe(210);
	});
	test('where nothing is yet, the unassigned leaf takes it, evenly over the months', () => {
		const scene = setUp();
		type(scene, [1, 0, 2, 0], 'FY2027-Q1', '100');
		expect([0, 1, 2].map((position) => scene.overlay.get([1, 0, 2, 3], 2027, position))).toEqual([33.34, 33.33, 33.33]);
		expect(scene.overlay.size).toBe(3);
	});
	test('a balance of a year is set in its last month', () => {
		const scene = setUp();
		scene.cube.writeSeries(
			2,
			[3, 0, 2, 3],
			2027,
			Array.from({ length: 12 }, () => 50)
		);
		type(scene, [3, 0, 2, 3], 'FY2027', '70');
		expect(scene.overlay.size).toBe(1);
		expect(scene.overlay.get([3, 0, 2, 3], 2027, 11)).toBe(70);
		expect(figure(scene, [3, 0, 2, 3], at(scene.model, 'FY2027'))).toBe(70);
	});
	test('an average moves every month', () => {
		const scene = setUp();
		scene.cube.writeSeries(2, [4, 0, 2, 3], 2027, [10, 20, 30]);
		type(scene, [4, 0, 2, 3], 'FY2027-Q1', '40');
		expect(figure(scene, [4, 0, 2, 3], at(scene.model, 'FY2027-Q1'))).toBeCloseTo(40, 9);
		expect(roundTo(scene.overlay.get([4, 0, 2, 3], 2027, 0), 0)).toBe(20);
	});
	test('closed months keep their values and the open ones absorb the difference', () => {
		const april = setUp().model.periods.dimension.member(at(setUp().model, '2026-04')).id;
		const scene = setUp([{ id: 1, layer: 'board', state: 'closed', name: 'April', slice: { 2: [april] } }]);
		scene.cube.writeSeries(2, [1, 0, 2, 1], 2027, [100, 100, 100]);
		type(scene, [1, 0, 2, 1], 'FY2027-Q1', '500');
		expect([0, 1, 2].map((position) => scene.reader.read([1, 0, 2, 1], 2027, position))).toEqual([100, 200, 200]);
	});
	test('delete takes the entry away and the proposal shows again; a loaded figure stays', () => {
		const scene = setUp();
		scene.cube.writeCell(2, [1, 0, 2, 1], 2027, 0, 100);
		expect(faultOf(type(scene, [1, 0, 2, 1], '2026-04', ''))?.message).toMatch(/loaded, not typed/);
		scene.cube.writeCell(1, [1, 0, 2, 1], 2027, 0, 130);
		type(scene, [1, 0, 2, 1], '2026-04', '');
		expect(scene.overlay.get([1, 0, 2, 1], 2027, 0)).toBe(CLEARED);
		expect(figure(scene, [1, 0, 2, 1], at(scene.model, '2026-04'))).toBe(100);
	});
	const figureOf = (scene: Scene, members: number[], code: string) => ({
		members,
		range: scene.model.periods.range(at(scene.model, code))
	});
	test('like another year: its proportions, in cells that were empty too', () => {
		const scene = setUp();
		scene.cube.writeSeries(2, [1, 1, 2, 1], 2028, [30, 10]);
		scene.cube.writeSeries(2, [1, 1, 2, 2], 2028, [0, 60]);
		scene.cube.writeCell(2, [1, 0, 2, 3], 2027, 2, 55);
		type(scene, [1, 0, 2, 0], 'FY2027', '200', 'EUR', { method: 'like another', like: figureOf(scene, [1, 1, 2, 0], 'FY2028') });
		const months = (route: number) => [0, 1, 2].map((position) => scene.reader.read([1, 0, 2, route], 2027, position));
		expect(months(1)).toEqual([60, 20, Number.NaN]);
		expect(months(2)).toEqual([0, 120, Number.NaN]);
		expect(months(3)).toEqual([Number.NaN, Number.NaN, 0]);
		expect(
			faultOf(type(scene, [1, 0, 2, 0], 'FY2027', '1', 'EUR', { method: 'like another', like: figureOf(scene, [2, 1, 2, 0], 'FY2028') }))
				?.message
		).toMatch(/^The other figure is empty/);
		expect(
			faultOf(type(scene, [1, 0, 2, 0], 'FY2027', '1', 'EUR', { method: 'like another', like: figureOf(scene, [1, 0, 2, 1], 'FY2027') }))
				?.message
		).toMatch(/single members only/);
	});
	test('what is kept fixed keeps its value', () => {
		const scene = setUp();
		for (const route of [1, 2]) scene.cube.writeCell(2, [1, 0, 2, route], 2027, 0, 100);
		type(scene, [1, 0, 2, 0], '2026-04', '500', 'EUR', { kept: [figureOf(scene, [1, 0, 2, 1], 'FY2027')] });
		expect([1, 2].map((route) => scene.reader.read([1, 0, 2, route], 2027, 0))).toEqual([100, 400]);
	});
	test('over all leaves where nothing is yet, when asked', () => {
		const scene = setUp();
		type(scene, [1, 0, 2, 0], '2026-04', '90', 'EUR', { overAll: true });
		expect([1, 2, 3].map((route) => scene.overlay.get([1, 0, 2, route], 2027, 0))).toEqual([30, 30, 30]);
	});
	test('many new cells ask first', () => {
		const model = buildModel({
			accounts: [{ code: 'sales', account: {} }],
			scenarios: [{ code: 'plan', entry: ['2026-04', '2028-03'] }],
			general: { item: [{ code: 'all' }, ...Array.from({ length: 600 }, (_, index) => ({ code: `i${index}`, parent: 'all' }))] }
		});
		const scene = sceneOf(new Cube(model), open);
		expect(faultOf(type(scene, [0, 0, 0], 'FY2027', '7200'))).toMatchObject({
			code: 'asks first',
			message: 'This would fill 7200 cells that are empty now.'
		});
		type(scene, [0, 0, 0], 'FY2027', '7200', 'EUR', { confirmed: true });
		expect(scene.overlay.size).toBe(7_200);
	});
	test('prices are set alike or scaled, never divided', () => {
		const model = buildModel({
			accounts: [{ code: 'price', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'average', decimals: 3 } }],
			scenarios: [{ code: 'plan', entry: ['2026-04', '2028-03'] }]
		});
		const scene = sceneOf(new Cube(model), open);
		scene.cube.writeSeries(2, [0, 0], 2027, [2, 4]);
		type(scene, [0, 0], 'FY2027-Q1', '+= 10%');
		expect([0, 1].map((position) => scene.overlay.get([0, 0], 2027, position))).toEqual([2.2, 4.4]);
		type(scene, [0, 0], 'FY2027-Q1', '3');
		expect([0, 1].map((position) => scene.overlay.get([0, 0], 2027, position))).toEqual([3, 3]);
	});
	test('a yearly fact is typed in any month of its year and has one cell', () => {
		const model = buildModel({
			accounts: [
				{ code: 'start', account: { valueType: 'quantity', timeBehaviour: 'none', consolidation: 'none', frequency: 'per year' } },
				{ code: 'term', account: { valueType: 'quantity', timeBehaviour: 'none', consolidation: 'none', frequency: 'timeless' } }
			],
			scenarios: [{ code: 'plan', entry: ['2026-04', '2028-03'] }]
		});
		const scene = sceneOf(new Cube(model), open);
		type(scene, [0, 0], '2026-09', '7');
		expect(scene.overlay.list()).toMatchObject([{ year: 2027, position: 0, value: 7 }]);
		expect(figure(scene, [0, 0], at(model, '2027-02'))).toBe(7);
		expect(figure(scene, [0, 0], at(model, '2027-05'))).toBeNaN();
		type(scene, [1, 0], '2027-12', '36');
		expect(figure(scene, [1, 0], at(model, '2026-05'))).toBe(36);
	});
	test.each([
		['a computed account', [5, 0, 2, 1], '2026-04', 'may not write', 'margin is computed by its formula.'],
		['a scenario without entries', [1, 1, 2, 1], '2026-04', 'may not write', 'actual takes no entries.'],
		['a month outside those of entry', [1, 0, 2, 1], '2027-05', 'may not write', /^plan takes entries from/],
		['a missing rate', [1, 0, 1, 1], '2027-03', 'missing rate', /^There is no rate from EUR to GBP/]
	])('%s is refused', (_, members, period, code, message) =>
		expect(faultOf(type(setUp(), members, period, '5'))).toMatchObject({
			code,
			message: typeof message === 'string' ? message : expect.stringMatching(message)
		})
	);
});

describe('choices, dates and texts', () => {
	const texts: string[] = [];
	const values = {
		choices: [
			{ member: 11, code: 'APR', name: 'April' },
			{ member: 12, code: 'AUG', name: 'August' },
			{ member: 13, code: 'MAY', name: 'May' }
		],
		place: (text: string) => texts.push(text) - 1
	};
	test.each<[string, 'choice' | 'date' | 'text', object]>([
		['may', 'choice', { kind: 'set', value: 13 }],
		['AUG', 'choice', { kind: 'set', value: 12 }],
		['m', 'choice', { kind: 'set', value: 13 }],
		['a', 'choice', { kind: 'fault', message: '“a” may be April or August. Type more of it.' }],
		['June', 'choice', { kind: 'fault', message: '“June” is not among the choices, such as April, August, May.' }],
		['2027-04-01', 'date', { kind: 'set', value: 20_909 }],
		['01.04.2027', 'date', { kind: 'set', value: 20_909 }],
		['1 Apr 2027', 'date', { kind: 'set', value: 20_909 }],
		['1 April', 'date', { kind: 'fault', message: '“1 April” is not a date. Type it as 2027-04-01, 1.4.2027 or 1 Apr 2027.' }],
		['hello', 'text', { kind: 'set', value: 0 }],
		['  ', 'text', { kind: 'clear' }]
	])('%s as %s', (text, type, wanted) => expect(parseCoded(text, type, values)).toEqual(wanted));
});

describe('a pasted block', () => {
	const own = { decimal: '.', group: ',' } as const;
	test.each([
		[['1,200', '3.5'], 'own'],
		[['1.200,50', '3'], 'other'],
		[['1.200', '17'], 'either'],
		[['1.200', '1.200,50'], 'other'],
		[['1,200', '0.5'], 'own'],
		[['12', '7', 'text', ''], 'own'],
		[['+= 1.200', '=1.200'], 'own']
	])('%j is written in one’s %s way', (texts, kind) => expect(pastedStyle(texts, own).kind).toBe(kind));
	test('that fits both ways names the number that decides', () =>
		expect(pastedStyle(['12', '1.234'], own)).toMatchObject({ kind: 'either', example: '1.234', style: { decimal: ',' } }));
});

describe('in thousands', () => {
	const own = { decimal: '.', group: ',' } as const;
	test.each([
		['12', 12_000],
		['1.5', 1_500],
		['350k', 350_000],
		['2m', 2_000_000],
		['=6/4', 1_500],
		['-3', -3_000]
	])('%s is %d', (text, value) => expect(parseEntry(text, own, false, 1_000)).toEqual({ kind: 'set', value }));
	test('changes count in thousands too, shares and factors do not', () => {
		expect(parseEntry('+= 2', own, false, 1_000)).toMatchObject({ amount: 2_000, percent: false });
		expect(parseEntry('+= 2%', own, false, 1_000)).toMatchObject({ amount: 0.02, percent: true });
		expect(parseEntry('*= 2', own, false, 1_000)).toMatchObject({ operator: '*', amount: 2 });
	});
});
