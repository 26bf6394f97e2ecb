import { describe, expect, test } from 'vitest';
import { Model } from '../model';
import { buildModel, RunbookWorld } from '../testing';
import { checkRunbook, type Step } from '.';

/** Copies and roll-forwards, worked by hand. */
const sketch = buildModel({
	accounts: [
		{ code: 'Opening', account: { kind: 'asset', timeBehaviour: 'opening' } },
		{ code: 'Cash', account: { kind: 'asset', timeBehaviour: 'closing' } },
		{ code: 'Loans', account: { kind: 'liability', timeBehaviour: 'closing' } },
		{ code: 'Debtors', account: { kind: 'asset', timeBehaviour: 'closing' } },
		{ code: 'Sales', account: {} },
		{ code: 'Price', account: { valueType: 'price', consolidation: 'average', timeBehaviour: 'none' } },
		{ code: 'Grade', account: { valueType: 'choice', consolidation: 'none', timeBehaviour: 'none' } },
		{ code: 'Goal', account: { frequency: 'per year' } },
		{ code: 'Berths', account: { valueType: 'quantity' } }
	],
	scenarios: [
		{ code: 'Actual', span: ['2026-07', '2027-03'] },
		{ code: 'Plan', span: ['2027-04', '2028-03'], continues: 'Actual' }
	],
	entities: [
		{ code: 'Isle', currency: 'NOK' },
		{ code: 'Coast', currency: 'EUR' }
	],
	general: {
		Route: [
			{ code: 'All' },
			{ code: 'North', parent: 'All' },
			{ code: 'South', parent: 'All', weight: -1 },
			{ code: 'Sheltered' },
			{ code: 'None' }
		]
	},
	rates: (['average', 'closing'] as const).map((kind) => ({
		currency: 'NOK',
		kind,
		from: '2026-01-01',
		to: '2028-12-31',
		value: kind === 'average' ? 10 : 12.5
	}))
});
const model = new Model({
	...sketch.definition,
	dimensions: sketch.definition.dimensions.map((dimension) => {
		const id = (code: string) => dimension.members.find((each) => each.code === code)!.id;
		return dimension.code !== 'Route'
			? dimension
			: {
					...dimension,
					alternates: [
						{
							name: 'Shelter',
							nodes: [
								{ member: id('Sheltered'), parent: null, weight: 1 },
								{ member: id('North'), parent: id('Sheltered'), weight: 1 }
							]
						}
					]
				};
	})
});
const member = (dimension: string, code: string) =>
	model.definition.dimensions.find((each) => each.code === dimension)!.members.find((each) => each.code === code)!.id;
const only = (dimension: string, ...codes: string[]) => ({
	[model.definition.dimensions.find((each) => each.code === dimension)!.id]: {
		kind: 'these' as const,
		members: codes.map((code) => member(dimension, code))
	}
});
const [SCENARIO, ENTITY, ROUTE] = [3, 4, 5];
const at = (account: string, scenario = 'Actual', entity = 'Coast', route = 'North') => [account, scenario, entity, route];
const copy = (more: object): Step =>
	({
		id: 1,
		name: 'Copy',
		description: '',
		active: true,
		limits: {},
		kind: 'copy',
		from: only('scenario', 'Actual'),
		onto: { [SCENARIO]: member('scenario', 'Plan') },
		shift: { level: 'year', by: 1 },
		factor: 1,
		...more
	}) as Step;
const carry = (lines: object[], more: object = {}): Step =>
	({
		id: 2,
		name: 'Carry',
		description: '',
		active: true,
		limits: only('scenario', 'Plan'),
		kind: 'roll-forward',
		lines,
		into: 'every period',
		...more
	}) as Step;
const run = (world: RunbookWorld, step: Step) => world.run({ id: 1, steps: [step] });

