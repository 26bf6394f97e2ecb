import { describe, expect, test } from 'vitest';
import type { AllocationStep, Basis, Step } from '../runbook';
import { chainOf, checkRunbook, proofsOf } from '../runbook';
import { Model } from '../model';
import { buildModel, RunbookWorld } from '../testing';
import {
	model,
	rate,
	dimension,
	id,
	slice,
	driver,
	by,
	share,
	at,
	world,
	run,
	shown,
	tie,
	faults,
	to,
	costs,
	type Line
} from '../testing/allocation-world';

/** The worked figures of allocations, each through a run. */
describe('1, largest remainder', () => {
	const equal: [string[], number][] = ['A', 'B', 'C'].map((object) => [at(object, 'Orders'), 1]);
	test.each([
		[1000, [333.34, 333.33, 333.33]],
		[-1000, [-333.34, -333.33, -333.33]]
	])('%f over three equal drivers', (amount, parts) => {
		const own = world([[at('Pool'), amount], ...equal]);
		run(own, share([{ receivers: { Object: ['Few'] }, basis: by('Orders') }]));
		expect(shown(own, ['A', 'B', 'C'])).toEqual(parts);
		expect(own.read(at('Pool'), '2026-04')).toBe(0);
	});
	test('0.05 over seven even receivers: the first five get a cent', () => {
		const own = world([[at('Pool'), 0.05]]);
		run(own, share([{ receivers: { Object: ['More'] } }]));
		expect(shown(own, ['M1', 'M2', 'M3', 'M4', 'M5', 'M6', 'M7'])).toEqual([0.01, 0.01, 0.01, 0.01, 0.01, Number.NaN, Number.NaN]);
	});
});

describe('2, several lines', () => {
	const cells: [string[], number][] = [
		[at('Pool'), 10_000],
		[at('A', 'Orders'), 30],
		[at('B', 'Orders'), 50],
		[at('C', 'Orders'), 20],
		[at('Web', 'Tickets'), 2],
		[at('Pier', 'Tickets'), 3],
		[at('A', 'Visits', { channel: 'X' }), 1],
		[at('B', 'Visits', { channel: 'X' }), 1],
		[at('C', 'Visits', { channel: 'X' }), 2],
		[at('A', 'Visits', { channel: 'Y' }), 4],
		[at('B', 'Visits', { channel: 'Y' }), 1]
	];
	const lines = (second: number): Line[] => [
		{ name: 'Straight', receivers: { Object: ['Few'] }, basis: by('Orders'), share: 60 },
		{ name: 'By channels', receivers: { Object: ['Channels'] }, basis: by('Tickets'), share: second }
	];
	test('straight and by way of the channels, 5 % kept', () => {
		const own = world(cells);
		const first = share(lines(35));
		const web = share([{ pool: { Object: ['Web'] }, receivers: { Object: ['Few'] }, basis: by('Visits', { Channel: 'X' }) }], {}, 2);
		const pier = share([{ pool: { Object: ['Pier'] }, receivers: { Object: ['Few'] }, basis: by('Visits', { Channel: 'Y' }) }], {}, 3);
		const done = run(own, first, web, pier);
		expect(shown(own, ['A', 'B', 'C'])).toEqual([3830, 3770, 1900]);
		expect(shown(own, ['Web', 'Pier', 'Pool'])).toEqual([0, 0, 500]);
		expect(tie(done)).toEqual({ in: 10_000, out: 9_500, kept: 500, stranded: 0 });
		expect(tie(done, 1)).toEqual({ in: 1_400, out: 1_400, kept: 0, stranded: 0 });
		expect(chainOf(proofsOf(done.log))).toEqual([
			{ currency: 'EUR', firstIn: 10_000, finalOut: 9_500, passedThrough: 3_500, kept: 500, stranded: 0 }
		]);
		expect(done.log[0]!.proof!.rows.map(({ line, out, kept }) => [line, out, kept])).toEqual([
			['Straight', 6000, 0],
			['By channels', 3500, 0],
			['', 0, 500]
		]);
	});
	test('60 % and 45 % are refused: 105 %', () => {
		expect(faults(share(lines(45)))).toEqual([expect.stringContaining('105 %')]);
		const own = world(cells);
		expect(() => run(own, share(lines(45)))).toThrow('105 %');
		expect(shown(own, ['A'])).toEqual([Number.NaN]);
	});
	test('disjoint filters may each take all', () => {
		const apart = [
			{ name: 'One', pool: { Object: ['Web'] }, receivers: { Object: ['A'] } },
			{ name: 'Two', pool: { Object: ['Pier'] }, receivers: { Object: ['A'] } }
		];
		expect(faults(share(apart))).toEqual([]);
	});
});

