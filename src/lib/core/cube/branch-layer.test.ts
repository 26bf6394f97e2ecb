import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { EMPTY } from '../number';
import { buildModel, fillCube, naiveCell, randomModel, type StoredCell, topView } from '../testing';
import { BranchLayer, CLEARED, Cube, Overlay, Reader, TAKEN_AWAY, type OwnExtent } from '.';

/** Origins of the built models: 1 the entry, 2 a load, 3 another load. */
const plain = () =>
	buildModel({
		accounts: [{ code: 'sales' }, { code: 'price', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'none' } }],
		scenarios: [{ code: 'plan' }],
		general: { route: [{ code: 'all' }, ...['north', 'south'].map((code) => ({ code, parent: 'all' }))] }
	});
const [SALES, NORTH] = [0, 1];
const AT = [SALES, 0, NORTH] as const;

function branched() {
	const model = plain();
	const cube = new Cube(model);
	const entry = model.definition.origins.find(({ mode }) => mode === 'entry')!.id;
	const load = model.definition.origins.find(({ mode }) => mode === 'loads')!.id;
	const layer = new BranchLayer(cube);
	const reader = new Reader(cube, [layer]);
	return { model, cube, entry, load, layer, reader, shown: () => reader.read(AT, 2027, 0) };
}