describe('a copy', () => {
	test('onto one member takes what it collapses by its weights: 100 and 30 that subtracts make 70', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Sales', 'Actual', 'Coast', 'North'), '2026-07', 100);
		world.write(2, at('Sales', 'Actual', 'Coast', 'South'), '2026-07', 30);
		run(
			world,
			copy({
				onto: { [SCENARIO]: member('scenario', 'Plan'), [ROUTE]: member('Route', 'None') },
				from: { ...only('scenario', 'Actual'), ...only('Route', 'All') }
			})
		);
		expect(world.read(at('Sales', 'Plan', 'Coast', 'None'), '2027-07')).toBe(70);
		run(
			world,
			copy({
				onto: { [SCENARIO]: member('scenario', 'Plan'), [ROUTE]: member('Route', 'None') },
				from: { ...only('scenario', 'Actual'), ...only('Route', 'North', 'South') }
			})
		);
		expect(world.read(at('Sales', 'Plan', 'Coast', 'None'), '2027-07')).toBe(130);
	});
	describe('over the year', () => {
		const HERE = {
			shift: null,
			from: { ...only('scenario', 'Plan'), ...only('Route', 'North') },
			onto: { [ROUTE]: member('Route', 'None') }
		};
		const NONE = (scenario = 'Plan', account = 'Sales') => at(account, scenario, 'Coast', 'None');
		test('evenly: 100 and 50 are 12.5 a month; 100 ties to the cent, the first four get 8.34', () => {
			const world = new RunbookWorld(model);
			world.write(2, at('Sales', 'Plan'), '2027-04', 100);
			world.write(2, at('Sales', 'Plan'), '2027-05', 50);
			run(world, copy({ ...HERE, over: { way: 'evenly' } }));
			for (const month of ['2027-04', '2027-12', '2028-03']) expect(world.read(NONE(), month)).toBe(12.5);
			world.write(2, at('Sales', 'Plan'), '2027-05', Number.NaN);
			run(world, copy({ ...HERE, over: { way: 'evenly' } }));
			expect(['2027-04', '2027-07', '2027-08', '2028-03'].map((month) => world.read(NONE(), month))).toEqual([8.34, 8.34, 8.33, 8.33]);
		});
		test('into its twelfth period: 100 and 20 are 120 in March, and nothing elsewhere', () => {
			const world = new RunbookWorld(model);
			world.write(2, at('Sales', 'Plan'), '2027-04', 100);
			world.write(2, at('Sales', 'Plan'), '2028-03', 20);
			world.write(2, NONE(), '2028-03', 7);
			run(world, copy({ ...HERE, over: { way: 'one period', period: 12 } }));
			expect(world.read(NONE(), '2028-03')).toBe(120);
			expect(world.read(NONE(), '2027-04')).toBeNaN();
			// Run again it is the same, not the sum.
			run(world, copy({ ...HERE, over: { way: 'one period', period: 12 } }));
			expect(world.read(NONE(), '2028-03')).toBe(120);
		});
		test('by the season of the year before, in the scenario that speaks of it: 10 and 30 make 80 to 20 and 60', () => {
			const world = new RunbookWorld(model);
			world.write(2, NONE('Actual'), '2026-07', 10);
			world.write(2, NONE('Actual'), '2026-08', 30);
			world.write(2, at('Sales', 'Plan'), '2027-04', 80);
			run(world, copy({ ...HERE, over: { way: 'season', account: null } }));
			expect(['2027-07', '2027-08', '2027-04'].map((month) => world.read(NONE(), month))).toEqual([20, 60, Number.NaN]);
		});
		test('by the season of an account; without one, and what does not add up over time, is left out and counted', () => {
			const world = new RunbookWorld(model);
			world.write(2, NONE('Plan', 'Berths'), '2027-06', 1);
			world.write(2, NONE('Plan', 'Berths'), '2027-09', 3);
			world.write(2, at('Sales', 'Plan'), '2027-04', 10);
			const season = { way: 'season', account: member('account', 'Berths') };
			run(world, copy({ ...HERE, over: season }));
			expect(['2027-06', '2027-09'].map((month) => world.read(NONE(), month))).toEqual([2.5, 7.5]);
			world.write(2, NONE('Plan', 'Berths'), '2027-06', Number.NaN);
			world.write(2, NONE('Plan', 'Berths'), '2027-09', Number.NaN);
			world.write(2, at('Cash', 'Plan'), '2027-04', 5);
			const { log } = run(world, copy({ ...HERE, over: season }));
			expect(world.read(NONE(), '2027-06')).toBeNaN();
			expect(JSON.stringify(log)).toContain('There is no season to go by');
			expect(JSON.stringify(log)).toContain('Only amounts that add up over time are put together by year.');
		});
		test('beside a formula: what it computes takes nothing, the others tie to the whole; with a total of a group too', () => {
			const live = buildModel({
				accounts: [
					{ code: 'Sales', account: {}, perLeaf: { within: 'first period of the year' }, formula: (account) => account('Berths') },
					{ code: 'Berths', account: { valueType: 'quantity' } }
				],
				scenarios: [{ code: 'Plan', span: ['2027-04', '2028-03'] }],
				general: { Route: [{ code: 'All' }, { code: 'North', parent: 'All' }, { code: 'South', parent: 'All' }, { code: 'None' }] }
			});
			const world = new RunbookWorld(live);
			const route = live.dimensions.at(-1)!;
			const member = (code: string) => route.member(route.ordinalOfCode(code)!).id;
			world.write(2, ['Sales', 'Plan', 'North'], '2027-05', 100);
			world.write(2, ['Sales', 'Plan', 'South'], '2027-06', 10);
			run(
				world,
				copy({
					shift: null,
					from: { [route.id]: { kind: 'these', members: [member('All')] } },
					onto: { [route.id]: member('None') },
					over: { way: 'evenly' }
				})
			);
			const months = live.periods.leaves.map(({ fiscalYear, position }) =>
				world.cube.read(world.address('Sales', 'Plan', 'None'), fiscalYear, position)
			);
			expect(months.slice(12)).toEqual([Number.NaN, ...Array.from({ length: 11 }, () => 10)]);
		});
		test('within the span: a scenario of nine months takes ninths', () => {
			const world = new RunbookWorld(model);
			world.write(2, at('Sales'), '2026-07', 90);
			run(world, copy({ ...HERE, from: { ...only('scenario', 'Actual'), ...only('Route', 'North') }, over: { way: 'evenly' } }));
			expect(world.read(NONE('Actual'), '2027-03')).toBe(10);
			expect(world.read(NONE('Actual'), '2026-05')).toBeNaN();
		});
	});
	test('of a group of another hierarchy copies its leaves', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Sales'), '2026-07', 100);
		run(world, copy({ from: { ...only('scenario', 'Actual'), ...only('Route', 'Sheltered') } }));
		expect(world.read(at('Sales', 'Plan'), '2027-07')).toBe(100);
	});
	test('takes a fact of the year along where the span lacks the year’s first month', () => {
		const world = new RunbookWorld(model);
		world.cube.writeCell(2, world.address(...at('Goal')), 2027, 0, 7);
		run(world, copy({}));
		expect(world.cube.read(world.address(...at('Goal', 'Plan')), 2028, 0)).toBe(7);
	});
	test('multiplies what adds up; prices where it says so, choices never, and tells which', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Sales'), '2026-07', 100);
		world.write(2, at('Price'), '2026-07', 4);
		world.write(2, at('Grade'), '2026-07', 2);
		const read = () => ['Sales', 'Price', 'Grade'].map((code) => world.read(at(code, 'Plan'), '2027-07'));
		const { log } = run(world, copy({ factor: 2 }));
		expect(read()).toEqual([200, 4, 2]);
		expect(log[0]!.notes).toEqual([
			'1 values read were multiplied; 1 prices and percents and 1 choices, dates and texts were taken as they are.'
		]);
		run(world, copy({ factor: 2, pricesToo: true }));
		expect(read()).toEqual([200, 8, 2]);
	});
	test('translates by the account it reads: 10,000 NOK of a balance at 12.50 make 800, not 1,000', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Cash', 'Actual', 'Isle'), '2026-07', 10_000);
		const lines = [{ from: member('account', 'Cash'), to: member('account', 'Sales'), reverse: false }];
		run(
			world,
			copy({
				onto: { [SCENARIO]: member('scenario', 'Plan'), [ENTITY]: member('entity', 'Coast'), 1: { map: { lines, others: 'left out' } } }
			})
		);
		expect(world.read(at('Sales', 'Plan', 'Coast'), '2027-07')).toBe(800);
	});
	test('does not empty what the source’s span does not speak about', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Sales'), '2026-07', 100);
		world.write(2, at('Sales', 'Plan'), '2027-05', 5);
		world.write(2, at('Sales', 'Plan'), '2027-08', 6);
		const { log } = run(world, copy({}));
		expect(['2027-05', '2027-07', '2027-08'].map((month) => world.read(at('Sales', 'Plan'), month))).toEqual([5, 100, Number.NaN]);
		expect(log[0]!.emptied).toBe(1);
	});
	test('counts what has no counterpart: the 53rd week of a year has none in one of 52', () => {
		const weeks = buildModel({
			calendar: { grain: 'week', pattern: '4-4-5', years: 8 } as never,
			accounts: [{ code: 'Sales', account: {} }],
			scenarios: [{ code: 'Actual' }, { code: 'Plan' }]
		});
		const world = new RunbookWorld(weeks);
		const last = weeks.periods.leaves.find(({ position }) => position === 52)!;
		expect(last).toBeDefined();
		world.cube.writeCell(2, world.address('Sales', 'Actual'), last.fiscalYear, 52, 9);
		const id = (code: string) =>
			weeks.definition.dimensions.find(({ kind }) => kind === 'scenario')!.members.find((each) => each.code === code)!.id;
		const step = copy({ from: { 3: { kind: 'these', members: [id('Actual')] } }, onto: { 3: id('Plan') } });
		const { log } = run(world, step);
		expect([log[0]!.written, log[0]!.skipped]).toEqual([0, 1]);
		expect(log[0]!.reasons[0]!.reason).toBe('The period has no counterpart 1 year later: there are fewer.');
	});
});

