import { describe, expect, test } from 'vitest';
import type { Book } from '../testing';
import { buildModel, RunbookWorld } from '../testing';
import type { Step } from '.';

/** What stands at one cell, as its origins come and go: worked by hand, in EUR. */
const sketch = () =>
	buildModel({
		accounts: [
			{ code: 'X', account: {} },
			{ code: 'Source', account: {} },
			{ code: 'Rate', account: { valueType: 'price', consolidation: 'average' } },
			{ code: 'Adjusted', account: { entriesAdjust: true } }
		],
		scenarios: [{ code: 'Plan', span: ['2026-04', '2027-03'] }],
		entities: [
			{ code: 'Group', currency: 'EUR' },
			{ code: 'Skerry', currency: 'EUR', parent: 'Group' },
			{ code: 'Amber', currency: 'EUR', parent: 'Group' }
		]
	});
const MAY = '2026-05';
const at = (account = 'X', entity = 'Skerry') => [account, 'Plan', entity];
const member = (world: RunbookWorld, dimension: string, code: string) =>
	world.model.definition.dimensions.find((each) => each.code === dimension)!.members.find((each) => each.code === code)!.id;

/** A world in which X is loaded with 100. */
function loaded(value = 100): RunbookWorld {
	const world = new RunbookWorld(sketch());
	world.write(2, at(), MAY, value);
	return world;
}
const book = (world: RunbookWorld, id: number, ...texts: string[]): Book => ({
	id,
	steps: texts.map((text, place) => world.formula(id * 10 + place, text))
});
const setTo = (world: RunbookWorld, id: number, value: number) =>
	book(world, id, `within scenario: Plan, entity: Skerry, period: "${MAY}"\n  X = ${value} everywhere\nend`);
/** Copies Source of Amber onto X's cell: Source at Skerry would be copied onto Source. */
const copyOf = (world: RunbookWorld, id: number, more: object = {}): Step =>
	({
		id,
		name: 'Copy',
		description: '',
		active: true,
		limits: {},
		kind: 'copy',
		from: {
			1: { kind: 'these', members: [member(world, 'account', 'Source')] },
			4: { kind: 'these', members: [member(world, 'entity', 'Skerry')] }
		},
		onto: { 1: member(world, 'account', 'X') },
		shift: null,
		factor: 1,
		...more
	}) as Step;
const x = (world: RunbookWorld) => world.read(at(), MAY);

