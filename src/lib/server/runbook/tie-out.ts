/** The proof of a run's allocations as a file. */
import ExcelJS from 'exceljs';
import { isTied, proofsOf, sumsOf, type ProofRow } from '../../core';
import { z } from 'zod';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner, type ProvenCell } from '../engine';
import { Fault, notFound } from '../fault';
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

export const provenCellsSchema = z.object({
	step: z.number().int(),
	line: z.string().max(200),
	period: z.string().max(200),
	scenario: z.string().max(200),
	side: z.enum(['in', 'out'])
});

/**
 * The cells behind what a line of a run took in or gave out in a period.
 * @throws Fault 404; 422 where nothing is kept of it
 */
export async function cellsOfProof(
	person: SignedIn | undefined,
	modelId: number,
	run: number,
	{ step, ...figure }: z.infer<typeof provenCellsSchema>
): Promise<{ cells: ProvenCell[]; count: number }> {
	requirePermission(person, 'rule.read');
	await readRun(person, modelId, run);
	// A run that changed nothing has kept nothing: what it shared out is what one before it did.
	const kept = await pool().query<{ run: number; origin: number }>(
		`SELECT t.run_id AS run, t.origin_id AS origin FROM run_trace t JOIN run r ON r.id = t.run_id JOIN origin o ON o.id = t.origin_id
		WHERE r.model_id = $1 AND o.step_id = $2 AND t.run_id <= $3 AND (r.state = 'done' OR r.id = $3)
			AND (r.branch_id IS NULL OR r.branch_id = (SELECT branch_id FROM run WHERE id = $3))
		ORDER BY r.branch_id IS NULL, t.run_id DESC LIMIT 1`,
		[modelId, step, run]
	);
	if (!kept.rows[0]) throw new Fault(422, 'not possible', 'How this was shared out is not kept any more.');
	return askRunner(modelId, 'provenCells', { ...(await modelVersions(pool(), modelId)), ...kept.rows[0], ...figure });
}
