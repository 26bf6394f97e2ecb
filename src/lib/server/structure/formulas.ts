import type pg from 'pg';
import { z } from 'zod';
import {
	Model,
	namesOfModel,
	print,
	printScript,
	readExpression,
	readsOf,
	ScriptNames,
	type Expression,
	type FormulaDefinition,
	type FormulaScope,
	type StoredScript
} from '../../core';
import { pool, transaction, type Database } from '../database';
import { lockModel } from '../database/change-set';
import { readModelDefinition } from '../database/definitions';
import { askEngine, type ScriptCheck, type Vocabulary } from '../engine';
import { Fault, notFound } from '../fault';
import { guardClosed } from '../locks';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel } from './act';
import type { Use } from '../definition/naming';
import { usesToldTo } from './used';
import { countUpStructure, modelVersions } from '../database/structure-version';
import { writeJournal } from '../definition/journal';

const id = z.number().int();
const draftSchema = z.object({
	text: z.string().max(20_000),
	timing: z.enum(['per leaf', 'after totals']),
	/** Where it stands, per leaf: scenarios, first and last period (member ids); null: all of them. */
	scenarios: z.array(id).max(1_000).nullable(),
	from: id.nullable(),
	to: id.nullable(),
	/** Per leaf: only in the first period of each fiscal year, or in all others. */
	within: z.enum(['first period of the year', 'later periods of the year']).optional(),
	/** Per leaf: whether figures may be typed there, and then stand above the result. */
	mayBeTyped: z.boolean()
});
/** A live formula as text with today's names, and where it stands. */
export type FormulaDraft = z.infer<typeof draftSchema>;

/** An account, and why it is named. */
export interface Neighbour {
	id: number;
	name: string;
}

/** What an account's figures are made of by live formulas, and what they go into. */
export interface AccountFormulas {
	formulas: FormulaDraft[];
	/** Accounts its formulas read, and accounts whose formulas read it. */
	feeds: Neighbour[];
	fed: Neighbour[];
	/** Runbooks that name it. */
	runbooks: Use[];
	/** What a scope may name. */
	scenarios: (Neighbour & {
		/** The period (id) from which figures are planned in it; null where nothing is. */
		opens: number | null;
	})[];
	periods: Neighbour[];
}

/** The live formulas of an account, with what they read and what reads them. */
export async function readFormulas(person: SignedIn | undefined, modelId: number, account: number): Promise<AccountFormulas> {
	const reader = requirePermission(person, 'structure.read');
	const model = await modelOf(pool(), modelId);
	const ordinal = model.accounts.ordinal(account);
	if (ordinal === undefined) throw notFound('account');
	const named = (members: Iterable<number>): Neighbour[] =>
		[...new Set(members)].flatMap((member) => {
			const found = model.accounts.ordinal(member);
			return found === undefined ? [] : [{ id: member, name: model.accounts.member(found).name }];
		});
	const reads = ({ expression }: FormulaDefinition) => readsOf(expression).map(({ member }) => member);
	const own = model.definition.formulas.filter((each) => each.account === account);
	return {
		formulas: await draftsOf(pool(), model, account),
		feeds: named(own.flatMap(reads)),
		fed: named(model.definition.formulas.filter((each) => reads(each).includes(account)).map((each) => each.account)),
		runbooks: (await usesToldTo(pool(), reader.id, model.accounts.id, account)).filter(({ kind }) => kind === 'runbook'),
		scenarios: model.scenarios.members.map(({ id: member, name }, scenario) => ({
			id: member,
			name,
			opens: model.scenario(scenario)?.definition.entryFrom ?? null
		})),
		periods: model.periods.leaves.map((leaf) => {
			const { id: member, name } = model.periods.dimension.member(leaf.ordinal);
			return { id: member, name };
		})
	};
}

export const formulaTextSchema = z.object({
	text: z.string().max(20_000),
	/** The account it is for, and all its formulas as they would be: whether they could be kept is said too. */
	keep: z.object({ account: id, formulas: z.array(draftSchema).max(20) }).optional()
});

/** What is wrong with a formula that is being written. */
export async function checkFormulaText(
	person: SignedIn | undefined,
	modelId: number,
	{ text, keep }: z.infer<typeof formulaTextSchema>
): Promise<Pick<ScriptCheck, 'faults'> & { refused: string | null }> {
	requirePermission(person, 'structure.read');
	const { structure } = await modelVersions(pool(), modelId);
	const { faults } = await askEngine(modelId, 'checkFormula', { structure, text });
	return { faults, refused: faults.length === 0 && keep ? await whyNotKept(modelId, keep.account, keep.formulas) : null };
}

