import { z } from 'zod';
import { pool } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { keptBytes, keptFile } from './file/keep';
import { askData } from './work/host';
import type { BatchDifference, RowOfFile, RowsOfCell } from './work/look-up';

export const cellSchema = z.object({ members: z.array(z.int()).min(2).max(40), period: z.int() });

async function requireBatch(modelId: number, batch: number): Promise<{ file: number | null }> {
	const found = await pool().query<{ file: number | null }>(
		'SELECT b.file_id AS file FROM batch b JOIN import i ON i.id = b.import_id WHERE b.id = $1 AND i.model_id = $2',
		[batch, modelId]
	);
	if (!found.rows[0]) throw notFound('batch');
	return found.rows[0];
}

/** A row of a batch's file by its line, and the cells it became part of. @throws Fault when no row begins on that line */
export async function rowOfBatch(person: SignedIn | undefined, modelId: number, batch: number, line: number): Promise<RowOfFile> {
	requirePermission(person, 'data.read');
	await requireBatch(modelId, batch);
	const row = await askData('row', { modelId, batch, line });
	if (!row) throw new Fault(404, 'not found', `No row begins on line ${line} of this file, or the file is not kept.`);
	return row;
}

/** The rows of files behind a leaf cell, by batch. */
export async function rowsOfCell(
	person: SignedIn | undefined,
	modelId: number,
	{ members, period }: z.infer<typeof cellSchema>
): Promise<RowsOfCell[]> {
	const reader = requirePermission(person, 'data.read');
	return askData('cell', { modelId, members, period, branch: reader.branch?.id ?? null });
}

/** What two batches of one import state differently. */
export async function compareBatches(
	person: SignedIn | undefined,
	modelId: number,
	first: number,
	second: number
): Promise<BatchDifference> {
	requirePermission(person, 'data.read');
	for (const batch of [first, second]) await requireBatch(modelId, batch);
	return askData('compare', { modelId, first, second });
}

/** A kept file as it came. */
export async function fileOfBatch(
	person: SignedIn | undefined,
	modelId: number,
	batch: number
): Promise<{ name: string; bytes: number; stream: AsyncGenerator<Buffer> }> {
	requirePermission(person, 'data.read');
	const { file } = await requireBatch(modelId, batch);
	if (file === null) throw new Fault(404, 'not found', 'The file of this batch was not kept.');
	const { name, bytes } = await keptFile(modelId, file);
	return { name, bytes, stream: keptBytes(file, 0) };
}
