import fc from 'fast-check';
import { expect, test } from 'vitest';
import { Cube, compileQuery, Reader, View } from '../cube';
import type { Selection } from '../dimension';
import { deriveFigure, expandForm, type FormLayout } from '../form';
import { isEmpty } from '../number';
import { buildModel } from '../testing';
import {
	askedLayout,
	figureLayout,
	TILE_BLOCKS,
	TileFault,
	tileLayout,
	type BoardContent,
	type Tile,
	type TileContext,
	type TileSource,
	type ViewAxis
} from '.';

const model = buildModel({
	accounts: [
		{ code: 'result' },
		{ code: 'sales', parent: 'result', account: {} },
		{ code: 'cost', parent: 'result', account: { kind: 'expense' } }
	],
	scenarios: [{ code: 'plan' }, { code: 'actual' }],
	general: { route: [{ code: 'routes' }, { code: 'r1', parent: 'routes' }, { code: 'r2', parent: 'routes' }] }
});
const dimensions = [...model.dimensions, model.periods.dimension];
const id = (code: string): number => {
	for (const dimension of dimensions) {
		const ordinal = dimension.ordinalOfCode(code);
		if (ordinal !== undefined) return dimension.member(ordinal).id;
	}
	throw new Error(code);
};
const dim = (kind: string) => axes.find((axis) => axis.kind === kind)!.id;
const axes: ViewAxis[] = dimensions.map((dimension, at) => {
	const kind =
		at === model.accountAxis
			? 'account'
			: at === model.scenarioAxis
				? 'scenario'
				: dimension === model.periods.dimension
					? 'period'
					: dimension.code === 'route'
						? 'general'
						: 'entity';
	const tops = dimension.tree.roots().map((ordinal) => dimension.member(ordinal).id);
	return { id: dimension.id, kind, top: tops[0]!, tops, members: dimension.members.length, currency: 'EUR' } as ViewAxis;
});

const cube = new Cube(model);
/** An amount of an account at a route, in a scenario, the month `place` of a fiscal year. */
function put(account: string, route: string, scenario: string, year: number, place: number, amount: number) {
	const address = model.dimensions.map((dimension, axis) => {
		if (axis === model.accountAxis) return dimension.ordinalOfCode(account)!;
		if (axis === model.scenarioAxis) return dimension.ordinalOfCode(scenario)!;
		if (dimension.code === 'route') return dimension.ordinalOfCode(route)!;
		return dimension.leavesOf(dimension.tree.roots()[0]!)[0]!;
	});
	const values = new Array<number>(12).fill(Number.NaN);
	const stored = cube.read(Int32Array.from(address), year, place);
	for (let at = 0; at < 12; at++) values[at] = cube.read(Int32Array.from(address), year, at);
	values[place] = amount + (isEmpty(stored) ? 0 : stored);
	cube.writeSeries(model.definition.origins[0]!.id, address, year, values);
}
put('sales', 'r1', 'plan', 2027, 0, 100);
put('sales', 'r2', 'plan', 2027, 1, 40);
put('sales', 'r1', 'plan', 2028, 0, 130);
put('sales', 'r1', 'actual', 2027, 0, 90);
put('cost', 'r1', 'plan', 2027, 0, 30);

const year = (code: string): Selection => ({ kind: 'these', members: [id(code)] });
const content: Pick<BoardContent, 'selectors' | 'currencies' | 'scale'> = {
	selectors: [
		{ dimension: dim('period'), initial: id('FY2028') },
		{ dimension: dim('scenario'), initial: id('plan') }
	],
	currencies: ['EUR'],
	scale: 1
};
const tile = (kind: 'figure' | 'table' | 'chart', source: Partial<TileSource>): Tile =>
	({
		id: 1,
		title: '',
		width: 3,
		height: 2,
		kind,
		...(kind === 'chart' && { chart: 'column' }),
		source: { rows: { dimension: dim('account'), selection: { kind: 'these', members: [id('sales')] } }, at: {}, compare: false, ...source }
	}) as Tile;
