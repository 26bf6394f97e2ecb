import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { checkRunbook, runSteps, type MemberMap, type RunOrder, type Step } from '..';
import { Cube } from '../../cube';
import { buildModel } from '../../testing/build-model';

const model = buildModel({
	accounts: [
		{ code: 'Net' },
		{ code: 'Sales', parent: 'Net', account: {} },
		{ code: 'Discount', parent: 'Net', weight: -1, account: {} },
		{ code: 'Noted', parent: 'Net', weight: 0, account: {} },
		{ code: 'Revenue', account: {} },
		{ code: 'Other', account: {} },
		{ code: 'Price', account: { kind: 'rate', valueType: 'price', consolidation: 'average' } },
		{ code: 'Berths', account: { valueType: 'quantity', frequency: 'timeless' } },
		{ code: 'Tariff', account: { kind: 'rate', valueType: 'price', consolidation: 'average', frequency: 'timeless' } },
		{ code: 'Target', account: { frequency: 'per year' } }
	],
	scenarios: [
		{ code: 'Actual', span: ['2026-04', '2027-03'] },
		{ code: 'Plan', span: ['2026-04', '2028-03'] }
	],
	general: {
		Route: [{ code: 'All' }, { code: 'North', parent: 'All' }, { code: 'South', parent: 'All' }, { code: 'Ferry' }, { code: 'None' }]
	}
});
const [ACCOUNT, PERIOD, SCENARIO, ROUTE] = [1, 2, 3, 5];
const id = (dimension: string, code: string) =>
	model.definition.dimensions.find((each) => each.code === dimension)!.members.find((each) => each.code === code)!.id;
const at = (account: string, route = 'North', scenario = 'Actual') =>
	Int32Array.of(
		model.accounts.ordinalOfCode(account)!,
		model.scenarios.ordinalOfCode(scenario)!,
		model.dimensions[2]!.ordinalOfCode(route)!
	);
const line = (dimension: string, from: string, to: string, reverse = false) => ({
	from: id(dimension, from),
	to: id(dimension, to),
	reverse
});
const map = (lines: MemberMap['lines'], others: MemberMap['others'] = 'left out') => ({ map: { lines, others } });

const copy = (onto: object, more: object = {}): Step =>
	({
		id: 1,
		name: 'Copy',
		description: '',
		active: true,
		limits: {},
		kind: 'copy',
		from: { [SCENARIO]: { kind: 'these', members: [id('scenario', 'Actual')] } },
		onto: { [SCENARIO]: id('scenario', 'Plan'), ...onto },
		shift: null,
		factor: 1,
		...more
	}) as Step;
const order = (step: Step): RunOrder => ({
	steps: [step],
	values: new Map(),
	variables: new Map(),
	originOf: new Map([[1, 2]]),
	results: [],
	kindOf: () => 'loads',
	whyNot: () => undefined,
	onRefused: 'skip',
	breathe: () => {},
	progress: () => {}
});
/** A cube with a value in April 2026 at each address, run over, with what the step wrote. */
function run(step: Step, cells: readonly [address: Int32Array, value: number][], year = 2027) {
	const cube = new Cube(model);
	for (const [address, value] of cells) cube.writeCell(2, address, year, 0, value);
	const { changes, log } = runSteps(model, cube, order(step));
	for (const { origin, address, year: of, after } of changes) cube.writeSeries(origin, address, of, after);
	return { read: (address: Int32Array, of = year) => cube.read(address, of, 0), log: log[0]! };
}