test('3, step-down: what came is shared on, with what goes back warned of by the order', () => {
	const own = world([
		[at('Web'), 60_000],
		[at('Pier'), 40_000]
	]);
	const first = share([{ pool: { Object: ['Web'] }, receivers: { Object: ['Pier', 'A', 'B'] }, basis: to({ Pier: 20, A: 30, B: 50 }) }]);
	const second = share([{ pool: { Object: ['Pier'] }, receivers: { Object: ['A', 'B'] }, basis: to({ A: 60, B: 40 }) }], {}, 2);
	const done = run(own, first, second);
	expect(shown(own, ['Web', 'Pier', 'A', 'B'])).toEqual([0, 0, 49_200, 50_800]);
	expect([tie(done), tie(done, 1)]).toEqual([
		{ in: 60_000, out: 60_000, kept: 0, stranded: 0 },
		{ in: 52_000, out: 52_000, kept: 0, stranded: 0 }
	]);
	expect(chainOf(proofsOf(done.log))).toEqual([
		{ currency: 'EUR', firstIn: 100_000, finalOut: 100_000, passedThrough: 12_000, kept: 0, stranded: 0 }
	]);
	// The first alone, again: what the second took on is not in its way.
	const book = { id: 1, steps: [first, second] };
	expect(own.run(book, {}, { only: 1 }).cells).toBe(0);
	expect(own.run(book, {}, { only: 2 }).cells).toBe(0);
	expect(own.run(book).cells).toBe(0);
});

test('what a later step keeps of what it was brought counts once in the chain', () => {
	const own = world([[at('Web'), 100]]);
	const done = run(
		own,
		share([{ pool: { Object: ['Web'] }, receivers: { Object: ['Pier'] } }]),
		share([{ pool: { Object: ['Pier'] }, receivers: { Object: ['A'] }, share: 60 }], {}, 2)
	);
	expect(chainOf(proofsOf(done.log))).toEqual([{ currency: 'EUR', firstIn: 100, finalOut: 60, passedThrough: 100, kept: 40, stranded: 0 }]);
});

test('what flows back into a pool already shared is not shared again when its step runs alone', () => {
	const own = world([
		[at('Web'), 100],
		[at('Pier'), 10]
	]);
	const book = {
		id: 1,
		steps: [
			share([{ pool: { Object: ['Web'] }, receivers: { Object: ['Pier'] } }]),
			share([{ pool: { Object: ['Pier'] }, receivers: { Object: ['Web', 'A'] } }], {}, 2)
		]
	};
	// Said before it runs, at the step that gives back.
	const hints = (steps: Step[]) => checkRunbook(model, steps, []).filter(({ message }) => message.includes('flows back'));
	expect(hints(book.steps).map(({ step, severity }) => [step, severity])).toEqual([[2, 'hint']]);
	expect(hints(book.steps.toReversed()).map(({ step }) => step)).toEqual([1]);
	expect(hints([book.steps[0]!, share([{ pool: { Object: ['Pier'] }, receivers: { Object: ['A'] } }], {}, 2)])).toEqual([]);
	own.run(book);
	expect(shown(own, ['Web', 'Pier', 'A'])).toEqual([55, 0, 55]);
	expect(own.run(book, {}, { only: 1 }).cells).toBe(0);
});

test('a pool that is named by a parent counts as it counts there: what subtracts is taken off', () => {
	const own = world([
		[at('M1'), 100],
		[at('Minus'), 30]
	]);
	const done = run(own, share([{ pool: { Object: ['Net'] }, receivers: { Object: ['A'] } }]));
	expect(shown(own, ['M1', 'Minus', 'A'])).toEqual([0, 0, 70]);
	expect(tie(done)).toEqual({ in: 70, out: 70, kept: 0, stranded: 0 });
});

