/** A column of formulas among pasted rows of accounts. */
import type pg from 'pg';
import { addsUp, Model, ScriptNames } from '../../core';
import { transaction } from '../database';
import { lockModel } from '../database/change-set';
import { readModelDefinition } from '../database/definitions';
import { guardClosed } from '../locks';
import { Fault } from '../fault';
import { refuseBrokenModel } from './act';
import { draftsOf, modelOf, readDrafts, replaceFormulas, type FormulaDraft } from './formulas';
import { countUpStructure } from '../database/structure-version';
import { writeJournal, type JournalObject } from '../definition/journal';

/** A row's formula; an empty cell leaves what stands. */
export interface FormulaRow {
	/** As in the grid: the heading is row 1. */
	row: number;
	code: string;
	text: string;
}

const HEADING = /^\s*(live\s+)?formulas?\s*$/i;

/** Whether a heading names the column of formulas. */
export const isFormulaHeading = (heading: string): boolean => HEADING.test(heading);

/** The formulas of a pasted grid, its heading first. */
export function formulaRows(grid: readonly (readonly string[])[]): FormulaRow[] {
	const [heading = [], ...rows] = grid;
	const [code, formula] = [heading.findIndex((cell) => /^\s*(code|id|key|number|no)\s*$/i.test(cell)), heading.findIndex(isFormulaHeading)];
	if (code < 0 || formula < 0) return [];
	return rows.flatMap((cells, index) => {
		// Exports guard what a spreadsheet would work out; people write an equals sign from habit.
		const text = (cells[formula] ?? '')
			.trim()
			.replace(/^'(?=[=+\-@])/, '')
			.replace(/^=\s*/, '');
		return text === '' ? [] : [{ row: index + 2, code: (cells[code] ?? '').trim(), text }];
	});
}

/** What a formula would change, or why it cannot be kept. */
export interface FormulaChange {
	row: number;
	before: string;
	after: string;
	fault?: string;
}

/**
 * Puts formulas to accounts that are stored already. An account keeps when and where its formula holds; a new one is
 * worked out per leaf where the account adds up, from totals where it does not.
 * @returns what is different; nothing is written where one of them has a fault
 */
export async function putFormulas(client: pg.PoolClient, modelId: number, rows: readonly FormulaRow[]): Promise<FormulaChange[]> {
	const model = await modelOf(client, modelId);
	const names = new ScriptNames(model);
	const byCode = new Map(model.accounts.members.map((member, ordinal) => [member.code, ordinal]));
	const changes: FormulaChange[] = [];
	for (const { row, code, text } of rows) {
		const ordinal = byCode.get(code);
		if (ordinal === undefined) continue;
		const account = model.accounts.member(ordinal).id;
		const standing = await draftsOf(client, model, account);
		if (standing.length === 1 && standing[0]!.text === text) continue;
		const change: FormulaChange = { row, before: standing.map((each) => each.text).join('; '), after: text };
		changes.push(change);
		if (standing.length > 1) {
			change.fault = 'This account has several formulas, each with its scope. Change them in its details.';
			continue;
		}
		const fresh: FormulaDraft = {
			text,
			timing: addsUp(model, ordinal) ? 'per leaf' : 'after totals',
			scenarios: null,
			from: null,
			to: null,
			mayBeTyped: false
		};
		try {
			await replaceFormulas(client, model, account, readDrafts(model, names, account, [{ ...(standing[0] ?? fresh), text }]));
		} catch (error) {
			if (!(error instanceof Fault)) throw error;
			change.fault = `Formula: ${error.message}`;
		}
	}
	if (changes.length > 0 && changes.every(({ fault }) => fault === undefined)) {
		// Two that read each other are found when all of them stand.
		const whole = await wholeModel(client, modelId);
		if (typeof whole === 'string') {
			changes.at(-1)!.fault = `Formula: ${whole}`;
			return changes;
		}
		for (const { row } of changes) {
			const account = whole.accounts.member(byCode.get(rows.find((each) => each.row === row)!.code)!).id;
			try {
				readDrafts(whole, names, account, await draftsOf(client, whole, account));
			} catch (error) {
				if (!(error instanceof Fault)) throw error;
				changes.find((each) => each.row === row)!.fault = `Formula: ${error.message}`;
			}
		}
	}
	return changes;
}

/** The model with all of them, or why it would be none. */
async function wholeModel(client: pg.PoolClient, modelId: number): Promise<Model | string> {
	const definition = (await readModelDefinition(client, modelId))!;
	try {
		return new Model(definition);
	} catch (error) {
		return (error as Error).message;
	}
}

/** Keeps formulas within a change of the structure. @throws Fault 422 naming the first that cannot be kept */
export async function keepFormulas(client: pg.PoolClient, modelId: number, rows: readonly FormulaRow[]): Promise<FormulaChange[]> {
	const changes = await putFormulas(client, modelId, rows);
	const fault = changes.find((change) => change.fault !== undefined);
	if (fault) throw new Fault(422, 'not possible', `Row ${fault.row}: ${fault.fault} Nothing was changed.`);
	if (changes.length > 0) await refuseBrokenModel(client, modelId);
	return changes;
}

/** What the journal keeps of changed formulas. */
export async function formulaObjects(
	client: pg.PoolClient,
	modelId: number,
	rows: readonly FormulaRow[],
	changes: readonly FormulaChange[]
): Promise<JournalObject[]> {
	if (changes.length === 0) return [];
	const model = await modelOf(client, modelId);
	return changes.map(({ row, before, after }) => {
		const { id, name } = model.accounts.members.find(({ code }) => code === rows.find((each) => each.row === row)!.code)!;
		return { kind: 'model', id, name, before: { formula: before }, after: { formula: after } };
	});
}

/** Keeps formulas where the rows changed nothing else, as a change of its own. */
export async function keepFormulasAlone(personId: number, modelId: number, rows: readonly FormulaRow[]): Promise<FormulaChange[]> {
	return transaction(async (client) => {
		await lockModel(client, modelId);
		const changes = await keepFormulas(client, modelId, rows);
		if (changes.length === 0) return changes;
		await writeJournal(client, {
			person: personId,
			modelId,
			dimensionId: (await modelOf(client, modelId)).accounts.id,
			words: `Set ${changes.length} formulas from pasted rows`,
			objects: await formulaObjects(client, modelId, rows, changes)
		});
		await guardClosed(client, modelId, 'formulas from a table');
		await countUpStructure(client, [modelId], 'definition');
		return changes;
	});
}

/** Thrown within a transaction so that nothing of a trial stays. */
export class Tried extends Error {
	constructor(readonly changes: FormulaChange[]) {
		super('tried');
	}
}

/** What formulas would change where the rows change nothing else; nothing stays. */
export const tryFormulas = (modelId: number, rows: readonly FormulaRow[]): Promise<FormulaChange[]> =>
	triedIn(() =>
		transaction(async (client) => {
			throw new Tried(await putFormulas(client, modelId, rows));
		})
	);

/** What a trial found out; what else fails within it leaves nothing to say of formulas. */
export async function triedIn(work: () => Promise<unknown>): Promise<FormulaChange[]> {
	try {
		await work();
		return [];
	} catch (error) {
		if (error instanceof Tried) return error.changes;
		if (error instanceof Fault) return [];
		throw error;
	}
}