/** Why formulas of an account could not be kept, tried in a transaction that is rolled back; null where they could. */
async function whyNotKept(modelId: number, account: number, formulas: readonly FormulaDraft[]): Promise<string | null> {
	const nothingStays = new Error('nothing stays');
	try {
		await transaction(async (client) => {
			const model = await modelOf(client, modelId);
			if (model.accounts.ordinal(account) === undefined) throw notFound('account');
			await replaceFormulas(client, model, account, readDrafts(model, new ScriptNames(model), account, formulas));
			await refuseBrokenModel(client, modelId);
			throw nothingStays;
		});
	} catch (error) {
		if (error instanceof Fault) return error.message;
		if (error !== nothingStays) throw error;
	}
	return null;
}

/** The names that may stand in a formula. */
export async function formulaVocabulary(person: SignedIn | undefined, modelId: number): Promise<Vocabulary> {
	requirePermission(person, 'structure.read');
	const { structure } = await modelVersions(pool(), modelId);
	return askEngine(modelId, 'vocabulary', { structure });
}

export const formulaSchema = z.object({ account: id, formulas: z.array(draftSchema).max(20), was: z.array(draftSchema).max(20) });

/**
 * Sets the live formulas of an account: per leaf, each in its scope, or one from totals. None takes them away.
 * @throws Fault 422 with the position of the first fault, 409 when they were changed meanwhile
 */
export async function setFormulas(
	person: SignedIn | undefined,
	modelId: number,
	{ account, formulas, was }: z.infer<typeof formulaSchema>
): Promise<AccountFormulas> {
	const writer = requirePermission(person, 'structure.write');
	await transaction(async (client) => {
		await lockModel(client, modelId);
		const model = await modelOf(client, modelId);
		const ordinal = model.accounts.ordinal(account);
		if (ordinal === undefined) throw notFound('account');
		const name = model.accounts.member(ordinal).name;
		const standing = await draftsOf(client, model, account);
		if (JSON.stringify(standing) !== JSON.stringify(was))
			throw new Fault(409, 'conflict', `The formula of “${name}” was changed meanwhile: it is ${inShort(standing) || 'empty'} now.`);
		await replaceFormulas(client, model, account, readDrafts(model, new ScriptNames(model), account, formulas));
		await refuseBrokenModel(client, modelId);
		await guardClosed(client, modelId, `the formula of “${name}”`);
		const now = await draftsOf(client, await modelOf(client, modelId), account);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: model.accounts.id,
			words: now.length > 0 ? `Set the formula of “${name}”` : `Took away the formula of “${name}”`,
			objects: [{ kind: 'model', id: account, name, before: { formula: inShort(standing) }, after: { formula: inShort(now) } }]
		});
		await countUpStructure(client, [modelId], 'definition');
	});
	return readFormulas(person, modelId, account);
}

/** Formulas read with a model's names. @throws Fault 422 with the position of the first fault, or a circle */
export function readDrafts(model: Model, names: ScriptNames, account: number, formulas: readonly FormulaDraft[]) {
	const ordinal = model.accounts.ordinal(account)!;
	const read = formulas.map((draft, place) => {
		const found = readExpression(draft.text, namesOfModel(names));
		if ('fault' in found)
			throw new Fault(
				422,
				'not possible',
				`${formulas.length > 1 ? `Formula ${place + 1}: at` : 'At'} character ${found.fault.from + 1}: ${found.fault.message}`,
				{ at: found.fault.from, message: found.fault.message }
			);
		return { ...draft, ...found };
	});
	if (read.some(({ timing }) => timing === 'after totals') && read.length > 1)
		throw new Fault(422, 'not possible', 'A formula from totals stands alone: it holds in all scenarios and periods.');
	if (read.length > 0 && !model.account(ordinal))
		throw new Fault(422, 'not possible', `“${model.accounts.member(ordinal).name}” only groups others. Give it a kind first.`);
	for (const { timing, expression } of read) if (timing === 'after totals') refuseCircle(model, account, expression);
	return read;
}