describe('5, stranded', () => {
	const months = ['2026-04', '2026-05', '2026-06'];
	const cells = (): [string[], number, string][] => [
		...months.map((month): [string[], number, string] => [at('Pool'), 200, month]),
		[at('A', 'Orders'), 3, '2026-04'],
		[at('B', 'Orders'), 1, '2026-06']
	];
	const step = (noDriver: AllocationStep['noDriver']) => share([{ receivers: { Object: ['Few'] }, basis: by('Orders') }], { noDriver });
	test('stays where it is, and is said', () => {
		const own = world(cells());
		const done = run(own, step('stranded'));
		expect(months.map((month) => own.read(at('Pool'), month))).toEqual([0, 200, 0]);
		expect(done.log[0]!.proof!.rows.map((row) => [row.out, row.stranded])).toEqual([
			[200, 0],
			[0, 200],
			[200, 0]
		]);
		expect(done.log[0]!.proof!.stranded).toEqual([
			expect.objectContaining({ where: 'Dues, Plan, Amber', amount: 200, why: 'Nothing weighs the receivers.' })
		]);
	});
	test('or is shared evenly, and says so', () => {
		const own = world(cells());
		const done = run(own, step('evenly'));
		expect(shown(own, ['A', 'B', 'C'], 'Dues', '2026-05')).toEqual([66.67, 66.67, 66.66]);
		expect(done.log[0]!.proof!.rows.map(({ evenly }) => evenly)).toEqual([false, true, false]);
	});
	test('or stops, naming the month, and nothing at all is written', () => {
		const own = world(cells());
		expect(() => run(own, step('stop'))).toThrow(/no driver in .*May|no driver in .*2026-05/);
		expect(shown(own, ['A'])).toEqual([Number.NaN]);
	});
});

test('6, negative drivers: by absolute size, or refused by name', () => {
	const cells: [string[], number][] = [
		[at('Pool'), 900],
		[at('A', 'Orders'), 5],
		[at('B', 'Orders'), -3],
		[at('C', 'Orders'), 1]
	];
	const step = (negative: AllocationStep['negative']) => share([{ receivers: { Object: ['Few'] }, basis: by('Orders') }], { negative });
	const own = world(cells);
	run(own, step('absolute'));
	expect(shown(own, ['A', 'B', 'C'])).toEqual([500, 300, 100]);
	expect(() => run(world(cells), step('refuse'))).toThrow(/negative at B in/);
	const zero = world([
		[at('Pool'), 100],
		[at('A', 'Orders'), 2],
		[at('B', 'Orders'), -2]
	]);
	run(zero, step('absolute'));
	expect(shown(zero, ['A', 'B'])).toEqual([50, 50]);
});