/** What a layout shows: by block of the columns, row by row. */
function shown(layout: FormLayout, choices: Record<number, number> = {}): Map<number, (number | null)[][]> {
	const form = expandForm(model, layout, choices);
	expect(form.faults).toEqual([]);
	const view = new View(compileQuery(model, form.query));
	view.fill(new Reader(cube));
	const { values } = view.evaluate();
	const width = form.query.columns.length;
	const found = new Map<number, (number | null)[][]>();
	form.columns.forEach((column, at) => {
		const cells = form.rows.map((row) => {
			const read = (line: number) => ({ value: values[row.place * width + form.columns[line]!.place]!, flags: 0 });
			const value = column.derive ? deriveFigure(column.derive, read, 1).value : read(at).value;
			return isEmpty(value) ? null : value;
		});
		found.set(column.block, [...(found.get(column.block) ?? []), cells]);
	});
	return found;
}
const context = (against: TileContext['against'], yearOf = 1) => ({ axes, yearOf, against });

test('a figure stands where the board does, with its course over the months of what is chosen', () => {
	const blocks = shown(tileLayout(content, tile('figure', {}), context(null)));
	expect(blocks.get(TILE_BLOCKS.chosen)).toEqual([[130]]);
	expect(blocks.get(TILE_BLOCKS.course)!.map(([value]) => value)).toEqual([130, ...new Array<null>(11).fill(null)]);
	expect(shown(tileLayout(content, tile('figure', {}), context(null)), { [dim('period')]: id('FY2027') }).get(TILE_BLOCKS.chosen)).toEqual([
		[140]
	]);
});

test('against another scenario: the same period there, with the difference', () => {
	const layout = tileLayout(content, tile('figure', { compare: true }), context({ scenario: id('actual') }));
	const blocks = shown(layout, { [dim('period')]: id('FY2027') });
	expect(blocks.get(TILE_BLOCKS.chosen)).toEqual([[140]]);
	expect(blocks.get(TILE_BLOCKS.against)).toEqual([[90]]);
	expect(blocks.get(TILE_BLOCKS.difference)).toEqual([[50]]);
	expect(blocks.get(TILE_BLOCKS.share)![0]![0]).toBeCloseTo(50 / 90, 12);
	// Its course is that of the scenario chosen.
	expect(
		blocks
			.get(TILE_BLOCKS.course)!
			.map(([value]) => value)
			.slice(0, 2)
	).toEqual([100, 40]);
});

test('against a year before: years, and the same months of it', () => {
	expect(shown(tileLayout(content, tile('figure', { compare: true }), context({ years: 1 }))).get(TILE_BLOCKS.against)).toEqual([[140]]);
	const months = tile('chart', { compare: true, columns: { dimension: dim('period'), selection: { kind: 'leaves', of: 'chosen' } } });
	expect(
		shown(tileLayout(content, months, context({ years: 1 })))
			.get(TILE_BLOCKS.against)!
			.map(([value]) => value)
			.slice(0, 3)
	).toEqual([100, 40, null]);
	// A single month, twelve places earlier.
	const april = tile('table', { compare: true, columns: { dimension: dim('period'), selection: year('2027-04') } });
	expect(shown(tileLayout(content, april, context({ years: 1 }, 12))).get(TILE_BLOCKS.against)).toEqual([[100]]);
});

test('against another scenario a year before: both move at once', () => {
	const blocks = shown(tileLayout(content, tile('figure', { compare: true }), context({ scenario: id('actual'), years: 1 })));
	expect(blocks.get(TILE_BLOCKS.chosen)).toEqual([[130]]);
	expect(blocks.get(TILE_BLOCKS.against)).toEqual([[90]]);
	expect(blocks.get(TILE_BLOCKS.difference)).toEqual([[40]]);
});