describe('a table of members', () => {
	test('says what goes where; a member that adds up others stands for them by their weights', () => {
		const { read } = run(copy({ [ACCOUNT]: map([line('account', 'Net', 'Revenue')]) }), [
			[at('Sales'), 100],
			[at('Discount'), 15],
			[at('Noted'), 7],
			[at('Other'), 3]
		]);
		expect(read(at('Revenue', 'North', 'Plan'))).toBe(85);
		expect(read(at('Other', 'North', 'Plan'))).toBeNaN();
		expect(read(at('Sales', 'North', 'Plan'))).toBeNaN();
	});

	test('the nearest line counts, signs can be turned, and the others stay where that is wanted', () => {
		const lines = [line('Route', 'All', 'None'), line('Route', 'South', 'Ferry', true)];
		const { read } = run(copy({ [ROUTE]: map(lines, 'stay') }), [
			[at('Sales', 'North'), 100],
			[at('Sales', 'South'), 40],
			[at('Sales', 'None'), 5]
		]);
		expect(read(at('Sales', 'None', 'Plan'))).toBe(105);
		expect(read(at('Sales', 'Ferry', 'Plan'))).toBe(-40);
	});

	test('brings no prices together, and says how many', () => {
		const { read, log } = run(copy({ [ROUTE]: map([line('Route', 'All', 'None')]) }, { factor: 3 }), [
			[at('Price', 'North'), 4],
			[at('Price', 'South'), 5]
		]);
		expect(read(at('Price', 'None', 'Plan'))).toBeNaN();
		expect(log.reasons).toEqual([{ reason: 'Several prices or facts would meet in one cell, and they do not add up.', cells: 1 }]);
	});

	test('is checked: two lines of one member, a target that adds up others, a member that is gone, no line at all', () => {
		const faults = (lines: MemberMap['lines']) =>
			checkRunbook(model, [copy({ [ROUTE]: map(lines) })], [])
				.filter(({ severity }) => severity === 'error')
				.map(({ message }) => message);
		expect(faults([line('Route', 'North', 'None')])).toEqual([]);
		expect(faults([line('Route', 'North', 'None'), line('Route', 'North', 'Ferry')])[0]).toContain('“North” stands in two lines');
		expect(faults([line('Route', 'North', 'All')])[0]).toContain('“All” adds up others');
		expect(faults([{ from: 999_999, to: id('Route', 'None'), reverse: false }])[0]).toContain('is not there any more');
		expect(faults([])[0]).toContain('No line says');
	});

	test('keeps what adds up: whatever the lines, all that is not left out arrives once', () => {
		const routes = ['North', 'South', 'Ferry', 'None'];
		fc.assert(
			fc.property(
				fc.uniqueArray(fc.tuple(fc.constantFrom('All', ...routes), fc.constantFrom(...routes)), { selector: ([from]) => from }),
				fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 4, maxLength: 4 }),
				(pairs, amounts) => {
					const step = copy({
						[ROUTE]: map(
							pairs.map(([from, to]) => line('Route', from, to)),
							'stay'
						)
					});
					const { read } = run(
						step,
						routes.map((route, index) => [at('Sales', route), amounts[index]!])
					);
					const sum = (values: number[]) => values.reduce((total, value) => total + (Number.isNaN(value) ? 0 : value), 0);
					expect(sum(routes.map((route) => read(at('Sales', route, 'Plan'))))).toBe(sum(amounts));
				}
			)
		);
	});
});

describe('facts of all time', () => {
	test('go along whatever the shift and the periods, multiplied where they add up', () => {
		const step = copy(
			{},
			{ shift: { level: 'year', by: 1 }, factor: 2, limits: { [PERIOD]: { kind: 'these', members: [id('period', '2027-04')] } } }
		);
		const { read } = run(
			step,
			[
				[at('Berths'), 12],
				[at('Tariff'), 9]
			],
			0
		);
		expect(read(at('Berths', 'North', 'Plan'))).toBe(24);
		expect(read(at('Tariff', 'North', 'Plan'))).toBe(9);
	});

	test('are added up where they meet, prices are not, and months do not become facts', () => {
		const together = copy({ [ROUTE]: id('Route', 'None') });
		const { read, log } = run(
			together,
			[
				[at('Berths', 'North'), 12],
				[at('Berths', 'South'), 3],
				[at('Tariff', 'North'), 1],
				[at('Tariff', 'South'), 2]
			],
			0
		);
		expect(read(at('Berths', 'None', 'Plan'))).toBe(15);
		expect(read(at('Tariff', 'None', 'Plan'))).toBeNaN();
		expect(log.skipped).toBe(1);
		const mixed = run(copy({ [ACCOUNT]: map([line('account', 'Sales', 'Berths'), line('account', 'Berths', 'Sales')]) }), [
			[at('Sales'), 5]
		]);
		expect(mixed.read(at('Berths', 'North', 'Plan'), 0)).toBeNaN();
		expect(mixed.log.reasons[0]!.reason).toContain('one value for all time');
	});

	test('are judged by the last month of their scenario', () => {
		const cube = new Cube(model);
		cube.writeCell(2, at('Berths'), 0, 0, 4);
		const asked: number[] = [];
		const whyNot = (_: Int32Array, leaf: number) => {
			asked.push(leaf);
			return undefined;
		};
		expect(runSteps(model, cube, { ...order(copy({})), whyNot }).cells).toBe(1);
		expect(asked).toEqual([23]);
	});
});

test('yearly amounts go to the year they are shifted to', () => {
	const { read } = run(copy({}, { shift: { level: 'year', by: 1 } }), [[at('Target'), 70]]);
	expect(read(at('Target', 'North', 'Plan'), 2028)).toBe(70);
});
