// Generated data for benchmarks: a model of eight dimensions and any number of cells, the same every time.
import { DuckDBInstance, type DuckDBConnection } from '@duckdb/node-api';
import { seededRandom } from '../demo/random';
import { Cube, type Model } from '../src/lib/core';
import { buildModel, type MemberSketch } from '../src/lib/core/testing';

/** A tree of `groups` groups with `each` leaves. */
export const tree = (prefix: string, groups: number, each: number, account?: MemberSketch['account']): MemberSketch[] => [
	{ code: prefix },
	...Array.from({ length: groups }, (_, group): MemberSketch[] => [
		{ code: `${prefix}${group}`, parent: prefix },
		...Array.from({ length: each }, (_, leaf): MemberSketch => ({
			code: `${prefix}${group}.${leaf}`,
			parent: `${prefix}${group}`,
			weight: leaf % 5 === 4 ? -1 : 1,
			...(account ? { account } : {})
		}))
	]).flat()
];

/** Account (249 members), period, scenario, entity, product, route, channel, version. */
export function benchModel(): Model {
	return buildModel({
		accounts: tree('a', 31, 7, { valueType: 'quantity' }),
		scenarios: [{ code: 'plan' }, { code: 'actual' }, { code: 'outlook' }],
		entities: tree('e', 8, 6).map((entity) => ({ ...entity, currency: 'EUR' })),
		general: {
			product: tree('p', 20, 25),
			route: tree('r', 4, 6),
			channel: tree('c', 1, 5),
			version: [{ code: 'working' }, { code: 'final' }]
		}
	});
}

export interface BenchData {
	model: Model;
	cube: Cube;
	cells: number;
	/** Runs a query in DuckDB over the same cells, one row each: table `cell`. */
	duck: DuckDBConnection;
}

/** Fills a cube and a DuckDB table with the same cells: whole series of a year, so that `cells` is met to within one series. */
export async function benchData(cells: number): Promise<BenchData> {
	const model = benchModel();
	const cube = new Cube(model);
	const { duck, append, close } = await cellTable(model);
	const { random, draw } = addresses(model, 42);
	const address = new Int32Array(model.dimensions.length);
	const values = new Float64Array(model.periods.width);
	for (let written = 0; written < cells;) {
		const year = draw(address);
		if (!Number.isNaN(cube.read(address, year, 0))) continue;
		for (let position = 0; position < values.length; position++) {
			values[position] = Math.round(random() * 100_000) / 100;
			append(address, model.periods.at(year, position)!.index, values[position]!);
		}
		cube.writeSeries(2, address, year, values);
		written += values.length;
	}
	close();
	return { model, cube, cells: cube.cells, duck };
}

/** A DuckDB table `cell` with a row a cell: ordinals per dimension, the leaf period's index, the value. */
export async function cellTable(model: Model) {
	const duck = await (await DuckDBInstance.create(':memory:')).connect();
	const columns = model.dimensions.map(({ code }) => `"${code}" INTEGER`);
	await duck.run(`CREATE TABLE cell (${columns.join(', ')}, period INTEGER, value DOUBLE)`);
	const appender = await duck.createAppender('cell');
	const append = (address: Int32Array, period: number, value: number) => {
		for (const ordinal of address) appender.appendInteger(ordinal);
		appender.appendInteger(period);
		appender.appendDouble(value);
		appender.endRow();
	};
	return { duck, append, close: () => appender.closeSync() };
}

/** Leaf addresses drawn at random, the same for the same seed; `draw` fills one and gives a fiscal year for it. */
export function addresses(model: Model, seed: number) {
	const random = seededRandom(seed);
	const leaves = model.dimensions.map((dimension) =>
		dimension.members.map((_, ordinal) => ordinal).filter((ordinal) => dimension.isLeaf(ordinal))
	);
	const draw = (address: Int32Array): number => {
		const year = random() < 0.5 ? 2027 : 2028;
		for (let axis = 0; axis < address.length; axis++) address[axis] = leaves[axis]![Math.floor(random() * leaves[axis]!.length)]!;
		return year;
	};
	return { random, draw };
}