/** Puts formulas in the place of those an account has. */
export async function replaceFormulas(
	client: pg.PoolClient,
	model: Model,
	account: number,
	formulas: ReturnType<typeof readDrafts>
): Promise<void> {
	await client.query('DELETE FROM formula WHERE model_id = $1 AND account_id = $2', [model.definition.id, account]);
	for (const { timing, expression, text, names: uses, scenarios, from, to, within, mayBeTyped } of formulas) {
		const scope: FormulaScope = {
			...(scenarios && { scenarios }),
			...(from !== null && { from }),
			...(to !== null && { to }),
			...(within && { within })
		};
		const script: StoredScript = { text: text.trim(), names: uses.map((use) => ({ ...use, ...trimmed(text, use) })) };
		await client.query(
			'INSERT INTO formula (model_id, account_id, timing, expression, script, scope, may_be_typed) VALUES ($1, $2, $3, $4, $5, $6, $7)',
			[
				model.definition.id,
				account,
				timing,
				JSON.stringify(expression),
				JSON.stringify(script),
				timing === 'per leaf' && Object.keys(scope).length > 0 ? JSON.stringify(scope) : null,
				timing === 'per leaf' && mayBeTyped
			]
		);
	}
}

const trimmed = (text: string, { from, to }: { from: number; to: number }) => {
	const gone = text.length - text.trimStart().length;
	return { from: from - gone, to: to - gone };
};

const inShort = (drafts: readonly FormulaDraft[]): string => drafts.map(({ text }) => text).join('; ');

export async function modelOf(database: Database, modelId: number): Promise<Model> {
	const definition = await readModelDefinition(database, modelId);
	if (!definition) throw notFound('model');
	return new Model(definition);
}

/** The formulas of an account as they are shown and changed. */
export async function draftsOf(database: Database, model: Model, account: number): Promise<FormulaDraft[]> {
	const found = await database.query<{
		timing: FormulaDraft['timing'];
		expression: Expression;
		script: StoredScript | null;
		scope: FormulaScope | null;
		mayBeTyped: boolean;
	}>(
		'SELECT timing, expression, script, scope, may_be_typed AS "mayBeTyped" FROM formula WHERE model_id = $1 AND account_id = $2 ORDER BY id',
		[model.definition.id, account]
	);
	return found.rows.map(({ timing, expression, script, scope, mayBeTyped }) => ({
		text: script ? printScript(model, script) : inNames(model, expression),
		timing,
		scenarios: scope?.scenarios ? [...scope.scenarios] : null,
		from: scope?.from ?? null,
		to: scope?.to ?? null,
		...(scope?.within && { within: scope.within }),
		mayBeTyped
	}));
}

/** The formulas of all accounts that have just one, as text with today's names. */
export async function formulasInText(modelId: number): Promise<Map<number, string>> {
	const model = await modelOf(pool(), modelId);
	const found = new Map<number, string>();
	for (const account of new Set(model.definition.formulas.map((each) => each.account))) {
		const drafts = await draftsOf(pool(), model, account);
		if (drafts.length === 1) found.set(account, drafts[0]!.text);
	}
	return found;
}

/** An expression as text with today's names. */
export function inNames(model: Model, expression: Expression): string {
	return print(expression, {
		member: (member, dimension = model.accounts.id) => {
			const found = model.dimension(dimension);
			const ordinal = found?.ordinal(member);
			return found && ordinal !== undefined ? found.member(ordinal).name : 'a member that is gone';
		},
		dimension: (dimension) => model.dimension(dimension)?.name ?? 'a dimension that is gone'
	});
}

/** A formula from totals must not lead back to its own account. */
function refuseCircle(model: Model, account: number, expression: Expression): void {
	const nameOf = (member: number) => model.accounts.member(model.accounts.ordinal(member)!).name;
	const formulaOf = (member: number) =>
		member === account
			? expression
			: model.definition.formulas.find((each) => each.account === member && each.timing === 'after totals')?.expression;
	const visit = (member: number, path: readonly number[]): void => {
		if (path.includes(member))
			throw new Fault(
				422,
				'not possible',
				`Formulas run in a circle: ${[...path.slice(path.indexOf(member)), member].map(nameOf).join(' → ')}.`
			);
		const reads = formulaOf(member);
		if (reads) for (const read of readsOf(reads)) visit(read.member, [...path, member]);
	};
	visit(account, []);
}