describe('currencies', () => {
	const entity = (of: string, account = 'Dues') => at('Pool', account, { entity: of });
	test('7, a pool in GBP to receivers in NOK and EUR; stated in EUR', () => {
		const own = world([
			[entity('Isle'), 100],
			[entity('Skerry', 'Orders'), 3],
			[entity('Amber', 'Orders'), 2]
		]);
		const step = share([{ pool: { entity: ['Isle'] }, receivers: { entity: ['Skerry', 'Amber'] }, basis: by('Orders') }]);
		const done = run(own, step);
		expect(own.read(entity('Skerry'), '2026-04')).toBe(750);
		expect(own.read(entity('Amber'), '2026-04')).toBe(50);
		expect(own.read(entity('Isle'), '2026-04')).toBe(0);
		expect(done.log[0]!.proof!.rows).toEqual([expect.objectContaining({ in: 125, out: 125, currency: 'EUR' })]);
		const late = world([
			[entity('Isle'), 100, '2027-07'],
			[entity('Skerry', 'Orders'), 3, '2027-07']
		]);
		expect(() => run(late, step)).toThrow(/no average rate from NOK to EUR for/);
	});
	test('13, money as a driver is compared in the step’s currency', () => {
		const own = world([
			[entity('Coast'), 200],
			[entity('Skerry', 'Revenue'), 1000],
			[entity('Amber', 'Revenue'), 100]
		]);
		run(own, share([{ pool: { entity: ['Coast'] }, receivers: { entity: ['Skerry', 'Amber'] }, basis: by('Revenue') }]));
		expect([own.read(entity('Skerry'), '2026-04'), own.read(entity('Amber'), '2026-04')]).toEqual([1000, 100]);
	});
	test('15, a fraction of a cent goes unrounded with the first of the largest', () => {
		const other = buildModel({
			accounts: costs,
			scenarios: [{ code: 'Plan', span: ['2026-04', '2028-03'] }],
			entities: [
				{ code: 'A', currency: 'EUR' },
				{ code: 'B', currency: 'EUR' },
				{ code: 'Isle', currency: 'GBP' }
			],
			rates: [rate('GBP', 0.83)]
		});
		const own = new RunbookWorld(other);
		own.write(2, ['Dues', 'Plan', 'Isle'], '2026-04', 100);
		const of = (code: string) => other.definition.dimensions[3]!.members.find((each) => each.code === code)!.id;
		const entities = (...codes: string[]) => ({ 4: { kind: 'these', members: codes.map(of) } });
		const account = { 1: { kind: 'these', members: [other.definition.dimensions[0]!.members[1]!.id] } };
		const step = share([{ receivers: {} }]) as Step & { lines: { pool: object; receivers: object }[] };
		const done = run(own, {
			...step,
			lines: [{ ...step.lines[0]!, pool: { ...account, ...entities('Isle') }, receivers: entities('A', 'B') }]
		} as Step);
		expect(own.read(['Dues', 'Plan', 'A'], '2026-04')).toBeCloseTo(60.241927, 5);
		expect(own.read(['Dues', 'Plan', 'B'], '2026-04')).toBe(60.24);
		expect(own.read(['Dues', 'Plan', 'Isle'], '2026-04')).toBe(0);
		expect(done.log[0]!.proof!.rows[0]!.rounding).toBeCloseTo(0.001927, 5);
	});
});

describe('8, at standard', () => {
	const step = (rate: Extract<Basis, { by: 'standard' }>['rate']) =>
		share([{ receivers: { Object: ['Few'] }, basis: { by: 'standard', drivers: [driver('Hours')], rate } }]);
	test.each([
		[45, 562.5, 62.5],
		[60, 750, -125]
	])('30 and %f hours at 12.50', (hours, second, kept) => {
		const own = world([
			[at('Pool'), 1000],
			[at('A', 'Hours'), 30],
			[at('B', 'Hours'), hours]
		]);
		const done = run(own, step(12.5));
		expect(shown(own, ['A', 'B'])).toEqual([375, second]);
		expect(tie(done)).toEqual({ in: 1000, out: 375 + second, kept, stranded: 0 });
		expect(own.read(at('Pool'), '2026-04')).toBe(kept);
	});
	test('at a price that is kept where the receivers are, or in one place for all', () => {
		const cells: [string[], number][] = [
			[at('Pool'), 1000],
			[at('A', 'Hours'), 10],
			[at('B', 'Hours'), 10],
			[at('A', 'Wage'), 20],
			[at('B', 'Wage'), 30]
		];
		const each = world(cells);
		run(each, step(driver('Wage')));
		expect(shown(each, ['A', 'B'])).toEqual([200, 300]);
		const one = world(cells);
		run(one, step(driver('Wage', { Object: 'B' })));
		expect(shown(one, ['A', 'B'])).toEqual([300, 300]);
	});
});

describe('9, contra', () => {
	test('on another account: what stands above both is unchanged', () => {
		const own = world([[at('Pool'), 800]]);
		run(own, share([{ receivers: { Object: ['A', 'B'] } }], { contra: { account: id('account', 'Contra') } }));
		expect(own.read(at('Pool'), '2026-04')).toBe(800);
		expect(own.read(at('Pool', 'Contra'), '2026-04')).toBe(-800);
		expect(shown(own, ['A', 'B'])).toEqual([400, 400]);
	});
	test('on an account that counts the other way: its sign is turned', () => {
		const own = world([[at('Pool'), 800]]);
		run(own, share([{ receivers: { Object: ['A'] } }], { contra: { account: id('account', 'Income') } }));
		expect(own.read(at('Pool', 'Income'), '2026-04')).toBe(800);
	});
	test('none: nothing is taken out', () => {
		const own = world([[at('Pool'), 800]]);
		run(own, share([{ receivers: { Object: ['A'] } }], { contra: 'none' }));
		expect(shown(own, ['Pool', 'A'])).toEqual([800, 800]);
	});
});

