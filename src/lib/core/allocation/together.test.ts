import { describe, expect, test } from 'vitest';
import { chainOf, checkRunbook, proofsOf, type AllocationStep, type Step } from '../runbook';
import { at, by, dimension, id, run, share, shown as exactly, slice, tie, to, world, type Line } from '../testing/allocation-world';
import { followBack, followForward, type LineTrace } from './trace';

/**
 * Pools that serve one another, worked out by hand. Web is the data centre with 60,000: Pier, the people office, gets 20 %,
 * A 30 %, B 50 %. Pier has 40,000 of its own: Web gets 10 %, A 50 %, B 40 %. Solved: Web 60,000 + 0.1 Pier = 65,306.12,
 * Pier 40,000 + 0.2 Web = 53,061.22.
 */
/** Without the binary dust of several steps' amounts added up. */
const clean = (value: number) => Math.round(value * 1e6) / 1e6 + 0;
const shown = (...of: Parameters<typeof exactly>) => exactly(...of).map(clean);
const together = (lines: Line[], step: number, more: Partial<AllocationStep> = {}): Step => share(lines, { together: true, ...more }, step);
const web = (parts: Record<string, number>, more: Partial<AllocationStep> = {}, line: Partial<Line> = {}) =>
	together([{ pool: { Object: ['Web'] }, receivers: { Object: Object.keys(parts) }, basis: to(parts), ...line }], 1, more);
const pier = (parts: Record<string, number>, more: Partial<AllocationStep> = {}, line: Partial<Line> = {}) =>
	together([{ pool: { Object: ['Pier'] }, receivers: { Object: Object.keys(parts) }, basis: to(parts), ...line }], 2, more);
const serving = () => [web({ Pier: 20, A: 30, B: 50 }), pier({ Web: 10, A: 50, B: 40 })];
const own = (period = '2026-04'): [string[], number, string][] => [
	[at('Web'), 60_000, period],
	[at('Pier'), 40_000, period]
];

describe('4, reciprocal', () => {
	test('each is solved with what comes from the other', () => {
		const made = world(own());
		const done = run(made, ...serving());
		expect(shown(made, ['Web', 'Pier', 'A', 'B'])).toEqual([0, 0, 46_122.45, 53_877.55]);
		expect([tie(done), tie(done, 1)]).toEqual([
			{ in: 65_306.12, out: 65_306.12, kept: 0, stranded: 0 },
			{ in: 53_061.22, out: 53_061.22, kept: 0, stranded: 0 }
		]);
		expect(chainOf(proofsOf(done.log))).toEqual([
			{ currency: 'EUR', firstIn: 100_000, finalOut: 100_000, passedThrough: 18_367.34, kept: 0, stranded: 0 }
		]);
		expect(done.log.flatMap(({ notes }) => notes)).toEqual([]);
	});
	test('in which order they stand changes nothing; again changes nothing; one alone is all of them', () => {
		const [made, turned] = [world(own()), world(own())];
		run(made, ...serving());
		run(turned, ...serving().toReversed());
		expect(shown(turned, ['Web', 'Pier', 'A', 'B'])).toEqual(shown(made, ['Web', 'Pier', 'A', 'B']));
		const book = { id: 1, steps: serving() };
		expect(made.run(book).cells).toBe(0);
		expect(made.run(book, {}, { only: 1 }).cells).toBe(0);
		const alone = world(own());
		const done = alone.run(book, {}, { only: 2 });
		expect(done.log.map(({ step }) => step)).toEqual([1, 2]);
		expect(shown(alone, ['A', 'B'])).toEqual([46_122.45, 53_877.55]);
	});
	test('every period by itself', () => {
		const made = world([...own(), [at('Web'), 100, '2026-05']]);
		run(made, ...serving());
		// Web 100 / 0.98 = 102.04, Pier 20.41 of it, 2.04 of that back.
		expect(shown(made, ['Web', 'Pier', 'A', 'B'], 'Dues', '2026-05')).toEqual([0, 0, 40.82, 59.18]);
		expect(shown(made, ['A', 'B'])).toEqual([46_122.45, 53_877.55]);
	});
	test('and every place that passes through', () => {
		const made = world([...own(), [at('Web', 'Dues', { channel: 'X' }), 100], [at('Pier', 'Dues', { channel: 'Y' }), 10]]);
		run(made, ...serving());
		expect(made.read(at('A', 'Dues', { channel: 'X' }), '2026-04')).toBe(40.82);
		// Pier 10 / 0.98 = 10.20; Web 1.02; Pier gets 0.20 of that.
		expect(['Web', 'Pier', 'A', 'B'].map((each) => clean(made.read(at(each, 'Dues', { channel: 'Y' }), '2026-04')))).toEqual([
			0, 0, 5.41, 4.59
		]);
	});
	test('as steps one after another what comes back stays, and is warned of; solved together it is not', () => {
		const alone = serving().map((step) => ({ ...step, together: false }));
		const hints = (steps: Step[]) => checkRunbook(world([]).model, steps, []).filter(({ message }) => message.includes('flows back'));
		expect(hints(alone).map(({ step }) => step)).toEqual([2]);
		expect(hints(serving())).toEqual([]);
		const made = world(own());
		run(made, ...alone);
		expect(shown(made, ['Web'])).toEqual([5_200]);
	});
	test('a step between them that is none of them parts them; one that is off does not', () => {
		const [first, second] = serving();
		const between = share([{ pool: { Object: ['M1'] }, receivers: { Object: ['M2'] } }], {}, 3);
		const parted = world(own());
		run(parted, first!, between, second!);
		expect(shown(parted, ['Web'])).toEqual([5_200]);
		const made = world(own());
		run(made, first!, { ...between, active: false }, second!);
		expect(shown(made, ['Web', 'A'])).toEqual([0, 46_122.45]);
	});
});