describe('the newest stands', () => {
	test('loads 3 and 4: 7; result 10: 10; one load repeated: 7; that load taken back: 10', () => {
		const world = loaded(3);
		world.write(3, at(), MAY, 4);
		expect(x(world)).toBe(7);
		world.run(setTo(world, 1, 10));
		expect(x(world)).toBe(10);
		const { year, position } = world.place(MAY);
		const stamp = world.cube.contributions(world.address(...at()), year, position).find(({ origin }) => origin === 2)!.stamp;
		world.write(2, at(), MAY, 3);
		expect(x(world)).toBe(7);
		world.cube.writeCell(2, world.address(...at()), year, position, 3, stamp);
		expect(x(world)).toBe(10);
	});

	test('the first import again with another figure: 5 and 4; the result taken back: the loads', () => {
		const world = loaded(3);
		world.write(3, at(), MAY, 4);
		const run = world.run(setTo(world, 1, 10));
		world.takeBack(run);
		expect(x(world)).toBe(7);
		world.run(setTo(world, 1, 10));
		world.write(2, at(), MAY, 5);
		expect(x(world)).toBe(9);
	});

	test('an addition stays on top, and what reads its own cell shows what it computed: 120, 132, 132, 142, 143', () => {
		const world = loaded();
		world.write(4, at(), MAY, 20);
		expect(x(world)).toBe(120);
		const raise = book(world, 1, 'X = X * 1.1');
		world.run(raise);
		expect(x(world)).toBeCloseTo(132);
		world.run(raise);
		expect(x(world)).toBeCloseTo(132);
		world.write(4, at(), MAY, 30);
		expect(x(world)).toBeCloseTo(142);
		world.run(raise);
		expect(x(world)).toBeCloseTo(143);
	});

	test('another runbook sets 10, a third 20, the first again 10', () => {
		const world = loaded();
		world.run(setTo(world, 1, 10));
		expect(x(world)).toBe(10);
		world.run(setTo(world, 2, 20));
		expect(x(world)).toBe(20);
		expect(world.run(setTo(world, 1, 10)).changes).toHaveLength(1);
		expect(x(world)).toBe(10);
		// Nothing newer stands above it: running once more writes nothing.
		expect(world.run(setTo(world, 1, 10)).changes).toHaveLength(0);
	});

	test('one runbook: copy 120, then a twelfth; the copy alone; the twelfth again', () => {
		const world = loaded();
		world.write(2, at('Source'), MAY, 120);
		const both: Book = { id: 1, steps: [copyOf(world, 10), world.formula(11, 'X = X / 12')] };
		world.run(both);
		expect(x(world)).toBe(10);
		const alone = world.run(both, {}, { only: 10 });
		expect(x(world)).toBe(10);
		expect(alone.log[0]!.beneath).toBe(1);
		world.run(both, {}, { only: 11 });
		expect(x(world)).toBe(10);
		expect(world.run(both).cells).toBe(0);
	});

	test('in two runbooks too: copy 120, then a twelfth of it', () => {
		const world = loaded();
		world.write(2, at('Source'), MAY, 120);
		const [copy, twelfth] = [{ id: 1, steps: [copyOf(world, 10)] }, book(world, 2, 'X = X / 12')];
		for (let night = 0; night < 3; night++) {
			world.run(copy);
			world.run(twelfth);
			expect(x(world)).toBe(10);
		}
	});

	test('X × 1.1, and another runbook X + 5, give 115 every night', () => {
		const world = loaded();
		const [raise, add] = [book(world, 1, 'X = X * 1.1'), book(world, 2, 'X = X + 5')];
		for (let night = 0; night < 3; night++) {
			world.run(raise);
			expect(x(world)).toBeCloseTo(110);
			world.run(add);
			expect(x(world)).toBeCloseTo(115);
		}
	});

	test('a third that follows on the second is left aside with it', () => {
		const world = loaded();
		const books = [book(world, 1, 'X = X * 1.1'), book(world, 2, 'X = X + 5'), book(world, 3, 'X = X * 2')];
		for (let night = 0; night < 2; night++) {
			for (const each of books) world.run(each);
			expect(x(world)).toBeCloseTo(230);
		}
	});

	test('what does not read a step is not left aside by it', () => {
		const world = loaded();
		world.write(2, at('Source'), MAY, 10);
		const [other, raise] = [book(world, 1, 'X = Source * 2'), book(world, 2, 'X = X + 5')];
		world.run(raise);
		world.run(other);
		expect(x(world)).toBe(20);
		world.run(raise);
		expect(x(world)).toBe(25);
	});

	test('X − 100 is 0: it shows blank and sets the load aside', () => {
		const world = loaded();
		world.run(book(world, 1, 'X = X - 100'));
		expect(x(world)).toBeNaN();
		world.run(book(world, 1, 'X = X - 90'));
		expect(x(world)).toBe(10);
	});

	test('X × 1.1 over a load of 7 is 7.7, and 7.7 when run again', () => {
		const world = loaded(7);
		const raise = book(world, 1, 'X = X * 1.1');
		for (let again = 0; again < 2; again++) {
			world.run(raise);
			expect(x(world)).toBeCloseTo(7.7);
		}
	});

	test('typed 8; X × 1.1 run: 8, one kept as typed; the entry deleted: 8.8', () => {
		const world = loaded();
		world.write(1, at(), MAY, 8);
		const { log } = world.run(book(world, 1, 'X = X * 1.1'));
		expect([x(world), log[0]!.kept]).toEqual([8, 1]);
		world.write(1, at(), MAY, Number.NaN);
		expect(x(world)).toBeCloseTo(8.8);
	});

	test('a copy of 50 where an addition of 20 stands: 70; onto a loaded 100 alone: 50', () => {
		const world = loaded();
		world.write(2, at('Source'), MAY, 50);
		world.run({ id: 1, steps: [copyOf(world, 10)] });
		expect(x(world)).toBe(50);
		world.write(4, at(), MAY, 20);
		expect(x(world)).toBe(70);
	});

	test('a copy of a slice whose source is empty at X: blank, and counted; only where the source has values: as it was', () => {
		const world = loaded();
		world.write(2, at('Source'), '2026-06', 50);
		const { log } = world.run({ id: 1, steps: [copyOf(world, 10)] });
		expect([x(world), log[0]!.emptied]).toEqual([Number.NaN, 1]);
		world.run({ id: 1, steps: [copyOf(world, 10, { onlyWhereValues: true })] });
		expect(x(world)).toBe(100);
	});

	test('a copy told to come on top adds: 150, and 150 when run again', () => {
		const world = loaded();
		world.write(2, at('Source'), MAY, 50);
		for (let again = 0; again < 2; again++) {
			world.run({ id: 1, steps: [copyOf(world, 10, { adds: true })] });
			expect(x(world)).toBe(150);
		}
	});

	test('a price: load 2.00, typed 2.50, load 2.10: 2.50; the entry deleted: 2.10', () => {
		const world = new RunbookWorld(sketch());
		const rate = () => world.read(at('Rate'), MAY);
		world.write(2, at('Rate'), MAY, 2);
		world.write(1, at('Rate'), MAY, 2.5);
		world.write(3, at('Rate'), MAY, 2.1);
		expect(rate()).toBe(2.5);
		world.write(1, at('Rate'), MAY, Number.NaN);
		expect(rate()).toBe(2.1);
		world.write(2, at('Rate'), MAY, 2.2);
		expect(rate()).toBe(2.2);
	});

	test('entries that adjust: base 9, an entry of −1 shows 8; base 10: 9', () => {
		const world = new RunbookWorld(sketch());
		world.write(2, at('Adjusted'), MAY, 9);
		world.write(1, at('Adjusted'), MAY, -1);
		expect(world.read(at('Adjusted'), MAY)).toBe(8);
		world.write(2, at('Adjusted'), MAY, 10);
		expect(world.read(at('Adjusted'), MAY)).toBe(9);
	});

	test('result 10; results cleared: 100; loads cleared too: empty; a later load of 6: 6', () => {
		const world = loaded();
		world.run(setTo(world, 1, 10));
		const clear = (id: number, what: string[]): Book => ({
			id,
			steps: [
				{
					id: id * 10,
					name: 'Clear',
					description: '',
					active: true,
					kind: 'clear',
					what,
					limits: { 1: { kind: 'these', members: [member(world, 'account', 'X')] } }
				} as Step
			]
		});
		expect(x(world)).toBe(10);
		world.run(clear(5, ['results']));
		expect(x(world)).toBe(100);
		world.run(clear(6, ['loads', 'results']));
		expect(x(world)).toBeNaN();
		world.write(2, at(), MAY, 6);
		expect(x(world)).toBe(6);
	});

	test('run for Group, then for Skerry: Skerry as its own run says, Amber as before, nothing twice', () => {
		const world = loaded();
		world.write(2, at('X', 'Amber'), MAY, 40);
		const parameters = [
			{ name: 'who', label: 'Who', kind: 'member' as const, dimension: 4, choices: null, initial: null },
			{ name: 'p', label: 'By', kind: 'percent' as const, dimension: null, choices: null, initial: null }
		];
		const script = 'within entity: $who\n  X = X * (1 + $p)\nend';
		const step = { ...world.formula(10, 'X = X * 2'), script: { text: script, names: [] } } as Step;
		const raise: Book = { id: 1, steps: [step], parameters };
		world.run(raise, { who: member(world, 'entity', 'Group'), p: 0.1 });
		expect([x(world), world.read(at('X', 'Amber'), MAY)].map((value) => Math.round(value))).toEqual([110, 44]);
		const { log } = world.run(raise, { who: member(world, 'entity', 'Skerry'), p: 0.5 });
		expect([x(world), world.read(at('X', 'Amber'), MAY)].map((value) => Math.round(value))).toEqual([150, 44]);
		expect(log[0]!.replaced).toBe(1);
		// And with another percent for Skerry: it replaces what stood.
		world.run(raise, { who: member(world, 'entity', 'Skerry'), p: 0.1 });
		expect(x(world)).toBeCloseTo(110);
	});

	test('a run with another percent replaces the earlier one: 3 %, then 10 %', () => {
		const world = new RunbookWorld(sketch());
		world.write(2, at('Source'), MAY, 100);
		const parameters = [{ name: 'p', label: 'By', kind: 'percent' as const, dimension: null, choices: null, initial: null }];
		const step = { ...world.formula(10, 'X = Source'), script: { text: 'X = Source * (1 + $p)', names: [] } } as Step;
		world.run({ id: 1, steps: [step], parameters }, { p: 0.03 });
		expect(x(world)).toBeCloseTo(103);
		world.run({ id: 1, steps: [step], parameters }, { p: 0.1 });
		expect(x(world)).toBeCloseTo(110);
	});

	test('a closed cell keeps its result, and its place in time', () => {
		const world = loaded();
		world.run(setTo(world, 1, 10));
		world.write(2, at(), MAY, 90);
		expect(x(world)).toBe(90);
		const { log } = world.run(setTo(world, 1, 10), {}, { whyNot: () => 'May is closed.' });
		expect([x(world), log[0]!.skipped]).toEqual([90, 1]);
	});
});