test('10, twice changes nothing; another month leaves the first; a line removed leaves nothing of it', () => {
	const own = world([
		[at('Pool'), 100],
		[at('Pool'), 60, '2026-05'],
		[at('A', 'Orders'), 1],
		[at('B', 'Orders'), 3, '2026-05']
	]);
	const lines: Line[] = [
		{ receivers: { Object: ['Few'] }, basis: by('Orders'), share: 50 },
		{ receivers: { Object: ['Web'] }, share: 20 }
	];
	const all = () => ['Pool', 'A', 'B', 'Web'].map((object) => ['2026-04', '2026-05'].map((month) => own.read(at(object), month)));
	run(own, share(lines));
	const first = all();
	expect(first).toEqual([
		[30, 18],
		[50, Number.NaN],
		[Number.NaN, 30],
		[20, 12]
	]);
	expect(run(own, share(lines)).cells).toBe(0);
	expect(all()).toEqual(first);
	const may = { ...share(lines), limits: slice({ period: ['2026-05'] }) };
	own.write(2, at('Pool'), '2026-05', 600);
	run(own, may as Step);
	expect(all().map(([april]) => april)).toEqual(first.map(([april]) => april));
	expect(own.read(at('Web'), '2026-05')).toBe(120);
	run(own, share(lines.slice(0, 1)));
	expect(shown(own, ['Pool', 'A', 'Web'])).toEqual([50, 50, Number.NaN]);
});

test('11, the pool among its receivers', () => {
	const own = world([[at('A'), 100]]);
	const step = (contra: AllocationStep['contra']) => share([{ pool: { Object: ['Few'] }, receivers: { Object: ['Few'] } }], { contra });
	run(own, step('same account'));
	expect(shown(own, ['A', 'B', 'C'])).toEqual([33.34, 33.33, 33.33]);
	expect(faults(step('none'), 'hint')).toEqual([expect.stringContaining('the total grows')]);
	expect(faults(step('same account'), 'hint')).toEqual([]);
});

