/** A comparison as a workbook or a table: what was compared, when, and every figure beside that of the first side. */
import ExcelJS from 'exceljs';
import type { z } from 'zod';
import type { SignedIn } from '../session';
import { guarded } from '../structure';
import { compare, type ComparedSide, type Comparison, type compareSchema } from './compare';

type Cell = string | number | null;

/** @returns rows of a table: headings, then a line a row of the form */
function gridOf({ form, rows, columns, selectors, currency, sides }: Comparison): Cell[][] {
	const [first, ...others] = sides;
	const chosen = selectors.map(
		({ name, chosen: member, choices }) => `${name}: ${choices.find((choice) => choice.member === member)?.name ?? 'not chosen'}`
	);
	const head: Cell[][] = [
		[guarded(form), `in ${currency}`, ...chosen.map(guarded)],
		[`Made on ${new Date().toISOString().slice(0, 16).replace('T', ' ')} (UTC) of what was saved`],
		[]
	];
	const titles: Cell[] = ['', ...columns.flatMap(({ label }) => [guarded(label), ...others.flatMap(() => [null, null])])];
	const names: Cell[] = [
		'',
		...columns.flatMap(() => [guarded(first!.name), ...others.flatMap(({ name }) => [guarded(name), 'Difference'])])
	];
	const lines = rows.map(({ label, depth }, row): Cell[] => [
		`${'  '.repeat(depth)}${guarded(label)}`,
		...columns.flatMap((_, column) => {
			const cell = row * columns.length + column;
			const said = ({ values, words }: ComparedSide): Cell => (words[cell] === undefined ? (values[cell] ?? null) : guarded(words[cell]));
			const base = first!.values[cell] ?? null;
			const isWords = (columns[column]!.facts ?? rows[row]!.facts).inWords;
			return [
				said(first!),
				...others.flatMap((side) => {
					const value = side.values[cell] ?? null;
					return [said(side), isWords || (base === null && value === null) ? null : (value ?? 0) - (base ?? 0)];
				})
			];
		})
	]);
	return [...head, titles, names, ...lines];
}

/** The same figures as the page, all of them, as a file. */
export async function comparisonFile(
	person: SignedIn | undefined,
	modelId: number,
	asked: z.infer<typeof compareSchema>
): Promise<{ name: string; bytes: Uint8Array }> {
	const comparison = await compare(person, modelId, asked);
	const workbook = new ExcelJS.Workbook();
	const sheet = workbook.addWorksheet('Comparison', { views: [{ state: 'frozen', xSplit: 1, ySplit: 5 }] });
	for (const line of gridOf(comparison)) sheet.addRow(line);
	sheet.getColumn(1).width = 36;
	for (let column = 2; column <= sheet.columnCount; column++) {
		sheet.getColumn(column).width = 14;
		sheet.getColumn(column).numFmt = '#,##0.00';
	}
	sheet.getRow(4).font = { bold: true };
	return {
		name: `${comparison.form}, ${comparison.sides.map(({ name }) => name).join(' and ')}`,
		bytes: new Uint8Array(await workbook.xlsx.writeBuffer())
	};
}