describe('a roll-forward', () => {
	const line = (from: string, to: string, reverse = false) => ({ from: member('account', from), to: member('account', to), reverse });
	test('two lines into one account add up: 100 and 40 make 140', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Cash'), '2027-03', 100);
		world.write(2, at('Debtors'), '2027-03', 40);
		run(world, carry([line('Cash', 'Opening'), line('Debtors', 'Opening')]));
		expect(world.read(at('Opening', 'Plan'), '2027-04')).toBe(140);
	});
	test('stands above what was loaded: 100 onto 50 is 100', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Cash'), '2027-03', 100);
		world.write(2, at('Opening', 'Plan'), '2027-04', 50);
		run(world, carry([line('Cash', 'Opening')]));
		expect(world.read(at('Opening', 'Plan'), '2027-04')).toBe(100);
		expect(run(world, carry([line('Cash', 'Opening')])).changes).toEqual([]);
	});
	test('of several accounts at once, each to itself', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Cash'), '2027-03', 100);
		world.write(2, at('Loans'), '2027-03', 70);
		const accounts = only('account', 'Cash', 'Loans')[1]!;
		// Each to itself, into the year’s first month: what was there at the end is there at the beginning.
		run(world, carry([{ from: null, accounts, to: member('account', 'Opening'), reverse: false }], { into: 'first period of the year' }));
		expect(world.read(at('Opening', 'Plan'), '2027-04')).toBe(170);
	});
	test('into a year’s first month leaves what stands in its other months, be it the step’s own', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Cash', 'Plan'), '2027-05', 40);
		world.write(2, at('Cash'), '2027-03', 100);
		const carried = () => ['2027-06', '2027-04'].map((month) => world.read(at('Opening', 'Plan'), month));
		run(world, carry([line('Cash', 'Opening')]));
		expect(carried()).toEqual([40, 100]);
		world.write(2, at('Cash'), '2027-03', 110);
		run(world, carry([line('Cash', 'Opening')], { into: 'first period of the year' }));
		expect(carried()).toEqual([40, 110]);
	});
	test('writes all of it or nothing', () => {
		const world = new RunbookWorld(model);
		world.write(2, at('Cash'), '2027-03', 100);
		expect(() => world.run({ id: 1, steps: [carry([line('Cash', 'Opening')])] }, {}, { whyNot: () => 'April is closed.' })).toThrow(
			'April is closed.'
		);
		expect(world.read(at('Opening', 'Plan'), '2027-04')).toBeNaN();
	});
});