test('17, kept is a part of the gross', () => {
	const made = world(own());
	const done = run(made, web({ Pier: 20, A: 30, B: 50 }, {}, { share: 90 }), pier({ Web: 10, A: 50, B: 40 }));
	// Web = 60,000 + 0.1 Pier, Pier = 40,000 + 0.18 Web: 64,000 / 0.982.
	expect(tie(done)).toEqual({ in: 65_173.12, out: 58_655.81, kept: 6_517.31, stranded: 0 });
	expect(made.read(at('Web'), '2026-04')).toBeCloseTo(6_517.31, 9);
	expect(made.read(at('Pier'), '2026-04')).toBe(0);
	expect(chainOf(proofsOf(done.log))).toEqual([
		expect.objectContaining({ firstIn: 100_000, finalOut: 93_482.69, kept: 6_517.31, stranded: 0 })
	]);
});

describe('a ring', () => {
	test('without a way out is refused, with the ring, and nothing is written', () => {
		const made = world(own());
		expect(() => run(made, web({ Pier: 100 }), pier({ Web: 100 }))).toThrow(
			/(“Share 1” → “Share 2” → “Share 1”|“Share 2” → “Share 1” → “Share 2”): in .* all that comes in goes round/
		);
		expect(shown(made, ['Web', 'Pier'])).toEqual([60_000, 40_000]);
	});
	test('of three of which two have no way out is refused as well, by thirds too', () => {
		const made = world(own());
		const third = together([{ pool: { Object: ['A'] }, receivers: { Object: ['Web', 'Pier', 'A'] } }], 3);
		expect(() => run(made, web({ Pier: 1, A: 1, Web: 1 }), pier({ Web: 1, A: 1, Pier: 1 }), third)).toThrow(/nothing ever comes out/);
	});
	test('with a narrow way out is solved and said: of 100 that leave, 5 do not come back', () => {
		const made = world([[at('Web'), 100]]);
		const done = run(made, web({ Pier: 100 }), pier({ Web: 95, A: 5 }));
		expect(shown(made, ['Web', 'Pier', 'A'])).toEqual([0, 0, 100]);
		expect(done.log[0]!.notes).toEqual([expect.stringMatching(/only 5 % of what goes round comes out/)]);
		expect(tie(done)).toEqual({ in: 2_000, out: 2_000, kept: 0, stranded: 0 });
	});
	test('what a pool gives itself goes round in it: of 100 shared by thirds the two others get 50 each', () => {
		const made = world([[at('A'), 100]]);
		run(made, together([{ pool: { Object: ['A'] }, receivers: { Object: ['Few'] } }], 1));
		expect(shown(made, ['A', 'B', 'C'])).toEqual([0, 50, 50]);
	});
	test('of pools that have only one another passes every cent on', () => {
		const made = world([[at('Web'), 100.01]]);
		// Web → Pier and M1 evenly; both → Web 1, A 3: Web = 100.01 / 0.75 = 133.35.
		const m1 = together([{ pool: { Object: ['M1'] }, receivers: { Object: ['Web', 'A'] }, basis: to({ Web: 1, A: 3 }) }], 3);
		const done = run(made, web({ Pier: 1, M1: 1 }), pier({ Web: 1, A: 3 }), m1);
		expect(shown(made, ['Web', 'Pier', 'M1', 'A'])).toEqual([0, 0, 0, 100.01]);
		for (const step of [0, 1, 2]) expect(tie(done, step)).toMatchObject({ kept: 0, stranded: 0 });
	});
});

