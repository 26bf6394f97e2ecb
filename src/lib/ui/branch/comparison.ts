import type { ComparedFacts, Comparison } from '$lib/server/branch';

/** By how much a figure differs from that of the first side; null where it does not. Nothing counts as 0. */
export function differenceOf(base: number | null, value: number | null): number | null {
	const difference = (value ?? 0) - (base ?? 0);
	return Math.abs(difference) <= 1e-9 * Math.max(Math.abs(base ?? 0), Math.abs(value ?? 0)) && (base === null) === (value === null)
		? null
		: difference === 0
			? null
			: difference;
}

/** A difference as a share of what it differs from; null where that is nothing. */
export const shareOf = (difference: number, base: number | null): number | null => (base ? difference / Math.abs(base) : null);

/** The rows and columns to be shown: all, or those with a figure that differs on any side. */
export function differing({ rows, columns, sides }: Comparison, only: boolean): { rows: number[]; columns: number[] } {
	const all = { rows: [...rows.keys()], columns: [...columns.keys()] };
	if (!only) return all;
	const [base, ...others] = sides;
	const differs = (row: number, column: number) => {
		const cell = row * columns.length + column;
		return others.some(({ values }) => differenceOf(base!.values[cell] ?? null, values[cell] ?? null) !== null);
	};
	return {
		rows: all.rows.filter((row) => all.columns.some((column) => differs(row, column))),
		columns: all.columns.filter((column) => all.rows.some((row) => differs(row, column)))
	};
}

/** How a figure is written: by the account of its column, else of its row. */
export const factsAt = ({ rows, columns }: Comparison, row: number, column: number): ComparedFacts =>
	columns[column]!.facts ?? rows[row]!.facts;