describe('drivers of other shapes', () => {
	test('12, by route only: what weighs together gets its part to the cent, beneath it is even', () => {
		const own = world([
			[at('Pool'), 400],
			[at('A', 'Orders'), 10],
			[at('B', 'Orders'), 10]
		]);
		const receivers = { Object: ['A', 'B'], Channel: ['X', 'Y', 'Z'] };
		run(own, share([{ receivers, basis: by('Orders', { Channel: 'None' }) }]));
		for (const object of ['A', 'B'])
			expect(['X', 'Y', 'Z'].map((channel) => own.read(at(object, 'Dues', { channel }), '2026-04'))).toEqual([66.67, 66.67, 66.66]);
	});
	test('at the members that are named: what is beneath is weighed together, and shared evenly', () => {
		const own = world([
			[at('Pool'), 300],
			[at('A', 'Orders'), 1],
			[at('B', 'Orders'), 3],
			[at('Web', 'Orders'), 2]
		]);
		run(own, share([{ receivers: { Object: ['Few', 'Channels'] }, basis: by('Orders', {}, { atNamed: true }) }]));
		expect(shown(own, ['A', 'B', 'C', 'Web', 'Pier'])).toEqual([66.67, 66.67, 66.66, 50, 50]);
	});
	test('computed by a live formula, several together, facts of the year and of all time', () => {
		const cells: [string[], number][] = [
			[at('Pool'), 100],
			[at('A', 'Orders'), 1],
			[at('B', 'Tickets'), 2]
		];
		const live = world(cells);
		run(live, share([{ receivers: { Object: ['Few'] }, basis: { by: 'driver', drivers: [driver('Doubled'), driver('Tickets')] } }]));
		expect(shown(live, ['A', 'B'])).toEqual([50, 50]);
		for (const account of ['Berths', 'Target']) {
			const facts = world(cells);
			facts.cube.writeCell(2, facts.address(...at('C', account)), account === 'Berths' ? 0 : 2027, 0, 5);
			run(facts, share([{ receivers: { Object: ['Few'] }, basis: by(account) }]));
			expect(shown(facts, ['A', 'B', 'C'])).toEqual([Number.NaN, Number.NaN, 100]);
		}
	});
	test('one that is read where the pool is, and one read in one place for all, add up', () => {
		const own = world([
			[at('Pool', 'Dues', { channel: 'X' }), 100],
			[at('Pool', 'Dues', { channel: 'Y' }), 60],
			[at('A', 'Orders', { channel: 'X' }), 3],
			[at('B', 'Tickets'), 1]
		]);
		const drivers = [driver('Orders'), driver('Tickets', { Channel: 'None' })];
		run(own, share([{ receivers: { Object: ['Few'] }, basis: { by: 'driver', drivers } }]));
		expect(['A', 'B'].map((object) => own.read(at(object, 'Dues', { channel: 'X' }), '2026-04'))).toEqual([75, 25]);
		expect(['A', 'B'].map((object) => own.read(at(object, 'Dues', { channel: 'Y' }), '2026-04'))).toEqual([Number.NaN, 60]);
	});
	test('fixed shares, also of a parent', () => {
		const own = world([[at('Pool'), 100]]);
		const shares = [
			{ members: { [dimension('Object').id]: id('Object', 'Web') }, share: 1 },
			{ members: { [dimension('Object').id]: id('Object', 'Few') }, share: 3 }
		];
		run(own, share([{ receivers: { Object: ['Few', 'Channels'] }, basis: { by: 'fixed', shares } }]));
		expect(shown(own, ['Web', 'A', 'B', 'C', 'Pier'])).toEqual([25, 25, 25, 25, Number.NaN]);
	});
	test('where the pool is, unless fixed: each part goes by its own driver', () => {
		const own = world([
			[at('Pool', 'Dues', { channel: 'X' }), 100],
			[at('Pool', 'Dues', { channel: 'Y' }), 60],
			[at('A', 'Orders', { channel: 'X' }), 1],
			[at('B', 'Orders', { channel: 'Y' }), 1]
		]);
		run(own, share([{ receivers: { Object: ['Few'] }, basis: by('Orders') }]));
		expect(own.read(at('A', 'Dues', { channel: 'X' }), '2026-04')).toBe(100);
		expect(own.read(at('B', 'Dues', { channel: 'Y' }), '2026-04')).toBe(60);
	});
});