test('5, stranded: where nothing weighs, what came there stays and is said', () => {
	const made = world([...own(), [at('A', 'Orders'), 3], [at('B', 'Orders'), 5]]);
	const hours = pier({ Web: 10 }, {}, { receivers: { Object: ['Web', 'A'] }, basis: by('Hours') });
	const done = run(made, web({ Pier: 20, A: 30, B: 50 }), hours);
	expect(shown(made, ['Web', 'Pier', 'A', 'B'])).toEqual([0, 52_000, 18_000, 30_000]);
	expect(tie(done, 1)).toEqual({ in: 52_000, out: 0, kept: 0, stranded: 52_000 });
	const stops = { ...hours, noDriver: 'stop' } as Step;
	expect(() => run(world(own()), web({ Pier: 20, A: 80 }), stops)).toThrow(/Share 2: there is no driver in/);
	const evenly = { ...hours, noDriver: 'evenly' } as Step;
	const even = world(own());
	// Web = 60,000 + 0.5 Pier, Pier = 40,000 + 0.2 Web: 80,000 / 0.9 = 88,888.89 and 57,777.78.
	run(even, web({ Pier: 20, A: 30, B: 50 }), evenly);
	expect(shown(even, ['Web', 'Pier', 'A', 'B'])).toEqual([0, 0, 55_555.56, 44_444.44]);
});

test('amounts in other currencies serve one another: what crosses is shared in the currency of the step', () => {
	const entity = (of: string, account = 'Dues') => at('Pool', account, { entity: of });
	// Isle has GBP 80 (EUR 100), Skerry NOK 1,000 (EUR 100); Isle gives Skerry and Amber half each, Skerry gives Isle 20 %, Amber 80 %.
	const made = world([
		[entity('Isle'), 80],
		[entity('Skerry'), 1_000],
		[entity('Skerry', 'Orders'), 1],
		[entity('Amber', 'Orders'), 1],
		[entity('Isle', 'Tickets'), 1],
		[entity('Amber', 'Tickets'), 4]
	]);
	const isle = together([{ pool: { entity: ['Isle'] }, receivers: { entity: ['Skerry', 'Amber'] }, basis: by('Orders') }], 1);
	const skerry = together([{ pool: { entity: ['Skerry'] }, receivers: { entity: ['Isle', 'Amber'] }, basis: by('Tickets') }], 2);
	const done = run(made, isle, skerry);
	// In EUR: Isle = 100 + 0.2 Skerry, Skerry = 100 + 0.5 Isle: 120 / 0.9 = 133.33 and 166.67.
	expect(tie(done)).toEqual({ in: 133.33, out: 133.33, kept: 0, stranded: 0 });
	expect(tie(done, 1)).toEqual({ in: 166.67, out: 166.67, kept: 0, stranded: 0 });
	expect(made.read(entity('Isle'), '2026-04')).toBeCloseTo(0, 9);
	expect(made.read(entity('Skerry'), '2026-04')).toBeCloseTo(0, 9);
	expect(made.read(entity('Amber'), '2026-04')).toBe(200);
	const late = world([
		[entity('Isle'), 80, '2027-07'],
		[entity('Skerry', 'Orders'), 1, '2027-07']
	]);
	expect(() => run(late, isle, skerry)).toThrow(/no average rate from NOK to EUR/);
});

test('a pool of several cells that collapse: what comes to one of them goes on with the others', () => {
	const made = world([
		[at('M1'), 30],
		[at('M2'), 50],
		[at('Minus'), 20]
	]);
	// Net = 60 and what A gives M1; A gives M1 a quarter, B the rest: Net = 60 + A / 4, A = Net: 80.
	const net = together([{ pool: { Object: ['Net'] }, receivers: { Object: ['A'] } }], 1);
	const back = together([{ pool: { Object: ['A'] }, receivers: { Object: ['M1', 'B'] }, basis: to({ M1: 1, B: 3 }) }], 2);
	const done = run(made, net, back);
	expect(shown(made, ['M1', 'M2', 'Minus', 'A', 'B'])).toEqual([0, 0, 0, 0, 60]);
	expect(tie(done)).toEqual({ in: 80, out: 80, kept: 0, stranded: 0 });
});

