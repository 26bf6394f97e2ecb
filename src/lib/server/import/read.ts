import { Model, type MapFinding, type MapLine } from '../../core';
import { pool } from '../database';
import { readModelDefinition } from '../database/definitions';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import type { KeptFile } from './file/keep';
import type { Correction } from './start';
import { type Source } from '../definition/source-schema';
import { readRules, readStoredImport, ruleInWords, termsInWords, type StoredRule } from './recipe';
import { findingsOf } from './work/check';
import { readSchedule, type Schedule } from './schedule';

export type BatchState = 'running' | 'loaded' | 'stopped' | 'failed' | 'cancelled' | 'taken back';

export interface BatchLine {
	id: number;
	at: string;
	person: string | null;
	fileName: string;
	/** The kept file; null for batches from before files were kept. */
	file: number | null;
	state: BatchState;
	message: string;
	way: 'replace' | 'add';
	rejectsOf: number | null;
	job: number | null;
	rowsRead: number;
	rowsLoaded: number;
	rowsSkipped: number;
	rowsRejected: number;
	amountRead: number;
	amountLoaded: number;
	amountRejected: number;
	cells: number;
	/** Cells where the load stands in place of a result. */
	setsAside: number;
	revision: number | null;
	extent: string;
	takenBackAt: string | null;
	takenBackBy: string | null;
}

export interface ImportCard {
	code: string;
	name: string;
	description: string;
	place: Source['place']['kind'];
	lastBatch: BatchLine | null;
	schedule: Schedule | null;
}

export interface MapLineInWords {
	id: number;
	kind: MapLine['kind'];
	terms: string;
	line: MapLine;
	member: string;
	gone: boolean;
}

export interface RuleDetails {
	dimension: number;
	code: string;
	name: string;
	kind: string;
	/** Null while nobody has said where the member comes from. */
	rule: StoredRule | null;
	words: string;
	map: { id: number; name: string; usedBy: string[] } | null;
	lines: MapLineInWords[];
	findings: MapFinding[];
}

export interface ImportDetails {
	id: number;
	code: string;
	name: string;
	description: string;
	version: number;
	source: Source;
	rules: RuleDetails[];
	batches: BatchLine[];
	/** The file last chosen for this import. */
	file: KeptFile | null;
	schedule: Schedule | null;
	/** Maps of each dimension (id), for reuse. */
	maps: { id: number; dimension: number; name: string; lines: number }[];
	variables: { name: string; dimension: number }[];
}

export interface Reason {
	code: string;
	dimension: number | null;
	column: string;
	value: string;
	label: string;
	message: string;
	rows: number;
	amount: number;
	lines: number[];
}

export interface BatchDetails {
	batch: BatchLine;
	/** Rejected rows grouped by reason, the most frequent first. */
	reasons: Reason[];
	rejects: { line: number; code: string; column: string; value: string; message: string; values: Record<string, string> }[];
	/** What was put right of the rows it read. */
	corrections: Correction[];
	/** The batch that loaded this one's rejects. */
	reloadedBy: number | null;
}

const BATCH_COLUMNS = `b.id, b.at, p.name AS person, b.file_name AS "fileName", b.file_id AS file, b.state, b.message, b.way, b.rejects_of AS "rejectsOf", b.job_id AS job,
	b.rows_read AS "rowsRead", b.rows_loaded AS "rowsLoaded", b.rows_skipped AS "rowsSkipped", b.rows_rejected AS "rowsRejected", b.amount_read AS "amountRead",
	b.amount_loaded AS "amountLoaded", b.amount_rejected AS "amountRejected", b.cells, b.sets_aside AS "setsAside", b.revision, b.extent, b.taken_back_at AS "takenBackAt", t.name AS "takenBackBy"`;
const BATCH_FROM =
	'batch b JOIN import i ON i.id = b.import_id LEFT JOIN person p ON p.id = b.person_id LEFT JOIN person t ON t.id = b.taken_back_by';