describe('who is reached evenly', () => {
	/** The same model, B retired, C counting nothing in its group, and A and Web together in an alternate group. */
	const other = new Model({
		...model.definition,
		dimensions: model.definition.dimensions.map((each) =>
			each.code !== 'Object'
				? each
				: {
						...each,
						members: each.members.map((member) => (member.code === 'B' ? { ...member, retired: true } : member)),
						nodes: each.nodes.map((node) => (node.member === id('Object', 'C') ? { ...node, weight: 0 } : node)),
						alternates: [
							{
								name: 'Season',
								nodes: [
									{ member: id('Object', 'More'), parent: null, weight: 1 },
									{ member: id('Object', 'A'), parent: id('Object', 'More'), weight: 1 },
									{ member: id('Object', 'B'), parent: id('Object', 'More'), weight: 1 },
									{ member: id('Object', 'Web'), parent: id('Object', 'More'), weight: 1 }
								]
							}
						]
					}
		)
	});
	test('nobody who is retired or counts nothing, unless a driver says so', () => {
		const own = new RunbookWorld(other);
		own.write(2, at('Pool'), '2026-04', 90);
		run(own, share([{ receivers: { Object: ['Few'] } }]));
		expect(shown(own, ['A', 'B', 'C'])).toEqual([90, Number.NaN, Number.NaN]);
		for (const object of ['A', 'B', 'C']) own.write(2, at(object, 'Orders'), '2026-04', 1);
		run(own, share([{ receivers: { Object: ['Few'] }, basis: by('Orders') }]));
		expect(shown(own, ['A', 'B', 'C'])).toEqual([30, 30, 30]);
	});
	test('a group of an alternate hierarchy means its leaves, as receivers and as a pool', () => {
		const season = buildModel({
			accounts: costs,
			scenarios: [{ code: 'Plan', span: ['2026-04', '2028-03'] }],
			general: {
				Object: [
					{ code: 'Pool' },
					{ code: 'North' },
					{ code: 'A', parent: 'North' },
					{ code: 'B', parent: 'North' },
					{ code: 'C' },
					{ code: 'Summer' }
				]
			}
		});
		const of = (code: string) =>
			season.definition.dimensions.find((each) => each.code === 'Object')!.members.find((each) => each.code === code)!.id;
		const withGroup = new Model({
			...season.definition,
			dimensions: season.definition.dimensions.map((each) =>
				each.code !== 'Object'
					? each
					: {
							...each,
							alternates: [
								{
									name: 'Season',
									nodes: [
										{ member: of('Summer'), parent: null, weight: 1 },
										...['B', 'C'].map((code) => ({ member: of(code), parent: of('Summer'), weight: 1 }))
									]
								}
							]
						}
			)
		});
		const objects = (...codes: string[]) => ({ 5: { kind: 'these' as const, members: codes.map(of) } });
		const account = { 1: { kind: 'these' as const, members: [season.definition.dimensions[0]!.members[1]!.id] } };
		const lines = (pool: string, receivers: string) => [
			{ name: 'Line', pool: { ...account, ...objects(pool) }, receivers: objects(receivers), basis: { by: 'even' }, share: 100 }
		];
		const own = new RunbookWorld(withGroup);
		const cells = () => ['Pool', 'A', 'B', 'C'].map((code) => own.read(['Dues', 'Plan', code], '2026-04'));
		own.write(2, ['Dues', 'Plan', 'Pool'], '2026-04', 100);
		run(own, { ...share([{ receivers: {} }]), lines: lines('Pool', 'Summer') } as unknown as Step);
		expect(cells()).toEqual([0, Number.NaN, 50, 50]);
		run(
			own,
			{ ...share([{ receivers: {} }]), lines: lines('Pool', 'Summer') } as unknown as Step,
			{
				...share([{ receivers: {} }], {}, 2),
				lines: lines('Summer', 'A')
			} as unknown as Step
		);
		expect(cells()).toEqual([0, 100, 0, 0]);
	});
});

test('a period beside the span of the scenario is neither pool nor driver', () => {
	const cut = buildModel({
		accounts: costs,
		scenarios: [{ code: 'Plan', span: ['2026-05', '2026-06'] }],
		general: { Object: [{ code: 'Pool' }, { code: 'A' }] }
	});
	const of = (dimensionAt: number, code: string) => cut.definition.dimensions[dimensionAt]!.members.find((each) => each.code === code)!.id;
	const own = new RunbookWorld(cut);
	for (const month of ['2026-04', '2026-05']) own.write(2, ['Dues', 'Plan', 'Pool'], month, 100);
	const step = {
		...share([{ receivers: {} }]),
		lines: [
			{
				name: 'Line',
				pool: { 1: { kind: 'these', members: [of(0, 'Dues')] }, 5: { kind: 'these', members: [of(3, 'Pool')] } },
				receivers: { 5: { kind: 'these', members: [of(3, 'A')] } },
				basis: { by: 'even' },
				share: 100
			}
		]
	} as unknown as Step;
	expect(tie(run(own, step))).toEqual({ in: 100, out: 100, kept: 0, stranded: 0 });
	expect(['2026-04', '2026-05'].map((month) => own.read(['Dues', 'Plan', 'A'], month))).toEqual([Number.NaN, 100]);
});

test('a pool that a live formula computes goes to others with a contra elsewhere; taken out where it stands it is refused', () => {
	const own = world([
		[at('Pool', 'Orders'), 10],
		[at('A', 'Tickets'), 1]
	]);
	const step = (contra: AllocationStep['contra']) =>
		share([{ pool: { account: ['Doubled'] }, receivers: { account: ['Visits'], Object: ['Few'] }, basis: by('Tickets') }], { contra });
	run(own, step('none'));
	expect(own.read(at('A', 'Visits'), '2026-04')).toBe(20);
	expect(() => run(own, step('same account'))).toThrow('“Doubled” is computed by its formula');
});