describe('a branch', () => {
	test('reads through where nothing was changed, and follows the base', () => {
		const { cube, load, shown } = branched();
		cube.writeCell(load, AT, 2027, 0, 10);
		expect(shown()).toBe(10);
		cube.writeCell(load, AT, 2027, 0, 11);
		expect(shown()).toBe(11);
	});

	test('an entry of the branch stands above the base’s, also where that is typed later', () => {
		const { cube, entry, layer, shown } = branched();
		cube.writeCell(entry, AT, 2027, 0, 10);
		layer.hold(entry, AT, 2027, 0, 20, 1);
		cube.writeCell(entry, AT, 2027, 0, 12, 7);
		layer.refresh(AT, 2027, 0);
		expect(shown()).toBe(20);
		// Put back, it is as in the base.
		layer.hold(entry, AT, 2027, 0, EMPTY, 2);
		expect([shown(), layer.size]).toEqual([12, 0]);
	});

	test('an entry taken away in the branch shows what the base’s loads come to, as they move', () => {
		const { cube, entry, load, layer, shown } = branched();
		cube.writeCell(load, AT, 2027, 0, 5);
		cube.writeCell(entry, AT, 2027, 0, 10);
		layer.hold(entry, AT, 2027, 0, TAKEN_AWAY, 1);
		expect(shown()).toBe(5);
		cube.writeCell(load, AT, 2027, 0, 6);
		layer.refresh(AT, 2027, 0);
		expect(shown()).toBe(6);
		cube.writeCell(load, AT, 2027, 0, EMPTY);
		layer.refresh(AT, 2027, 0);
		expect(shown()).toBeNaN();
	});

	test('a load of the branch is newer than the base’s, and beneath the base’s entry', () => {
		const { cube, entry, load, layer, shown } = branched();
		layer.hold(load, AT, 2027, 0, 7, 1);
		cube.writeCell(load, AT, 2027, 0, 5, 99);
		layer.refresh(AT, 2027, 0);
		expect(shown()).toBe(7);
		cube.writeCell(entry, AT, 2027, 0, 10, 100);
		layer.refresh(AT, 2027, 0);
		expect(shown()).toBe(10);
	});

	test('a draft over it: typed it shows, taken away the branch without its entry shows', () => {
		const { model, cube, entry, load, layer } = branched();
		cube.writeCell(load, AT, 2027, 0, 5);
		layer.hold(load, AT, 2027, 0, 6, 1);
		layer.hold(entry, AT, 2027, 0, 20, 2);
		const draft = new Overlay(model);
		const reader = new Reader(cube, [layer, draft]);
		draft.set(AT, 2027, 0, 30);
		expect(reader.read(AT, 2027, 0)).toBe(30);
		draft.set(AT, 2027, 0, CLEARED);
		expect(reader.read(AT, 2027, 0)).toBe(6);
	});

	test('a load of the branch owns what it replaced: nothing of the same import reads through there, now or later', () => {
		const { model, cube, entry, load, layer, reader } = branched();
		const [other, SOUTH] = [3, 2];
		const north = (position: number) => reader.read(AT, 2027, position);
		const south = (position: number) => reader.read([SALES, 0, SOUTH], 2027, position);
		cube.writeCell(load, AT, 2027, 0, 10);
		cube.writeCell(load, AT, 2027, 1, 20);
		cube.writeCell(load, [SALES, 0, SOUTH], 2027, 0, 5);
		// A file that says 7 for the north in April, and replaces April.
		const april = Uint8Array.from(model.periods.leaves, ({ index }) => (index === 0 ? 1 : 0));
		layer.setOwn(new Map(), [{ origin: load, covers: [], periods: april, timeless: false }]);
		layer.hold(load, AT, 2027, 0, 7, 1);
		expect([north(0), south(0), north(1)]).toEqual([7, Number.NaN, 20]);
		// The base's next load is not seen in April, and is in May.
		cube.writeCell(load, [SALES, 0, SOUTH], 2027, 0, 9, 50);
		cube.writeCell(load, [SALES, 0, SOUTH], 2027, 1, 3, 50);
		layer.refreshSeries([SALES, 0, SOUTH], 2027);
		expect([south(0), south(1)]).toEqual([Number.NaN, 3]);
		// Another import and an entry of the base are no business of it.
		cube.writeCell(other, [SALES, 0, SOUTH], 2027, 0, 4, 51);
		layer.refreshSeries([SALES, 0, SOUTH], 2027);
		expect(south(0)).toBe(4);
		cube.writeCell(entry, [SALES, 0, SOUTH], 2027, 0, 100, 52);
		layer.refreshSeries([SALES, 0, SOUTH], 2027);
		expect(south(0)).toBe(100);
		cube.writeCell(entry, [SALES, 0, SOUTH], 2027, 0, EMPTY, 53);
		cube.writeCell(other, [SALES, 0, SOUTH], 2027, 0, EMPTY, 53);
		// Limited to the south, the north keeps what the base has.
		const onlySouth = model.dimensions.map((dimension) =>
			dimension.members.length > SOUTH && dimension.kind === 'general' ? Uint8Array.from([0, 0, 1]) : undefined
		);
		layer.hold(load, AT, 2027, 0, EMPTY, 2);
		layer.setOwn(new Map(), [{ origin: load, covers: onlySouth, periods: april, timeless: false }]);
		expect([north(0), south(0)]).toEqual([10, Number.NaN]);
		// Put back, all is as in the base.
		layer.setOwn(new Map());
		expect([north(0), south(0), layer.size]).toEqual([10, 9, 0]);
	});

	test('of any model is a full copy to which the base’s changes are done first and its own after them', () => {
		let [differing, hidden] = [0, 0];
		fc.assert(
			fc.property(
				randomModel,
				fc.array(fc.constantFrom('branch', 'gone', 'base', 'back', 'load'), { minLength: 8, maxLength: 40 }),
				fc.constantFrom(undefined, { of: 1, by: 2 }, { of: 2, by: 1 }),
				({ model, cells }, turns, instead) => {
					const half = cells.slice(0, Math.ceil(cells.length / 2));
					const cube = fillCube(model, half);
					const layer = new BranchLayer(cube);
					layer.ratesInstead = instead;
					const keyOf = ({ origin, address, period }: StoredCell) => `${origin} ${address.join()} ${period}`;
					const base = new Map(half.map((cell) => [keyOf(cell), cell]));
					const own = new Map<string, StoredCell | 'gone'>();
					// What loads of the branch have replaced: an origin in a leaf period, wherever.
					const replaced = new Set<string>();
					const extents: OwnExtent[] = [];
					const view = topView(model);
					const reader = new Reader(cube, [layer]);
					view.fill(reader);
					const later = [...cells.slice(half.length), ...half.map((cell) => ({ ...cell, value: cell.value + 3 }))];
					later.forEach((cell, at) => {
						const { fiscalYear, position } = model.periods.leaf(cell.period);
						const before = reader.read(cell.address, fiscalYear, position);
						const turn = turns[at % turns.length]!;
						if (turn === 'base') {
							const stamp = 1_000 + at;
							cube.writeCell(cell.origin, cell.address, fiscalYear, position, cell.value, stamp);
							if (at % 2 === 0) layer.refresh(cell.address, fiscalYear, position);
							else layer.refreshSeries(cell.address, fiscalYear);
							base.set(keyOf(cell), { ...cell, stamp });
						} else if (turn === 'load' && [2, 3].includes(cell.origin)) {
							// A file of one row that replaces its period.
							replaced.add(`${cell.origin} ${cell.period}`);
							extents.push({
								origin: cell.origin,
								covers: [],
								periods: Uint8Array.from(model.periods.leaves, ({ index }) => (index === cell.period ? 1 : 0)),
								timeless: false
							});
							layer.setOwn(new Map(), extents);
							for (const [key, held] of own) {
								if (held === 'gone' || held.origin !== cell.origin || held.period !== cell.period) continue;
								layer.hold(cell.origin, held.address, fiscalYear, position, EMPTY, at + 1);
								own.delete(key);
							}
							layer.hold(cell.origin, cell.address, fiscalYear, position, cell.value, at + 1);
							own.set(keyOf(cell), { ...cell, stamp: 1_000_000 + at });
							view.fill(reader);
							return;
						} else if (turn !== 'load') {
							const value = turn === 'branch' ? cell.value : turn === 'gone' ? TAKEN_AWAY : EMPTY;
							layer.hold(cell.origin, cell.address, fiscalYear, position, value, at + 1);
							if (turn === 'branch') own.set(keyOf(cell), { ...cell, stamp: 1_000_000 + at });
							else if (turn === 'gone') own.set(keyOf(cell), 'gone');
							else own.delete(keyOf(cell));
						}
						view.change({
							address: cell.address,
							year: fiscalYear,
							position,
							before,
							after: reader.read(cell.address, fiscalYear, position)
						});
					});
					const copy = new Map([...base].filter(([, { origin, period }]) => !replaced.has(`${origin} ${period}`)));
					hidden += base.size - copy.size;
					for (const [key, cell] of own)
						if (cell === 'gone') copy.delete(key);
						else copy.set(key, cell);
					// Equal stamps of one revision go by origin; written in the order of their stamps they are as a copy has them.
					const all = [...copy.values()].sort((one, other) => (one.stamp ?? 0) - (other.stamp ?? 0));
					const whole = fillCube(model, all);
					for (const { address, period } of later) {
						const { fiscalYear, position } = model.periods.leaf(period);
						const value = whole.read(address, fiscalYear, position);
						if (Number.isNaN(value)) expect(reader.read(address, fiscalYear, position)).toBeNaN();
						else expect(reader.read(address, fiscalYear, position)).toBeCloseTo(value, 6);
						if (own.size > 0) differing++;
					}
					const anew = topView(model);
					anew.fill(reader);
					const [followed, filled] = [view.evaluate().values, anew.evaluate().values];
					const columns = model.periods.dimension.members.length;
					for (let account = 0; account < model.accounts.members.length; account++)
						for (let period = 0; period < columns; period++) {
							const place = model.dimensions.map(() => 0).with(model.accountAxis, account);
							// A full copy names the branch's rates itself.
							model.ratesInstead = instead;
							const wanted = naiveCell(model, all, place, period, 'EUR').value;
							model.ratesInstead = undefined;
							const where = `${model.accounts.member(account).code} at ${model.periods.dimension.member(period).code}`;
							for (const values of [followed, filled])
								if (wanted === undefined) expect(values[account * columns + period], where).toBeNaN();
								else expect(values[account * columns + period], where).toBeCloseTo(wanted, 5);
						}
				}
			),
			{ numRuns: 50 }
		);
		expect(differing).toBeGreaterThan(60);
		expect(hidden).toBeGreaterThan(3);
	});
});
