import { z } from 'zod';
import { matchingLines, neighboursReverse } from '../../core';
import { pool } from '../database';
import { readBranchRates } from '../database/branch-series';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { editMembers, type ActOutcome } from '../structure';
import { editImport } from './edit';
import { keptFile } from './file/keep';
import type { Detected } from './file/detect';
import { readRules, readStoredImport } from './recipe';
import { accessOfLoad } from './start';
import type { CheckOutcome } from './work/check';
import { askData } from './work/host';

export const checkSchema = z.object({
	file: z.int(),
	chosen: z.record(z.string().regex(/^\d+$/), z.int()).default({}),
	allRows: z.boolean().default(false)
});

/** What a kept file would become by an import as it stands, without writing anything. */
export async function checkImport(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	{ file, chosen, allRows }: z.infer<typeof checkSchema>
): Promise<CheckOutcome> {
	const reader = requirePermission(person, 'data.read');
	const stored = await readStoredImport(pool(), modelId, code);
	return askData('check', {
		modelId,
		file: await keptFile(modelId, file),
		source: stored.source,
		rules: await readRules(pool(), modelId, stored.id),
		chosen,
		access: await accessOfLoad(reader, modelId),
		rates: reader.branch && (await readBranchRates(pool(), reader.branch.id)),
		allRows
	});
}

/** How a kept file seems to be written, to be compared with what the import says. */
export async function detectKept(person: SignedIn | undefined, modelId: number, fileId: number, sheet = ''): Promise<Detected> {
	requirePermission(person, 'data.read');
	return askData('detect', { file: await keptFile(modelId, fileId), sheet });
}

export const trialSchema = z.object({
	dimension: z.int(),
	value: z.string().max(500),
	row: z.record(z.string(), z.string().max(500)).default({})
});

/** Which lines of an import's map a typed value meets, the winner first. */
export async function tryValue(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	{ dimension, value, row }: z.infer<typeof trialSchema>
): Promise<{ lines: number[] }> {
	requirePermission(person, 'data.read');
	const stored = await readStoredImport(pool(), modelId, code);
	const rule = (await readRules(pool(), modelId, stored.id)).find((each) => each.dimension === dimension);
	if (rule?.from !== 'column') throw new Fault(422, 'no map', 'This dimension has no map here.');
	// The typed value stands for the rule's own column too, where a joint line asks for it.
	const at = (column: string) => row[column] ?? (rule.columns.length === 1 && column === rule.columns[0] ? value : '');
	return { lines: matchingLines(rule.lines, value, at).map(({ id }) => id) };
}

export const newMemberSchema = z.object({
	dimension: z.int(),
	value: z.string().min(1).max(100),
	name: z.string().trim().min(1).max(200),
	parent: z.int().nullable()
});

/** Makes a member for a source value that has none, and the map line that leads to it. */
export async function createMember(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	{ dimension, value, name, parent }: z.infer<typeof newMemberSchema>
): Promise<ActOutcome> {
	requirePermission(person, 'data.write');
	requirePermission(person, 'structure.write');
	const stored = await readStoredImport(pool(), modelId, code);
	const rule = (await readRules(pool(), modelId, stored.id)).find((each) => each.dimension === dimension);
	if (rule?.from !== 'column' || rule.map === null) throw new Fault(422, 'no map', 'This dimension has no map here.');
	const found = await pool().query<{ code: string }>('SELECT code FROM dimension WHERE id = $1', [dimension]);
	const memberCode = value.trim();
	const outcome = await editMembers(person, modelId, found.rows[0]!.code, {
		edits: [{ act: 'add', code: memberCode, name, parent }],
		handOver: {}
	});
	const made = await pool().query<{ id: number }>('SELECT id FROM member WHERE dimension_id = $1 AND code = $2', [dimension, memberCode]);
	await editImport(person, modelId, code, {
		act: 'add lines',
		map: rule.map,
		lines: [{ terms: { kind: 'single', value }, member: made.rows[0]!.id, skip: false, reverseSign: neighboursReverse(value, rule.lines) }],
		before: null
	});
	return outcome;
}
