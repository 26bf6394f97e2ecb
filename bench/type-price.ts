// Typing one price that feeds 100,000 leaf results: the form's totals right again, in a draft over the cube.
import { compileQuery, Cube, Overlay, type Query, Reader, View } from '../src/lib/core';
import { buildModel } from '../src/lib/core/testing';
import { addresses, cellTable, tree } from './data';
import { measure, medianOf, type Measure } from './timing';

const RESULTS = 100_000;

/** All weights +1, so that the total of the results is a plain sum. */
const plainTree = (...shape: [string, number, number]) => tree(...shape).map((member) => ({ ...member, weight: 1 }));

/**
 * Ours: the draft's cell, every result that reads it moved in the open view, all cells of the form anew. DuckDB: `UPDATE …
 * FROM` of the results of that month in a row-per-cell table, and the form's query.
 */
export async function typePrice(): Promise<Measure> {
	const nowhere = { product: 'p.none', route: 'r.none', channel: 'c.none' };
	const model = buildModel({
		accounts: [
			{ code: 'litres', account: { valueType: 'quantity' } },
			{ code: 'price', account: { valueType: 'quantity' } },
			{
				code: 'fuel',
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('litres'), right: account('price', nowhere) })
			}
		],
		scenarios: [{ code: 'plan' }],
		entities: [{ code: 'e', currency: 'EUR' }],
		general: {
			product: [...plainTree('p', 20, 50), { code: 'p.none', parent: 'p' }],
			route: [...plainTree('r', 10, 10), { code: 'r.none', parent: 'r' }],
			channel: [...plainTree('c', 1, 5), { code: 'c.none', parent: 'c' }],
			version: [{ code: 'working' }]
		}
	});
	const cube = new Cube(model);
	const { duck, append, close } = await cellTable(model);
	const { random, draw } = addresses(model, 11);
	const price = Int32Array.from(model.dimensions, (dimension) => dimension.ordinalOfCode(`${dimension.code[0]}.none`) ?? 0);
	price[model.accountAxis] = 1;
	const address = new Int32Array(model.dimensions.length);
	const values = new Float64Array(model.periods.width);
	const year = 2027;
	for (let written = 0; written < RESULTS;) {
		draw(address);
		address[model.accountAxis] = 0;
		if (!Number.isNaN(cube.read(address, year, 0))) continue;
		for (let position = 0; position < values.length; position++) {
			const { index } = model.periods.at(year, position)!;
			values[position] = 1 + Math.round(random() * 1_000) / 10;
			append(address, index, values[position]!);
			append(address.with(model.accountAxis, 2), index, values[position]! * 2);
		}
		cube.writeSeries(2, address, year, values);
		written++;
	}
	cube.writeSeries(2, price, year, values.fill(2));
	close();

	const routes = model.dimensions.findIndex(({ code }) => code === 'route');
	const period = model.periods.dimension;
	const months = period.members.filter((_, ordinal) => period.isLeaf(ordinal)).slice(0, 12);
	const rows = [...model.dimensions[routes]!.members.keys()].filter((ordinal) => !model.dimensions[routes]!.isLeaf(ordinal));
	const query: Query = {
		slice: Object.fromEntries(
			model.dimensions.flatMap((dimension, axis) =>
				axis === routes ? [] : [[dimension.id, dimension.member(axis === model.accountAxis ? 2 : 0).id]]
			)
		),
		rows: rows.map((ordinal) => ({ [model.dimensions[routes]!.id]: model.dimensions[routes]!.member(ordinal).id })),
		columns: months.map(({ id }) => ({ [period.id]: id })),
		currency: 'EUR'
	};
	const overlay = new Overlay(model);
	const view = new View(compileQuery(model, query));
	view.fill(new Reader(cube, [overlay]));
	let typed = 2;
	const ours = () => {
		const before = new Reader(cube, [overlay]).read(price, year, 3);
		overlay.set(price, year, 3, ++typed);
		view.change({ address: price, year, position: 3, before, after: typed });
		return view.evaluate();
	};
	const others = [...model.dimensions.slice(1).map(({ code }) => code), 'period'].map((column) => `"${column}"`);
	const same = others.map((column) => `f.${column} = l.${column}`).join(' AND ');
	const form = `SELECT route, period, sum(value) FROM cell WHERE account = 2 AND period < 12 GROUP BY route, period`;
	const peer = async () => {
		await duck.run(
			`UPDATE cell AS f SET value = l.value * ${++typed} FROM cell AS l WHERE f.account = 2 AND l.account = 0 AND f.period = 3 AND ${same}`
		);
		return duck.runAndReadAll(form);
	};
	const measured = measure('type one price that feeds 100,000 results', await medianOf(15, ours), await medianOf(7, peer), 0.1);
	// Both at one price; row 0 is the total of all routes.
	overlay.set(price, year, 3, typed);
	view.fill(new Reader(cube, [overlay]));
	const own = view.evaluate().values[3]!;
	const [[total]] = (await duck.runAndReadAll('SELECT sum(value) FROM cell WHERE account = 2 AND period = 3')).getRows() as [[number]];
	if (Math.abs(own - total) > 1e-6 * total) throw new Error(`Ours adds up to ${own}, DuckDB to ${total}.`);
	duck.closeSync();
	return measured;
}
