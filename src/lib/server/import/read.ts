import { Model } from '../../core';
import { pool } from '../database';
import { readModelDefinition } from '../database/definitions';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { readRules, readStoredImport, ruleInWords, type Source } from './recipe';

export interface BatchLine {
	id: number;
	at: string;
	person: string | null;
	fileName: string;
	rowsRead: number;
	rowsLoaded: number;
	rowsSkipped: number;
	rowsRejected: number;
	amountRead: number;
	amountLoaded: number;
	amountRejected: number;
	revision: number | null;
	extent: string;
}

export interface ImportCard {
	code: string;
	name: string;
	description: string;
	lastBatch: BatchLine | null;
}

export interface MapLineInWords {
	kind: string;
	terms: string;
	member: string;
	reverseSign: boolean;
}

export interface ImportDetails {
	code: string;
	name: string;
	description: string;
	source: Source;
	rules: { dimension: string; words: string; lines: MapLineInWords[] }[];
	batches: BatchLine[];
}

export interface BatchDetails {
	batch: BatchLine;
	/** Rejected rows grouped by reason, the most frequent first. */
	reasons: { message: string; rows: number; lines: number[] }[];
	rejects: { line: number; message: string; values: Record<string, string> }[];
}

const BATCH_COLUMNS = `b.id, b.at, p.name AS person, b.file_name AS "fileName", b.rows_read AS "rowsRead", b.rows_loaded AS "rowsLoaded", b.rows_skipped AS "rowsSkipped",
	b.rows_rejected AS "rowsRejected", b.amount_read AS "amountRead", b.amount_loaded AS "amountLoaded", b.amount_rejected AS "amountRejected", b.revision, b.extent`;

type BatchRow = Omit<BatchLine, 'at'> & { at: Date };
const batchLine = (row: BatchRow): BatchLine => ({ ...row, at: row.at.toISOString() });

/** The imports of a model with their last batch. */
export async function listImports(person: SignedIn | undefined, modelId: number): Promise<ImportCard[]> {
	requirePermission(person, 'data.read');
	const imports = await pool().query<{ id: number; code: string; name: string; description: string }>(
		'SELECT id, code, name, description FROM import WHERE model_id = $1 ORDER BY id',
		[modelId]
	);
	const batches = await pool().query<BatchRow & { import: number }>(
		`SELECT DISTINCT ON (b.import_id) b.import_id AS import, ${BATCH_COLUMNS} FROM batch b LEFT JOIN person p ON p.id = b.person_id ORDER BY b.import_id, b.id DESC`
	);
	return imports.rows.map(({ id, ...card }) => {
		const last = batches.rows.find((batch) => batch.import === id);
		return { ...card, lastBatch: last ? batchLine(last) : null };
	});
}

/** A saved import: how its file is written, where each dimension comes from, its maps, its latest batches. */
export async function readImport(person: SignedIn | undefined, modelId: number, code: string): Promise<ImportDetails> {
	requirePermission(person, 'data.read');
	const stored = await readStoredImport(pool(), modelId, code);
	const definition = await readModelDefinition(pool(), modelId);
	if (!definition) throw notFound('model');
	const model = new Model(definition);
	const rules = await readRules(pool(), modelId, stored.id);
	const batches = await pool().query<BatchRow>(
		`SELECT ${BATCH_COLUMNS} FROM batch b LEFT JOIN person p ON p.id = b.person_id WHERE b.import_id = $1 ORDER BY b.id DESC LIMIT 12`,
		[stored.id]
	);
	return {
		code: stored.code,
		name: stored.name,
		description: stored.description,
		source: stored.source,
		rules: rules.map((rule) => {
			const dimension = model.dimension(rule.dimension)!;
			const nameOf = (member: number | null) =>
				member === null ? 'the member of that code' : dimension.member(dimension.ordinal(member)!).name;
			const lines = rule.from === 'column' ? rule.lines : [];
			return {
				dimension: dimension.name,
				words: ruleInWords(model, rule),
				lines: lines.map((line) => ({
					kind: line.kind,
					terms: termsInWords(line),
					member: line.skip ? 'left out' : nameOf(line.member),
					reverseSign: line.reverseSign
				}))
			};
		}),
		batches: batches.rows.map(batchLine)
	};
}

/** A batch with its rejects. */
export async function readBatch(person: SignedIn | undefined, modelId: number, batchId: number): Promise<BatchDetails> {
	requirePermission(person, 'data.read');
	const found = await pool().query<BatchRow>(
		`SELECT ${BATCH_COLUMNS} FROM batch b JOIN import i ON i.id = b.import_id LEFT JOIN person p ON p.id = b.person_id WHERE b.id = $1 AND i.model_id = $2`,
		[batchId, modelId]
	);
	if (!found.rows[0]) throw notFound('batch');
	const reasons = await pool().query<{ message: string; rows: number; lines: number[] }>(
		`SELECT message, count(*)::integer AS rows, (array_agg(file_line ORDER BY file_line))[1:8] AS lines FROM reject WHERE batch_id = $1 GROUP BY message ORDER BY 2 DESC, 1 LIMIT 200`,
		[batchId]
	);
	const rejects = await pool().query<{ line: number; message: string; values: Record<string, string> }>(
		'SELECT file_line AS line, message, row_values AS values FROM reject WHERE batch_id = $1 ORDER BY file_line LIMIT 500',
		[batchId]
	);
	return { batch: batchLine(found.rows[0]), reasons: reasons.rows, rejects: rejects.rows };
}

function termsInWords(line: { kind: string } & Record<string, unknown>): string {
	switch (line.kind) {
		case 'single':
			return line.value === '' ? '(empty)' : String(line.value);
		case 'any of':
			return (line.values as string[]).join(', ');
		case 'span':
			return `${String(line.from)} … ${String(line.to)}`;
		case 'pattern':
			return String(line.pattern);
		default:
			return (line.conditions as { column: string; pattern: string }[]).map(({ column, pattern }) => `${column} ${pattern}`).join(' and ');
	}
}
