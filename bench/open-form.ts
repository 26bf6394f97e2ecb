// Opening a form: 249 account rows × 17 columns (months, quarters, the year) over a slice of parents.
import { compileQuery, type Query, Reader, View } from '../src/lib/core';
import type { BenchData } from './data';
import { measure, medianOf, type Measure } from './timing';

/**
 * Ours: compile the query, scan the cube, consolidate all cells. DuckDB, warm: the same filters on the same cells, grouped
 * by leaf account and month; it is spared the roll-up to parents, quarters and the year.
 */
export async function openForm(data: BenchData): Promise<Measure> {
	const { cube, duck } = data;
	const { query, sql, columns } = formQuery(data);
	const ours = () => {
		const view = new View(compileQuery(data.model, query));
		view.fill(new Reader(cube));
		return view.evaluate();
	};
	await check(data, ours(), sql, columns);
	return measure(
		`open a form of ${query.rows.length} × ${columns} on ${millions(data)} cells`,
		await medianOf(9, ours),
		await medianOf(9, () => duck.runAndReadAll(sql)),
		1
	);
}

export const millions = ({ cells }: BenchData): string => `${(cells / 1e6).toFixed(0)}M`;

/** The form as our query and as SQL over row-per-cell data, grouped by leaf account and month. */
export function formQuery({ model }: BenchData): { query: Query; sql: string; columns: number; members: number[] } {
	const member = (axis: number, code: string) => model.dimensions[axis]!.member(model.dimensions[axis]!.ordinalOfCode(code)!);
	const period = model.periods.dimension;
	const columns = period.members.filter(
		({ code }) => code.startsWith('FY2027') || model.periods.range(period.ordinalOfCode(code)!).to < 12
	);
	const chosen = [undefined, 'plan', 'e0', 'p', 'r1', 'c', 'working'];
	const slice = Object.fromEntries(
		chosen.flatMap((code, axis) => (code === undefined ? [] : [[model.dimensions[axis]!.id, member(axis, code).id]]))
	);
	const query: Query = {
		slice,
		rows: model.accounts.members.map(({ id }) => ({ [model.accounts.id]: id })),
		columns: columns.map(({ id }) => ({ [period.id]: id })),
		currency: 'EUR'
	};

	const filters = chosen.flatMap((code, axis) => {
		if (code === undefined) return [];
		const dimension = model.dimensions[axis]!;
		return [`"${dimension.code}" IN (${dimension.tree.leaves(dimension.ordinalOfCode(code)!).join(', ')})`];
	});
	const sign = (axis: number) => {
		const dimension = model.dimensions[axis]!;
		const negative: number[] = [];
		dimension.tree.eachWeightedLeaf(dimension.ordinalOfCode(chosen[axis]!)!, (leaf, weight) => weight < 0 && negative.push(leaf));
		return negative.length === 0 ? '1' : `CASE WHEN "${dimension.code}" IN (${negative.join(', ')}) THEN -1 ELSE 1 END`;
	};
	const weights = [2, 3, 4, 5].map(sign).join(' * ');
	const sql = `SELECT account, period, sum(value * ${weights}) AS total FROM cell WHERE ${filters.join(' AND ')} AND period < 12 GROUP BY account, period`;

	const members = model.dimensions.map((dimension, axis) => dimension.ordinalOfCode(chosen[axis] ?? 'a')!);
	return { query, sql, columns: columns.length, members };
}

/** Both must say the same, or the times mean nothing. */
async function check({ model, duck }: BenchData, { values }: { values: Float64Array }, sql: string, columns: number): Promise<void> {
	const rows = (await duck.runAndReadAll(sql)).getRows() as [number, number, number][];
	const months = [...model.periods.dimension.members.keys()].filter((ordinal) => model.periods.range(ordinal).to < 12);
	for (const [account, leafPeriod, total] of rows) {
		const column = months.findIndex((ordinal) => model.periods.leaf(leafPeriod).ordinal === ordinal);
		const found = values[account * columns + column]!;
		if (!(Math.abs(found - total) < 1e-6 * Math.max(1, Math.abs(total))))
			throw new Error(`Account ${account}, month ${leafPeriod}: ours ${found}, DuckDB ${total}.`);
	}
	if (rows.length === 0) throw new Error('The benchmark query meets no cells.');
}