test('a tile stays where it says, whatever is chosen; a dimension nobody speaks of stands at its top', () => {
	const fixed = tile('table', { at: { [dim('scenario')]: id('actual'), [dim('general')]: id('r1') } });
	expect(shown(tileLayout(content, fixed, context(null)), { [dim('period')]: id('FY2027') }).get(TILE_BLOCKS.chosen)).toEqual([[90]]);
	const routes = tile('table', {
		rows: { dimension: dim('general'), selection: { kind: 'children', of: id('routes') } },
		at: { [dim('account')]: id('sales') }
	});
	expect(shown(tileLayout(content, routes, context(null)), { [dim('period')]: id('FY2027') }).get(TILE_BLOCKS.chosen)).toEqual([[100, 40]]);
});

test('what cannot be compared says so', () => {
	const scenarios = tile('table', { compare: true, columns: { dimension: dim('scenario'), selection: { kind: 'all' } } });
	expect(() => tileLayout(content, scenarios, context({ scenario: id('actual') }))).toThrow(TileFault);
	const level = tile('table', { compare: true, columns: { dimension: dim('period'), selection: { kind: 'level', depth: 1 } } });
	expect(() => tileLayout(content, level, context({ years: 1 }))).toThrow(/moved by a year/);
	const twice = tile('table', { columns: { dimension: dim('account'), selection: { kind: 'all' } } });
	expect(() => tileLayout(content, twice, context(null))).toThrow(TileFault);
});

test('a view of a figure begins at that figure, also at a member of no main tree', () => {
	const place = Object.fromEntries(axes.map((axis) => [axis.id, axis.top]));
	const layout = figureLayout(axes, {
		...place,
		[dim('account')]: id('result'),
		[dim('period')]: id('FY2027'),
		[dim('scenario')]: id('actual'),
		[dim('general')]: id('r1')
	});
	const form = expandForm(model, layout, {});
	expect(form.faults).toEqual([]);
	expect(form.selectors.find(({ dimension }) => dimension === dim('general'))!.chosen).toBe(id('r1'));
	expect(form.selectors.find(({ dimension }) => dimension === dim('scenario'))!.chosen).toBe(id('actual'));
	expect(form.rows.map(({ label }) => label)).toEqual(['sales', 'cost', 'result']);
	expect(expandForm(model, askedLayout(axes), {}).faults).toEqual([]);
});

test('whatever a tile shows, it is what a query of that place shows', () => {
	const accounts = ['result', 'sales', 'cost'];
	let compared = 0;
	fc.assert(
		fc.property(
			fc.constantFrom(...accounts),
			fc.constantFrom('routes', 'r1', 'r2'),
			fc.constantFrom('plan', 'actual'),
			fc.constantFrom('FY2027', 'FY2028', '2026-04', '2026-05'),
			fc.boolean(),
			(account, route, scenario, period, chosenOnBoard) => {
				const at: Record<number, number> = { [dim('general')]: id(route), [dim('period')]: id(period) };
				const board = chosenOnBoard
					? { ...content, selectors: [{ dimension: dim('scenario'), initial: id(scenario) }] }
					: { ...content, selectors: [] };
				if (!chosenOnBoard) at[dim('scenario')] = id(scenario);
				const own = tile('table', { rows: { dimension: dim('account'), selection: { kind: 'these', members: [id(account)] } }, at });
				const found = shown(tileLayout(board, own, context(null))).get(TILE_BLOCKS.chosen)![0]![0];
				const slice = Object.fromEntries(axes.map((axis) => [axis.id, axis.top]));
				Object.assign(slice, at, { [dim('scenario')]: id(scenario) });
				const view = new View(
					compileQuery(model, {
						slice: Object.fromEntries(
							Object.entries(slice).filter(([axis]) => Number(axis) !== dim('account') && Number(axis) !== dim('period'))
						),
						rows: [{ [dim('account')]: id(account) }],
						columns: [{ [dim('period')]: id(period) }],
						currency: 'EUR'
					})
				);
				view.fill(new Reader(cube));
				const value = view.evaluate().values[0]!;
				expect(found).toBe(isEmpty(value) ? null : value);
				if (!isEmpty(value)) compared++;
			}
		)
	);
	expect(compared).toBeGreaterThan(20);
});
