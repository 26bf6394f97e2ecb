/** The proof of a run's allocations as a file. */
import ExcelJS from 'exceljs';
import { isTied, proofsOf, sumsOf, type ProofRow } from '../../core';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { readRun } from './runs';

const HEADINGS = [
	'Step',
	'Line',
	'Scenario',
	'Period',
	'Currency',
	'In',
	'Out',
	'Kept',
	'Stranded',
	'Rounding',
	'Difference',
	'Tied out',
	'Remark'
];

/** Every line and period of a run's allocations, each step with its sum first. Amounts are numbers. @throws Fault 404 */
export async function tieOutGrid(
	person: SignedIn | undefined,
	modelId: number,
	run: number
): Promise<{ name: string; grid: (string | number)[][] }> {
	requirePermission(person, 'rule.read');
	const { name, log } = await readRun(person, modelId, run);
	const proofs = proofsOf(log);
	if (proofs.length === 0) throw notFound('tie-out');
	const grid: (string | number)[][] = [HEADINGS];
	for (const { step, rows, sums } of proofs) {
		for (const sum of sums)
			grid.push([
				step,
				'all lines',
				'',
				'',
				sum.currency ?? '',
				sum.in,
				sum.out,
				sum.kept,
				sum.stranded,
				sum.rounding,
				sum.difference,
				isTied(sum) ? 'yes' : 'not yet',
				''
			]);
		for (const row of rows) {
			const [sum] = sumsOf([row]);
			const { line, scenario, period, currency } = row;
			grid.push([
				step,
				line || 'kept',
				scenario,
				period,
				currency ?? '',
				sum!.in,
				sum!.out,
				sum!.kept,
				sum!.stranded,
				sum!.rounding,
				sum!.difference,
				isTied(sum!) ? 'yes' : 'not yet',
				remarkOn(row)
			]);
		}
	}
	return { name: `${name}, tie-out`, grid };
}

const remarkOn = ({ evenly, incomplete }: ProofRow): string =>
	[...(evenly ? ['shared evenly, since nothing weighed'] : []), ...(incomplete ? ['without what has no rate'] : [])].join('; ');

/** The same as a workbook. */
export async function tieOutWorkbook(person: SignedIn | undefined, modelId: number, run: number): Promise<{ name: string; bytes: Buffer }> {
	const { name, grid } = await tieOutGrid(person, modelId, run);
	const workbook = new ExcelJS.Workbook();
	const sheet = workbook.addWorksheet('Tie-out', { views: [{ state: 'frozen', ySplit: 1 }] });
	for (const row of grid) sheet.addRow(row);
	sheet.getRow(1).font = { bold: true };
	sheet.columns.forEach((column, index) => {
		column.width = index === 0 || index === HEADINGS.length - 1 ? 32 : 15;
		if (index >= 5 && index <= 10) column.numFmt = '#,##0.00';
	});
	return { name, bytes: Buffer.from(await workbook.xlsx.writeBuffer()) };
}