/** Balances by flow: what a month begins with, what moved, and what it ends with as their total. */
describe('movements as a dimension', () => {
	const flows = buildModel({
		accounts: [
			{ code: 'Cash', account: { kind: 'asset' } },
			{ code: 'Loans', account: { kind: 'liability' } },
			{ code: 'Result', account: { kind: 'equity' } },
			{ code: 'Earned', account: { kind: 'equity' } }
		],
		scenarios: [{ code: 'Plan' }],
		general: { Flow: [{ code: 'Closing' }, { code: 'Opening', parent: 'Closing' }, { code: 'Moved', parent: 'Closing' }] }
	});
	const id = (dimension: string, code: string) =>
		flows.definition.dimensions.find((each) => each.code === dimension)!.members.find((each) => each.code === code)!.id;
	const dimension = flows.definition.dimensions.find(({ code }) => code === 'Flow')!.id;
	const moves = [{ dimension, from: id('Flow', 'Closing'), to: id('Flow', 'Opening') }];
	const accounts = (...codes: string[]) => ({ kind: 'these' as const, members: codes.map((code) => id('account', code)) });
	test('all balances are carried, one with its sign turned, the year’s result into what was earned before', () => {
		const world = new RunbookWorld(flows);
		const write = (account: string, flow: string, month: string, value: number) => world.write(2, [account, 'Plan', flow], month, value);
		write('Cash', 'Opening', '2026-04', 100);
		write('Cash', 'Moved', '2026-04', 5);
		write('Cash', 'Moved', '2027-03', 1);
		write('Loans', 'Moved', '2026-05', 40);
		for (const month of ['2026-04', '2027-03']) write('Result', 'Moved', month, 10);
		world.run({
			id: 1,
			steps: [
				carry(
					[
						{ from: null, accounts: accounts('Cash'), to: null, members: moves, reverse: false },
						{ from: null, accounts: accounts('Loans'), to: null, members: moves, reverse: true }
					],
					{ limits: {} }
				),
				carry(
					[
						{ from: id('account', 'Earned'), to: id('account', 'Earned'), members: moves, reverse: false },
						{ from: id('account', 'Result'), to: id('account', 'Earned'), members: moves, reverse: false }
					],
					{ id: 3, limits: {}, into: 'first period of the year' }
				)
			]
		});
		const opening = (account: string, month: string) => world.read([account, 'Plan', 'Opening'], month);
		expect(['2026-05', '2027-03', '2027-04', '2028-03'].map((month) => opening('Cash', month))).toEqual([105, 105, 106, 106]);
		expect([opening('Loans', '2026-06'), opening('Loans', '2026-07')]).toEqual([-40, 40]);
		// Of March alone: the result of a month is what moved in it.
		expect(opening('Earned', '2027-04')).toBe(10);
	});
	test('a result is carried within its year, and begins the next one as what was earned before', () => {
		const world = new RunbookWorld(flows);
		const write = (account: string, flow: string, month: string, value: number) => world.write(2, [account, 'Plan', flow], month, value);
		write('Cash', 'Moved', '2026-04', 5);
		write('Earned', 'Opening', '2026-04', 5);
		for (const month of ['2026-04', '2027-03', '2027-05']) write('Result', 'Moved', month, 10);
		const line = (from: string, to: string | null, more: object = {}) => ({
			from: id('account', from),
			to: to && id('account', to),
			members: moves,
			reverse: false,
			...more
		});
		const lines = [
			line('Cash', null),
			line('Earned', null),
			line('Result', null, { into: 'later periods of the year' }),
			line('Result', 'Earned', { into: 'first period of the year' })
		];
		world.run({ id: 1, steps: [carry(lines, { limits: {} })] });
		const opening = (account: string, ...months: string[]) => months.map((month) => world.read([account, 'Plan', 'Opening'], month));
		expect(opening('Cash', '2026-05', '2027-04', '2028-03')).toEqual([5, 5, 5]);
		expect(opening('Result', '2026-05', '2027-03', '2027-04', '2027-05', '2027-06')).toEqual([10, 10, Number.NaN, Number.NaN, 10]);
		expect(opening('Earned', '2026-05', '2027-03', '2027-04', '2027-05')).toEqual([5, 5, 25, 25]);
	});
	test('a check names what cannot be carried', () => {
		const faults = (lines: object[]) => checkRunbook(flows, [carry(lines, { limits: {} })], []).map(({ message }) => message);
		const one = { from: id('account', 'Cash'), to: null, reverse: false };
		expect(faults([{ ...one, members: [{ dimension, from: id('Flow', 'Opening'), to: id('Flow', 'Closing') }] }])[0]).toContain(
			'adds up others'
		);
		expect(faults([{ ...one, members: [{ dimension, from: 999_999, to: id('Flow', 'Opening') }] }])[0]).toContain('not there any more');
	});
});
