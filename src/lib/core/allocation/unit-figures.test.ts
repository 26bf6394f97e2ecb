import { describe, expect, test } from 'vitest';
import { isAddressIn, reachOf, type AllocationLine, type AllocationStep, type Step } from '../runbook';
import { ScriptNames } from '../script';
import { at, by, driver, faults, id, model, run, share, shown, tie, world, type Line } from '../testing/allocation-world';

/** What a unit of the driver costs, worked out by hand: costs over hours of A and B. */
const keeps = { unitCost: id('account', 'Wage'), used: id('account', 'Orders'), unused: id('account', 'Visits') };
const step = (more: Partial<AllocationLine> = { keeps }, line: Partial<Line> = {}, settings: Partial<AllocationStep> = {}): Step => {
	const made = share([{ receivers: { Object: ['Few'] }, basis: by('Hours'), ...line }], settings) as Step & AllocationStep;
	return { ...made, lines: made.lines.map((each) => ({ ...each, ...more })) };
};
const hours = (period = '2026-04'): [string[], number, string][] => [
	[at('A', 'Hours'), 30, period],
	[at('B', 'Hours'), 60, period]
];
const kept = (of: ReturnType<typeof world>, object = 'Pool', period = '2026-04') =>
	['Wage', 'Orders', 'Visits'].map((account) => of.read(at(object, account), period));
const capacity = driver('Tickets');

describe('what a unit costs', () => {
	test('is what the pool held by all units, beside how many there were; again the same', () => {
		const made = world([[at('Pool'), 900], ...hours()]);
		run(made, step());
		expect(shown(made, ['A', 'B', 'Pool'])).toEqual([300, 600, 0]);
		expect(kept(made)).toEqual([10, 90, Number.NaN]);
		expect(run(made, step()).cells).toBe(0);
	});
	test('of several accounts adds up, and units are counted once', () => {
		const made = world([[at('Pool'), 900], [at('Pool', 'Other'), 90], ...hours()]);
		run(made, step({ keeps }, { pool: { account: ['Dues', 'Other'] } }));
		expect(kept(made)).toEqual([11, 90, Number.NaN]);
	});
	test('is in the currency of the pool, also where receivers have another', () => {
		const isle = (account: string, entity = 'Isle') => at('Pool', account, { entity });
		const made = world([
			[isle('Dues'), 80],
			[isle('Hours', 'Skerry'), 6],
			[isle('Hours', 'Amber'), 4]
		]);
		run(made, step({ keeps }, { pool: { entity: ['Isle'] }, receivers: { entity: ['Skerry', 'Amber'] } }));
		expect([made.read(isle('Wage'), '2026-04'), made.read(isle('Orders'), '2026-04')]).toEqual([8, 10]);
	});
	test('is of each period; where nothing weighs nothing is kept', () => {
		const made = world([[at('Pool'), 900], [at('Pool'), 50, '2026-05'], ...hours()]);
		run(made, step());
		expect(kept(made, 'Pool', '2026-05')).toEqual([Number.NaN, Number.NaN, Number.NaN]);
		expect(kept(made)).toEqual([10, 90, Number.NaN]);
	});
	test('goes away with its step, and where the line keeps it no more', () => {
		const made = world([[at('Pool'), 900], ...hours()]);
		run(made, step());
		run(made, step({}));
		expect(kept(made)).toEqual([Number.NaN, Number.NaN, Number.NaN]);
		expect(shown(made, ['A'])).toEqual([300]);
	});
});

describe('with a capacity', () => {
	test('only what is used goes out, at what a unit of all of it costs; the rest stays and is proven as kept', () => {
		const made = world([[at('Pool'), 900], [at('Pool', 'Tickets'), 100], ...hours()]);
		const done = run(made, step({ keeps, capacity }));
		expect(shown(made, ['A', 'B', 'Pool'])).toEqual([270, 540, 90]);
		expect(kept(made)).toEqual([9, 90, 10]);
		expect(tie(done)).toEqual({ in: 900, out: 810, kept: 90, stranded: 0 });
	});
	test('that is exceeded more goes out than there was, and said so', () => {
		const made = world([[at('Pool'), 900], [at('Pool', 'Tickets'), 60], ...hours()]);
		const done = run(made, step({ keeps, capacity }));
		expect(shown(made, ['A', 'B', 'Pool'])).toEqual([450, 900, -450]);
		expect(kept(made)).toEqual([15, 90, -30]);
		expect(tie(done)).toEqual({ in: 900, out: 1_350, kept: -450, stranded: 0 });
	});
	test('that nobody says the pool is stranded, and it is said why', () => {
		const made = world([[at('Pool'), 900], ...hours()]);
		const done = run(made, step({ capacity }));
		expect(tie(done)).toEqual({ in: 900, out: 0, kept: 0, stranded: 900 });
		expect(done.log[0]!.proof!.stranded[0]!.why).toBe('There is no capacity.');
		expect(kept(made)).toEqual([Number.NaN, Number.NaN, Number.NaN]);
	});
	test('cents: what goes out is rounded once, and receivers add up to it', () => {
		// 100.00 by 7 of 9: 77.78, of which A 3 parts and B 4: 33.33 and 44.45.
		const made = world([
			[at('Pool'), 100],
			[at('Pool', 'Tickets'), 9],
			[at('A', 'Hours'), 3],
			[at('B', 'Hours'), 4]
		]);
		run(made, step({ capacity }));
		expect(shown(made, ['A', 'B'])).toEqual([33.33, 44.45]);
		expect(made.read(at('Pool'), '2026-04')).toBeCloseTo(22.22, 9);
	});
});

test('a capacity of the driver’s own account is read where the pool is, the driver at receivers: both count as read', () => {
	const made = world([[at('Pool'), 900], [at('Pool', 'Hours'), 100], ...hours()]);
	const own = step({ keeps, capacity: driver('Hours') });
	run(made, own);
	expect(shown(made, ['A', 'B', 'Pool'])).toEqual([270, 540, 90]);
	const { reads } = reachOf(model, own, { values: new Map(), variables: new Map(), names: () => new ScriptNames(model) });
	const isRead = (object: string) => {
		const address = Int32Array.from(at(object, 'Hours'), (code, axis) => model.dimensions[axis]!.ordinalOfCode(code)!);
		return reads.some((scope) => isAddressIn(scope, address));
	};
	expect(['Pool', 'A', 'B', 'M1'].map(isRead)).toEqual([true, true, true, false]);
});
test('a capacity below nothing is none', () => {
	const made = world([[at('Pool'), 900], [at('Pool', 'Tickets'), -5], ...hours()]);
	expect(tie(run(made, step({ capacity })))).toEqual({ in: 900, out: 0, kept: 0, stranded: 900 });
});

describe('what cannot be kept is refused before it runs', () => {
	test.each([
		['a pool of several members', step({ keeps }, { pool: { Object: ['Web', 'Pier'] } }), 'name one member of Object'],
		['a unit cost in an account of amounts', step({ keeps: { unitCost: id('account', 'Other') } }), 'an account of a price'],
		['units in an account of amounts', step({ keeps: { used: id('account', 'Other') } }), 'an account of a quantity'],
		['where steps are solved together', step({ keeps }, {}, { together: true }), 'solved together']
	])('%s', (_, given, words) => {
		expect(faults(given).join()).toContain(words);
	});
	test('by other bases it says nothing', () => {
		expect(faults(step({ keeps }, { basis: { by: 'even' } }))).toEqual([]);
	});
});
