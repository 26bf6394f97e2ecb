import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { Reader } from '../cube';
import { buildModel, BranchWorld, RunbookWorld, type Book } from '../testing';
import { at as object, share, world as shared } from '../testing/allocation-world';

const ENTRY = 1;
const LOAD = 2;
const [APRIL, MAY] = ['2026-04', '2026-05'];
const ACCOUNTS = ['X', 'Source', 'Z'];
const ENTITIES = ['Skerry', 'Amber'];

/** X is twice the Source, by a run; worked by hand, in EUR. */
function scene() {
	const world = new RunbookWorld(
		buildModel({
			accounts: [
				{ code: 'X', account: {} },
				{ code: 'Source', account: {} },
				{ code: 'Z', account: {} }
			],
			scenarios: [{ code: 'Plan', span: ['2026-04', '2027-03'] }],
			entities: [{ code: 'Group', currency: 'EUR' }, ...ENTITIES.map((code) => ({ code, currency: 'EUR', parent: 'Group' }))]
		})
	);
	const branch = new BranchWorld(world);
	return { world, branch, x: (of: RunbookWorld | BranchWorld, period = APRIL, entity = 'Skerry') => of.read(at('X', entity), period) };
}
const at = (account: string, entity = 'Skerry') => [account, 'Plan', entity];
const book = (world: RunbookWorld, text: string, id = 1): Book => ({ id, steps: [world.formula(id * 10, text)] });
const twice = (world: RunbookWorld, factor = 2) => book(world, `X = Source * ${factor}`);

