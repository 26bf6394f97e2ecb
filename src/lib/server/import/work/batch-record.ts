import type pg from 'pg';
import { promisify } from 'node:util';
import { deflate } from 'node:zlib';
import { sum, type Sum } from '../../../core';
import { transaction } from '../../database';
import { copyRows } from '../../database/cells';
import type { Gathered } from './gather';

/** A batch's counts, control totals and extent. */
export async function describe(
	database: pg.Pool | pg.PoolClient,
	batchId: number,
	{ rows, amounts, extent }: Gathered,
	end: { state: 'loaded' | 'stopped'; revision: number | null; cells: number }
): Promise<void> {
	const orZero = (total: Sum) => sum([0, total.value]);
	await database.query(
		`UPDATE batch SET rows_read = $2, rows_loaded = $3, rows_skipped = $4, rows_rejected = $5, amount_read = $6, amount_loaded = $7, amount_rejected = $8,
			extent = $9, extent_members = $10, state = $11, revision = $12, cells = $13 WHERE id = $1`,
		[
			batchId,
			rows.read,
			rows.loaded,
			rows.skipped,
			rows.rejected,
			orZero(amounts.read),
			orZero(amounts.loaded),
			orZero(amounts.rejected),
			extent.state().words,
			JSON.stringify(extent.state().members),
			end.state,
			end.revision,
			end.cells
		]
	);
}

/** Keeps why rows were rejected: every reason, every line, and the first rows in full. */
export async function keepRejects(batchId: number, { tally, rejects }: Gathered): Promise<void> {
	await transaction(async (client) => {
		await client.query('DELETE FROM reject WHERE batch_id = $1', [batchId]);
		await client.query('DELETE FROM reject_reason WHERE batch_id = $1', [batchId]);
		const packed = tally.lines.length === 0 ? null : await promisify(deflate)(Buffer.from(Int32Array.from(tally.lines).buffer));
		await client.query('UPDATE batch SET rejected_lines = $2 WHERE id = $1', [batchId, packed]);
		const fields = (values: readonly (string | number | null)[]) =>
			`${values.map((value) => (value === null ? '\\N' : escaped(String(value)))).join('\t')}\n`;
		await copyRows(
			client,
			'COPY reject_reason (batch_id, code, dimension_id, source_column, value, message, label, rows, amount, lines) FROM STDIN',
			tally.reasons,
			({ fault, label, rows, amount, lines }) =>
				fields([
					batchId,
					fault.code,
					fault.dimension,
					fault.column,
					fault.value,
					fault.message,
					label,
					rows,
					amount.value,
					`{${lines.join(',')}}`
				])
		);
		await copyRows(
			client,
			'COPY reject (batch_id, file_line, code, source_column, value, message, row_values) FROM STDIN',
			rejects,
			({ line, code, column, value, message, values }) => fields([batchId, line, code, column, value, message, JSON.stringify(values)])
		);
	});
}

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };
const escaped = (text: string) => text.replace(/[\\\t\n\r]/g, (character) => ESCAPES[character]!);
