// A live formula over many cells: fuel = litres × price, per leaf.
import { Cube, eachLiveCell, Reader } from '../src/lib/core';
import { buildModel } from '../src/lib/core/testing';
import { addresses, cellTable, tree } from './data';
import { measure, medianOf, type Measure } from './timing';

/**
 * Ours: every result computed into one column. DuckDB: `UPDATE … FROM` of the result's rows in a row-per-cell table, warm.
 * @param cells results to compute
 */
export async function liveFormula(cells: number): Promise<Measure> {
	const model = buildModel({
		accounts: [
			{ code: 'litres', account: { valueType: 'quantity' } },
			{ code: 'price', account: { valueType: 'quantity' } },
			{
				code: 'fuel',
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('litres'), right: account('price') })
			}
		],
		scenarios: [{ code: 'plan' }, { code: 'actual' }],
		entities: tree('e', 8, 6).map((entity) => ({ ...entity, currency: 'EUR' })),
		general: {
			product: tree('p', 20, 25),
			route: tree('r', 4, 6),
			channel: tree('c', 1, 5),
			version: [{ code: 'working' }, { code: 'final' }]
		}
	});
	const formula = model.live.ordered[0]!;
	const cube = new Cube(model);
	const { duck, append, close } = await cellTable(model);
	const { random, draw } = addresses(model, 7);
	const address = new Int32Array(model.dimensions.length);
	const values = new Float64Array(model.periods.width);
	for (let written = 0; written < cells;) {
		const year = draw(address);
		address[model.accountAxis] = 0;
		if (!Number.isNaN(cube.read(address, year, 0))) continue;
		for (let account = 0; account < 3; account++) {
			address[model.accountAxis] = account;
			for (let position = 0; position < values.length; position++) {
				values[position] = account === 2 ? 0 : 1 + Math.round(random() * 1_000) / 10;
				append(address, model.periods.at(year, position)!.index, values[position]!);
			}
			if (account < 2) cube.writeSeries(2, address, year, values);
		}
		written += values.length;
	}
	close();
	const results = new Float64Array(cells + model.periods.width);
	let computed = 0;
	const ours = () => {
		computed = 0;
		eachLiveCell(new Reader(cube), formula, [2027, 2028], (_address, _year, _position, value) => {
			results[computed++] = value;
		});
	};
	const others = [...model.dimensions.slice(1).map(({ code }) => code), 'period'].map((column) => `"${column}"`);
	const same = (one: string, other: string) => others.map((column) => `${one}.${column} = ${other}.${column}`).join(' AND ');
	const peer = () =>
		duck.run(
			`UPDATE cell AS f SET value = l.value * p.value FROM cell AS l, cell AS p WHERE f.account = 2 AND l.account = 0 AND p.account = 1 AND ${same('f', 'l')} AND ${same('l', 'p')}`
		);
	const measured = measure(`live formula over ${(cells / 1e6).toFixed(0)}M cells`, await medianOf(9, ours), await medianOf(7, peer), 0.2);
	const [[total]] = (await duck.runAndReadAll('SELECT sum(value) FROM cell WHERE account = 2')).getRows() as [[number]];
	const own = results.subarray(0, computed).reduce((sum, value) => sum + value, 0);
	if (Math.abs(own - total) > 1e-6 * total) throw new Error(`Ours adds up to ${own}, DuckDB to ${total}.`);
	duck.closeSync();
	return measured;
}