describe('a run in a branch', () => {
	test('reads the branch, and leaves the base alone: 160 beside 100', () => {
		const { world, branch, x } = scene();
		world.write(LOAD, at('Source'), APRIL, 50);
		world.run(twice(world));
		branch.write(ENTRY, at('Source'), APRIL, 80);
		branch.run(twice(world));
		expect([x(world), x(branch)]).toEqual([100, 160]);
		// Running it once more holds nothing anew.
		expect(branch.run(twice(world))).toEqual([]);
	});

	test('what came to the same is its own from then on: the base runs again with 60, the branch stays at 100', () => {
		const { world, branch, x } = scene();
		world.write(LOAD, at('Source'), APRIL, 50);
		world.run(twice(world));
		branch.run(twice(world));
		expect(branch.layer.size).toBe(0);
		world.write(LOAD, at('Source'), APRIL, 60);
		world.run(twice(world));
		branch.refresh(at('X'), APRIL);
		expect([x(world), x(branch)]).toEqual([120, 100]);
		branch.run(twice(world));
		expect(x(branch)).toBe(120);
	});

	test('results the base has later, where the branch had none, do not read through', () => {
		const { world, branch, x } = scene();
		world.write(LOAD, at('Source'), APRIL, 50);
		branch.run(twice(world));
		world.write(LOAD, at('Source', 'Amber'), APRIL, 5);
		world.run(twice(world));
		branch.refresh(at('X', 'Amber'), APRIL);
		expect([x(world, APRIL, 'Amber'), x(branch, APRIL, 'Amber')]).toEqual([10, Number.NaN]);
		expect(x(branch)).toBe(100);
	});

	test('the base’s entry stands above it, the base’s load beneath it', () => {
		const { world, branch, x } = scene();
		world.write(LOAD, at('Source'), APRIL, 50);
		branch.run(twice(world));
		world.write(LOAD, at('X'), APRIL, 7);
		branch.refresh(at('X'), APRIL);
		expect([x(world), x(branch)]).toEqual([7, 100]);
		world.write(ENTRY, at('X'), APRIL, 9);
		branch.refresh(at('X'), APRIL);
		expect([x(world), x(branch)]).toEqual([9, 9]);
	});

	test('of one month it is that month’s alone', () => {
		const { world, branch, x } = scene();
		for (const period of [APRIL, MAY]) world.write(LOAD, at('Source'), period, 50);
		const april = (factor: number) => book(world, `within period: "${APRIL}"\n  X = Source * ${factor}\nend`);
		world.run(april(2));
		branch.run(april(3));
		world.run(twice(world, 4));
		for (const period of [APRIL, MAY]) branch.refresh(at('X'), period);
		expect([x(branch), x(branch, MAY)]).toEqual([150, 200]);
	});

	test('cleared in the branch it stays away, whatever the base runs', () => {
		const { world, branch, x } = scene();
		world.write(LOAD, at('Source'), APRIL, 50);
		world.run(twice(world));
		branch.run(twice(world), {}, { clears: true });
		expect([x(world), x(branch)]).toEqual([100, Number.NaN]);
		world.write(LOAD, at('Source'), APRIL, 60);
		world.run(twice(world));
		branch.refresh(at('X'), APRIL);
		expect([x(world), x(branch)]).toEqual([120, Number.NaN]);
	});

	test('what may not be written keeps what the base had when it ran', () => {
		const { world, branch, x } = scene();
		for (const entity of ENTITIES) world.write(LOAD, at('Source', entity), APRIL, 50);
		world.run(twice(world));
		const isAmber = (address: Int32Array) => address[2] === world.address(...at('X', 'Amber'))[2];
		branch.run(twice(world, 3), {}, { whyNot: (address) => (isAmber(address) ? 'closed' : undefined) });
		expect([x(branch), x(branch, APRIL, 'Amber')]).toEqual([150, 100]);
	});

	test('an allocation: 200 and 3,000 NOK shared evenly there, 100 here; with 60 shared here later, still 100 and 1,500 there', () => {
		const world = shared([
			[object('Pool'), 100],
			[object('Pool', 'Dues', { entity: 'Skerry' }), 1_000]
		]);
		const branch = new BranchWorld(world);
		const step: Book = { id: 1, steps: [share([{ receivers: { Object: ['A', 'B'] } }])] };
		world.run(step);
		branch.write(LOAD, object('Pool'), APRIL, 200);
		branch.write(LOAD, object('Pool', 'Dues', { entity: 'Skerry' }), APRIL, 3_000);
		branch.run(step);
		const all = ['Pool', 'A', 'B'];
		const shownBy = (of: RunbookWorld | BranchWorld, entity = 'Amber') =>
			all.map((code) => of.read(object(code, 'Dues', { entity }), APRIL));
		expect([shownBy(world), shownBy(branch), shownBy(branch, 'Skerry')]).toEqual([
			[0, 50, 50],
			[0, 100, 100],
			[0, 1_500, 1_500]
		]);
		world.write(LOAD, object('Pool'), APRIL, 60);
		world.run(step);
		for (const code of all) branch.refresh(object(code), APRIL);
		expect([shownBy(world), shownBy(branch)]).toEqual([
			[0, 30, 30],
			[0, 100, 100]
		]);
		// Run once more it holds nothing anew; cleared, the pool is whole again.
		expect(branch.run(step)).toEqual([]);
		branch.run(step, {}, { clears: true });
		expect(shownBy(branch)).toEqual([200, Number.NaN, Number.NaN]);
	});

	test('a fact of the year and one of all time: 7 and 3 there, whatever the base sets, in another year its 9', () => {
		const world = shared([]);
		const branch = new BranchWorld(world);
		const facts = (target: number, period: string, id = 1): Book =>
			book(
				world,
				`within scenario: Plan, entity: Amber, Object: A, Channel: None, period: "${period}"\n  Target = ${target} everywhere\n  Berths = 3 everywhere\nend`,
				id
			);
		branch.run(facts(7, APRIL));
		world.run(facts(9, APRIL));
		const [target, berths] = ['Target', 'Berths'].map((account) => world.address(...object('A', account)));
		const { layer } = branch;
		const inYear = (year: number) => {
			layer.refresh(target!, year, 0);
			return new Reader(world.cube, [layer]).read(target!, year, 0);
		};
		layer.refresh(berths!, 0, 0);
		const { year } = world.place(APRIL);
		expect([inYear(year), new Reader(world.cube, [layer]).read(berths!, 0, 0)]).toEqual([7, 3]);
		world.run(facts(9, '2027-04'));
		expect(new Reader(world.cube, [branch.layer]).read(target!, year + 1, 0)).toBe(9);
	});

	test('in any order of things is a full copy: the base’s changes first, then the branch’s own, its runs at the end', () => {
		const place = fc.record({
			origin: fc.constantFrom(ENTRY, LOAD, 3),
			account: fc.constantFrom('X', 'Source'),
			entity: fc.constantFrom(...ENTITIES),
			period: fc.constantFrom(APRIL, MAY),
			value: fc.option(fc.integer({ min: 1, max: 90 }), { nil: Number.NaN })
		});
		const event = fc.oneof(
			{ weight: 3, arbitrary: fc.record({ kind: fc.constant('base' as const), place }) },
			{ weight: 3, arbitrary: fc.record({ kind: fc.constant('branch' as const), place }) },
			{ weight: 1, arbitrary: fc.record({ kind: fc.constantFrom('base runs' as const, 'branch runs' as const), which: fc.nat(2) }) }
		);
		type Place = typeof place extends fc.Arbitrary<infer Of> ? Of : never;
		const type = (where: RunbookWorld | BranchWorld, { origin, account, entity, period, value }: Place) =>
			where.write(origin, at(account, entity), period, value);
		let compared = 0;
		let differing = 0;
		fc.assert(
			fc.property(fc.array(event, { minLength: 5, maxLength: 25 }), fc.subarray([0, 1, 2], { minLength: 1 }), (events, last) => {
				const books = (world: RunbookWorld) => [
					twice(world),
					book(world, 'X = X * 1.5', 2),
					book(world, `within period: "${MAY}", entity: Amber\n  Z = X + 3\nend`, 3)
				];
				const { world, branch } = scene();
				for (const each of events) {
					if ('which' in each) (each.kind === 'base runs' ? world : branch).run(books(world)[each.which]!);
					else type(each.kind === 'base' ? world : branch, each.place);
					for (const period of [APRIL, MAY])
						for (const entity of ENTITIES) for (const account of ACCOUNTS) branch.refresh(at(account, entity), period);
				}
				// Of each runbook the branch ran, once more: so its results are those of all it holds.
				const ran = [0, 1, 2].filter(
					(which) => last.includes(which) || events.some((each) => each.kind === 'branch runs' && each.which === which)
				);
				for (const which of ran) branch.run(books(world)[which]!);
				const whole = scene().world;
				for (const each of events) {
					if (each.kind === 'base runs') whole.run(books(whole)[each.which]!);
					else if (each.kind === 'base') type(whole, each.place);
				}
				for (const each of events) if (each.kind === 'branch') type(whole, each.place);
				for (const which of ran) whole.run(books(whole)[which]!);
				for (const period of [APRIL, MAY])
					for (const entity of ENTITIES)
						for (const account of ACCOUNTS) {
							const [shown, wanted] = [branch.read(at(account, entity), period), whole.read(at(account, entity), period)];
							if (Number.isNaN(wanted)) expect(shown, `${account} ${entity} ${period}`).toBeNaN();
							else expect(shown, `${account} ${entity} ${period}`).toBeCloseTo(wanted, 6);
							compared++;
							if (world.read(at(account, entity), period) !== wanted) differing++;
						}
			}),
			{ numRuns: 150 }
		);
		expect(compared).toBeGreaterThan(1_000);
		expect(differing).toBeGreaterThan(200);
	});
});
