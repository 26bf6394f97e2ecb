// Typing one leaf: the form's totals right again, in a draft over the cube.
import { compileQuery, leafCells, Overlay, Reader, View } from '../src/lib/core';
import type { BenchData } from './data';
import { formQuery, millions } from './open-form';
import { measure, medianOf, type Measure } from './timing';

/** Ours: the draft's cell, its difference in the open view, all cells of the form anew. DuckDB: the update and the form's query. */
export async function typeCell(data: BenchData): Promise<Measure> {
	const { model, cube, duck } = data;
	const { query, sql, members } = formQuery(data);
	const overlay = new Overlay(model);
	const view = new View(compileQuery(model, query));
	view.fill(new Reader(cube, [overlay]));
	const [cell] = leafCells(new Reader(cube, [overlay]), members, { from: 0, to: 11 });
	if (!cell) throw new Error('The benchmark form meets no cells.');
	const { address, year, position } = cell;
	const where = model.dimensions.map(({ code }, axis) => `"${code}" = ${address[axis]}`).join(' AND ');
	let typed = 0;
	const ours = () => {
		const before = new Reader(cube, [overlay]).read(address, year, position);
		overlay.set(address, year, position, ++typed);
		view.change({ address, year, position, before, after: typed });
		return view.evaluate();
	};
	const peer = async () => {
		await duck.run(`UPDATE cell SET value = ${++typed} WHERE ${where} AND period = ${model.periods.at(year, position)!.index}`);
		return duck.runAndReadAll(sql);
	};
	return measure(
		`type one leaf, the form right again, on ${millions(data)} cells`,
		await medianOf(201, ours),
		await medianOf(7, peer),
		0.02
	);
}