type BatchRow = Omit<BatchLine, 'at' | 'takenBackAt'> & { at: Date; takenBackAt: Date | null };
const batchLine = (row: BatchRow): BatchLine => ({ ...row, at: row.at.toISOString(), takenBackAt: row.takenBackAt?.toISOString() ?? null });

/** The imports of a model with their last batch. */
export async function listImports(person: SignedIn | undefined, modelId: number): Promise<ImportCard[]> {
	requirePermission(person, 'data.read');
	const imports = await pool().query<{
		id: number;
		code: string;
		name: string;
		description: string;
		place: Source['place']['kind'] | null;
	}>("SELECT id, code, name, description, source #>> '{place,kind}' AS place FROM import WHERE model_id = $1 ORDER BY id", [modelId]);
	const batches = await pool().query<BatchRow & { import: number }>(
		`SELECT DISTINCT ON (b.import_id) b.import_id AS import, ${BATCH_COLUMNS} FROM ${BATCH_FROM} WHERE i.model_id = $1 AND b.branch_id IS NULL ORDER BY b.import_id, b.id DESC`,
		[modelId]
	);
	return Promise.all(
		imports.rows.map(async ({ id, place, ...card }) => {
			const last = batches.rows.find((batch) => batch.import === id);
			if (!last) return { ...card, place: place ?? 'file', lastBatch: null, schedule: await readSchedule(id) };
			const { import: _, ...line } = last;
			return { ...card, place: place ?? 'file', lastBatch: batchLine(line), schedule: await readSchedule(id) };
		})
	);
}

/** The imports by name, and whether their last batch left something to be mended. */
export async function importsInShort(
	person: SignedIn | undefined,
	modelId: number
): Promise<{ code: string; name: string; attention: boolean }[]> {
	requirePermission(person, 'data.read');
	const found = await pool().query<{ code: string; name: string; attention: boolean }>(
		`SELECT i.code, i.name, coalesce(last.state IN ('stopped', 'failed') OR (last.state = 'loaded' AND last.rows_rejected > 0), false) AS attention
		FROM import i LEFT JOIN LATERAL (
			SELECT state, rows_rejected FROM batch b WHERE b.import_id = i.id AND b.branch_id IS NULL AND b.state NOT IN ('running', 'cancelled') ORDER BY b.id DESC LIMIT 1) last ON true
		WHERE i.model_id = $1 ORDER BY i.id`,
		[modelId]
	);
	return found.rows;
}