test('what comes to a cell that counts against its pool makes the pool smaller', () => {
	// Net = 100 - 20 - A / 4, A = Net: 64 each; of it 16 come to Minus, 48 to B.
	const made = world([
		[at('M1'), 100],
		[at('Minus'), 20]
	]);
	const net = together([{ pool: { Object: ['Net'] }, receivers: { Object: ['A'] } }], 1);
	const back = together([{ pool: { Object: ['A'] }, receivers: { Object: ['Minus', 'B'] }, basis: to({ Minus: 1, B: 3 }) }], 2);
	const done = run(made, net, back);
	expect(shown(made, ['M1', 'Minus', 'A', 'B'])).toEqual([0, 0, 0, 48]);
	expect([tie(done), tie(done, 1)]).toEqual([
		{ in: 64, out: 64, kept: 0, stranded: 0 },
		{ in: 64, out: 64, kept: 0, stranded: 0 }
	]);
});

test('a pool that is one in some periods only is served back in those, and keeps what comes in others', () => {
	const made = world([...own(), [at('Web'), 100, '2026-05']]);
	const [first, second] = serving();
	run(made, first!, { ...second!, limits: slice({ period: ['2026-04'] }) });
	expect(shown(made, ['Web', 'Pier', 'A', 'B'])).toEqual([0, 0, 46_122.45, 53_877.55]);
	expect(shown(made, ['Web', 'Pier', 'A', 'B'], 'Dues', '2026-05')).toEqual([0, 20, 30, 50]);
});

test('two steps that take from one pool share its gross', () => {
	// Half of Web to Pier, half to A; Pier gives Web half back, B the rest: Web = 60 + Pier / 2, Pier = Web / 2: 80 and 40.
	const made = world([[at('Web'), 60]]);
	const half = web({ Pier: 1 }, {}, { share: 50, name: 'To Pier' });
	const other = { ...web({ A: 1 }, {}, { share: 50, name: 'To A' }), id: 3, name: 'Share 3' };
	const done = run(made, half, other, pier({ Web: 1, B: 1 }));
	expect(shown(made, ['Web', 'Pier', 'A', 'B'])).toEqual([0, 0, 40, 20]);
	expect([0, 1, 2].map((step) => tie(done, step).in)).toEqual([40, 40, 40]);
});

test('a contra of its own: pools stay as they are booked, the contra has all that went', () => {
	const made = world(own());
	run(made, ...serving().map((step) => ({ ...step, contra: { account: id('account', 'Contra') } }) as Step));
	expect(shown(made, ['A', 'B'])).toEqual([46_122.45, 53_877.55]);
	expect(shown(made, ['Web', 'Pier'])).toEqual([65_306.12, 53_061.22]);
	expect(shown(made, ['Web', 'Pier'], 'Contra')).toEqual([-65_306.12, -53_061.22]);
});

test('what cannot be solved together is refused before it runs', () => {
	const errors = (...steps: Step[]) =>
		checkRunbook(world([]).model, steps, [])
			.filter(({ severity }) => severity === 'error')
			.map(({ message }) => message);
	expect(errors(web({ A: 1 }, { contra: 'none' }))).toEqual([expect.stringContaining('choose a contra')]);
	expect(errors(web({ A: 1 }, {}, { basis: { by: 'standard', drivers: [{ account: id('account', 'Hours'), at: {} }], rate: 2 } }))).toEqual(
		[expect.stringContaining('At standard')]
	);
	const wide = { pool: { account: ['Dues', 'Contra'], Object: ['Web'] } };
	expect(errors(web({ A: 1 }, { contra: { account: id('account', 'Contra') } }, wide))).toEqual([expect.stringContaining('is in a pool')]);
	expect(errors(web({ A: 1 }, {}, { share: 60 }), { ...web({ B: 1 }, {}, { share: 60, name: 'Other' }), id: 2, name: 'Two' })).toEqual([
		expect.stringContaining('120 %')
	]);
	expect(errors(...serving())).toEqual([]);
	expect(() => run(world(own()), web({ A: 1 }, { contra: 'none' }))).toThrow('choose a contra');
});