test('14, two lines of 50 % divide 0.05 before any receiver is looked at', () => {
	const own = world([[at('Pool'), 0.05]]);
	run(
		own,
		share([
			{ receivers: { Object: ['A'] }, share: 50 },
			{ receivers: { Object: ['B'] }, share: 50 }
		])
	);
	expect(shown(own, ['A', 'B'])).toEqual([0.03, 0.02]);
});

describe('what cannot be followed', () => {
	test.each<[string, Step, string]>([
		['no receivers', share([{ receivers: {} }]), 'Choose who receives'],
		['another scenario', share([{ receivers: { scenario: ['Plan'] } }]), 'stay in their scenario'],
		['a driver that adds up others', share([{ receivers: { Object: ['Few'] }, basis: by('Costs') }]), 'adds up others'],
		['a share of nothing', share([{ receivers: { Object: ['Few'] }, share: 0 }]), 'not above 0 %'],
		['receivers that are prices', share([{ receivers: { account: ['Wage'], Object: ['Few'] } }]), 'cannot be shared out or received'],
		['receivers of another value', share([{ receivers: { account: ['Orders'], Object: ['Few'] } }]), 'kept in another way'],
		[
			'a contra of another value',
			share([{ receivers: { Object: ['Few'] } }], { contra: { account: id('account', 'Orders') } }),
			'kept in another way'
		],
		['fixed shares of none', share([{ receivers: { Object: ['Few'] }, basis: { by: 'fixed', shares: [] } }]), 'No row says'],
		['a strange currency', share([{ receivers: { Object: ['Few'] } }], { currency: 'XYZ' }), 'no currency of this model']
	])('%s', (_, step, sentence) => {
		expect(faults(step).join(' ')).toContain(sentence);
	});
	test('a receiver that is computed: nothing is written', () => {
		const own = world([[at('Pool', 'Orders'), 10]]);
		const step = share([{ pool: { account: ['Orders'] }, receivers: { account: ['Doubled'], Object: ['Few'] } }]);
		expect(() => run(own, step)).toThrow('computed by its formula');
	});
	test('a receiver that is closed: all or nothing', () => {
		const own = world([[at('Pool'), 10]]);
		const closed = (address: Int32Array) => (address[3] === own.address(...at('B'))[3] ? 'It is closed.' : undefined);
		expect(() => own.run({ id: 1, steps: [share([{ receivers: { Object: ['Few'] } }])] }, {}, { whyNot: closed })).toThrow('It is closed.');
		expect(shown(own, ['A'])).toEqual([Number.NaN]);
	});
	test('what it gave before to a cell that is closed now cannot be taken back: nothing runs', () => {
		const own = world([[at('Pool'), 100]]);
		run(own, share([{ receivers: { Object: ['A', 'B'] } }]));
		expect(shown(own, ['Pool', 'A', 'B'])).toEqual([0, 50, 50]);
		const closed = (address: Int32Array) => (address[3] === own.address(...at('B'))[3] ? 'It is closed.' : undefined);
		// B would keep 50 while A gets all of the 100.
		const narrowed = share([{ receivers: { Object: ['A'] } }]);
		expect(() => own.run({ id: 1, steps: [narrowed] }, {}, { whyNot: closed })).toThrow('Share 1: Dues, ');
		expect(shown(own, ['Pool', 'A', 'B'])).toEqual([0, 50, 50]);
		run(own, narrowed);
		expect(shown(own, ['Pool', 'A', 'B'])).toEqual([0, 100, Number.NaN]);
	});
	test('an account with one value a year cannot receive what is kept by the month', () => {
		expect(faults(share([{ pool: { account: ['Orders'] }, receivers: { account: ['Target'], Object: ['Few'] } }])).join(' ')).toContain(
			'kept in another way'
		);
		expect(
			faults(
				share([{ pool: { account: ['Orders'] }, receivers: { Object: ['Few'] } }], { contra: { account: id('account', 'Berths') } })
			).join(' ')
		).toContain('kept in another way');
	});
});