/** A saved import: how its file is written, where each dimension comes from, its maps, its latest batches. */
export async function readImport(person: SignedIn | undefined, modelId: number, code: string): Promise<ImportDetails> {
	requirePermission(person, 'data.read');
	const stored = await readStoredImport(pool(), modelId, code);
	const definition = await readModelDefinition(pool(), modelId);
	if (!definition) throw notFound('model');
	const model = new Model(definition);
	const rules = await readRules(pool(), modelId, stored.id);
	const findings = findingsOf(rules);
	const dimensions = [...model.dimensions, model.periods.dimension];
	const maps = await pool().query<{ id: number; dimension: number; name: string; lines: number; usedBy: string[] }>(
		`SELECT m.id, m.dimension_id AS dimension, m.name, (SELECT count(*)::integer FROM map_line l WHERE l.map_id = m.id) AS lines,
			ARRAY(SELECT i.name FROM import_rule r JOIN import i ON i.id = r.import_id WHERE r.map_id = m.id ORDER BY i.name) AS "usedBy"
		FROM map m WHERE m.dimension_id = ANY ($1) ORDER BY m.name`,
		[dimensions.map(({ id }) => id)]
	);
	const file = await pool().query<Omit<KeptFile, 'hash' | 'at'> & { hash: Buffer; at: Date }>(
		'SELECT id, name, format, bytes, hash, sheets, at FROM source_file WHERE import_id = $1 AND complete ORDER BY id DESC LIMIT 1',
		[stored.id]
	);
	return {
		id: stored.id,
		code: stored.code,
		name: stored.name,
		description: stored.description,
		version: stored.version,
		source: stored.source,
		rules: definition.dimensions.map(({ id }): RuleDetails => {
			const dimension = model.dimension(id)!;
			const rule = rules.find((each) => each.dimension === id) ?? null;
			const map = maps.rows.find((each) => each.id === rule?.map) ?? null;
			return {
				dimension: id,
				code: dimension.code,
				name: dimension.name,
				kind: dimension.kind,
				rule,
				words: rule ? ruleInWords(model, rule) : 'not said yet',
				map: map && { id: map.id, name: map.name, usedBy: map.usedBy },
				lines: (rule?.from === 'column' ? rule.lines : []).map((line) => {
					const ordinal = line.member === null ? undefined : dimension.ordinal(line.member);
					const gone = line.member !== null && ordinal === undefined;
					return {
						id: line.id,
						kind: line.kind,
						terms: termsInWords(line),
						line,
						gone,
						member: line.skip
							? 'left out'
							: line.member === null
								? line.kind === 'pattern' && line.pattern.trim() !== '*'
									? 'the member of that code, or of what * stands for'
									: 'the member of that code'
								: gone
									? 'a member that is gone'
									: dimension.member(ordinal!).name
					};
				}),
				findings: findings[id] ?? []
			};
		}),
		batches: await listBatches(stored.id),
		file: file.rows[0] ? { ...file.rows[0], hash: file.rows[0].hash.toString('hex'), at: file.rows[0].at.toISOString() } : null,
		schedule: await readSchedule(stored.id),
		maps: maps.rows.map(({ id, dimension, name, lines }) => ({ id, dimension, name, lines })),
		variables: (definition.variables ?? []).flatMap(({ name, member }) => {
			const dimension = member === null ? undefined : definition.dimensions.find(({ members }) => members.some(({ id }) => id === member));
			return dimension ? [{ name, dimension: dimension.id }] : [];
		})
	};
}

async function listBatches(importId: number): Promise<BatchLine[]> {
	const batches = await pool().query<BatchRow>(
		`SELECT ${BATCH_COLUMNS} FROM ${BATCH_FROM} WHERE b.import_id = $1 AND b.branch_id IS NULL ORDER BY b.id DESC LIMIT 60`,
		[importId]
	);
	return batches.rows.map(batchLine);
}

/** A batch with its rejects. */
export async function readBatch(person: SignedIn | undefined, modelId: number, batchId: number): Promise<BatchDetails> {
	requirePermission(person, 'data.read');
	const found = await pool().query<BatchRow>(`SELECT ${BATCH_COLUMNS} FROM ${BATCH_FROM} WHERE b.id = $1 AND i.model_id = $2`, [
		batchId,
		modelId
	]);
	if (!found.rows[0]) throw notFound('batch');
	const reasons = await pool().query<Reason>(
		`SELECT code, dimension_id AS dimension, source_column AS column, value, label, message, rows, amount, lines FROM reject_reason
		WHERE batch_id = $1 ORDER BY rows DESC, message LIMIT 200`,
		[batchId]
	);
	const rejects = await pool().query<BatchDetails['rejects'][number]>(
		'SELECT file_line AS line, code, source_column AS "column", value, message, row_values AS values FROM reject WHERE batch_id = $1 ORDER BY file_line LIMIT 500',
		[batchId]
	);
	const reloaded = await pool().query<{ id: number }>(
		"SELECT id FROM batch WHERE rejects_of = $1 AND state IN ('running', 'loaded') ORDER BY id DESC LIMIT 1",
		[batchId]
	);
	const kept = await pool().query<{ corrections: Correction[] | null }>(
		"SELECT recipe -> 'corrections' AS corrections FROM batch WHERE id = $1",
		[batchId]
	);
	return {
		batch: batchLine(found.rows[0]),
		reasons: reasons.rows,
		rejects: rejects.rows,
		corrections: kept.rows[0]?.corrections ?? [],
		reloadedBy: reloaded.rows[0]?.id ?? null
	};
}