describe('16, followed by first pools', () => {
	const traced = () => {
		const made = world([...own(), [at('Web'), 600, '2026-05']]);
		const traces: { step: number; trace: LineTrace }[] = [];
		// What it wrote before changes nothing.
		run(made, ...serving());
		made.run({ id: 1, steps: serving() }, {}, { traced: (step: number, trace: LineTrace) => traces.push({ step, trace }) });
		return traces;
	};
	const all = (objects: string[]) => {
		const ofObjects = dimension('Object');
		return {
			weights: new Map([[ofObjects.id, new Map(objects.map((code) => [id('Object', code), 1]))]]),
			periods: new Set([world([]).model.periods.dimension.members.find(({ code }) => code === '2026-04')!.id])
		};
	};
	const nameOf = (members: readonly number[], dimensions: readonly number[]) =>
		dimension('Object').members.find((each) => each.id === members[dimensions.indexOf(dimension('Object').id)])!.code;
	test('back: to what began with each, the parts of a step adding up to what it brought', () => {
		const byPool = (object: string) => {
			const sums: Record<string, number> = {};
			for (const { trace } of traced())
				for (const { members, dimensions, amount } of followBack(trace, all([object])))
					sums[nameOf(members, dimensions)] = Math.round(((sums[nameOf(members, dimensions)] ?? 0) + amount) * 100) / 100;
			return sums;
		};
		expect(byPool('A')).toEqual({ Web: 24_489.8, Pier: 21_632.65 });
		expect(byPool('B')).toEqual({ Web: 35_510.2, Pier: 18_367.35 });
	});
	test('forward: all of a pool reaches those outside', () => {
		const sums: Record<string, number> = {};
		for (const { trace } of traced())
			for (const { members, dimensions, amount } of followForward(trace, all(['Web'])))
				sums[nameOf(members, dimensions)] = (sums[nameOf(members, dimensions)] ?? 0) + amount;
		expect(Object.keys(sums).sort()).toEqual(['A', 'B']);
		expect(sums.A).toBeCloseTo(24_489.8, 1);
		// To the cents that were moved.
		expect(sums.A! + sums.B!).toBeCloseTo(60_000, 1);
	});
});

describe('clearing', () => {
	const step = share([{ pool: { Object: ['M1'] }, receivers: { Object: ['M2'] } }], {}, 3);
	const ran = () => {
		const made = world([...own(), [at('M1'), 7], ...own('2026-05')]);
		const book = { id: 1, steps: [...serving(), step] };
		made.run(book);
		return { made, book };
	};
	test('takes away what a step wrote, and what was solved together with it; the others stay', () => {
		const { made, book } = ran();
		const done = made.run(book, {}, { clears: true, only: 2 });
		expect(done.log.map(({ step: id, replaced }) => [id, replaced > 0])).toEqual([
			[1, true],
			[2, true]
		]);
		expect(shown(made, ['Web', 'Pier', 'A', 'M1', 'M2'])).toEqual([60_000, 40_000, Number.NaN, 0, 7]);
		expect(shown(made, ['A'], 'Dues', '2026-05')).toEqual([Number.NaN]);
	});
	test('of all steps takes away all, also of steps that are switched off or gone, and again nothing', () => {
		const { made, book } = ran();
		const rest = { id: 1, steps: book.steps.slice(0, 2).map((each) => ({ ...each, active: false })) };
		const done = made.run(rest, {}, { clears: true });
		expect(shown(made, ['Web', 'Pier', 'M1', 'M2'])).toEqual([60_000, 40_000, 7, Number.NaN]);
		expect(done.log.at(-1)!.notes).toEqual(['2 taken away that steps had written which are gone.']);
		expect(made.run(rest, {}, { clears: true }).cells).toBe(0);
	});
	test('whole or not at all: a closed cell ends it', () => {
		const { made, book } = ran();
		const closed = id('Object', 'A');
		const whyNot = (address: Int32Array) =>
			world([]).model.dimensions.some((each, axis) => each.ordinal(closed) === address[axis] && each.id === dimension('Object').id)
				? 'It is closed.'
				: undefined;
		expect(() => made.run(book, {}, { clears: true, whyNot })).toThrow(/cannot be written. It is closed/);
		expect(shown(made, ['A', 'M2'])).toEqual([46_122.45, 7]);
	});
});
