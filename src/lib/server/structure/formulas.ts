import { z } from 'zod';
import { Model, nearest, parseFormula, print, readsOf, type Expression } from '../../core';
import { pool, transaction, type Database } from '../database';
import { lockModel } from '../database/change-set';
import { readModelDefinition } from '../database/definitions';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel, writeJournal } from './act';

/** The live formula of an account as text with today's names; empty when it has none. */
export async function readFormula(person: SignedIn | undefined, modelId: number, account: number): Promise<{ text: string }> {
	requirePermission(person, 'structure.read');
	const model = await modelOf(pool(), modelId);
	const formula = model.definition.formulas.find((each) => each.account === account);
	return { text: formula ? inNames(model, formula.expression) : '' };
}

export const formulaSchema = z.object({ account: z.number().int(), text: z.string().max(4_000), was: z.string().max(8_000) });

/**
 * Sets the live formula of an account, computed from totals; an empty text takes it away.
 * @throws Fault 422 with the position of the first fault, 409 when it was changed meanwhile
 */
export async function setFormula(
	person: SignedIn | undefined,
	modelId: number,
	{ account, text, was }: z.infer<typeof formulaSchema>
): Promise<{ text: string }> {
	const writer = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		await lockModel(client, modelId);
		const model = await modelOf(client, modelId);
		const ordinal = model.accounts.ordinal(account);
		if (ordinal === undefined) throw notFound('account');
		const name = model.accounts.member(ordinal).name;
		const before = model.definition.formulas.find((each) => each.account === account);
		const standing = before ? inNames(model, before.expression) : '';
		if (standing !== was)
			throw new Fault(409, 'conflict', `The formula of “${name}” was changed meanwhile: it is ${standing || 'empty'} now.`);
		let expression: Expression | null = null;
		if (text.trim() !== '') {
			const parsed = parseFormula(text, namesOf(model));
			if ('fault' in parsed)
				throw new Fault(422, 'not possible', `At character ${parsed.fault.at + 1}: ${parsed.fault.message}`, parsed.fault);
			expression = parsed.expression;
			refuseCircle(model, account, expression);
			if (!model.account(ordinal)) throw new Fault(422, 'not possible', `“${name}” only groups others. Give it a kind first.`);
		}
		await client.query('DELETE FROM formula WHERE model_id = $1 AND account_id = $2', [modelId, account]);
		if (expression)
			await client.query("INSERT INTO formula (model_id, account_id, timing, expression) VALUES ($1, $2, 'after totals', $3)", [
				modelId,
				account,
				JSON.stringify(expression)
			]);
		await refuseBrokenModel(client, modelId);
		const now = expression ? inNames(model, expression) : '';
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: model.accounts.id,
			words: expression ? `Set the formula of “${name}”` : `Took away the formula of “${name}”`,
			objects: [{ kind: 'model', id: account, name, before: { formula: standing }, after: { formula: now } }]
		});
		await client.query('UPDATE model SET structure_version = structure_version + 1 WHERE id = $1', [modelId]);
		return { text: now };
	});
}

async function modelOf(database: Database, modelId: number): Promise<Model> {
	const definition = await readModelDefinition(database, modelId);
	if (!definition) throw notFound('model');
	return new Model(definition);
}

function inNames(model: Model, expression: Expression): string {
	const nameOf = (member: number, dimension = model.accounts.id) => {
		const found = model.dimension(dimension)!;
		return found.member(found.ordinal(member)!).name;
	};
	return print(expression, nameOf, (dimension) => model.dimension(dimension)!.name);
}

/** Names by code first, then by name where only one member has it. */
function namesOf(model: Model): Parameters<typeof parseFormula>[1] {
	const find = (dimension: (typeof model)['accounts'], name: string): number | undefined => {
		const byCode = dimension.ordinalOfCode(name);
		if (byCode !== undefined) return dimension.member(byCode).id;
		const named = dimension.members.filter((member) => member.name === name);
		return named.length === 1 ? named[0]!.id : undefined;
	};
	return {
		account: (name) => find(model.accounts, name),
		place: (dimensionName, memberName) => {
			const dimension = model.dimensions.find(({ name, code }) => name === dimensionName || code === dimensionName);
			if (!dimension) return `There is no dimension “${dimensionName}”.`;
			const member = find(dimension, memberName);
			return member === undefined ? `There is no member “${memberName}” in ${dimension.name}.` : { dimension: dimension.id, member };
		},
		nearest: (name) =>
			nearest(
				name,
				model.accounts.members.flatMap((member) => [member.name, member.code])
			)
	};
}

/** A formula must not lead back to its own account. */
function refuseCircle(model: Model, account: number, expression: Expression): void {
	const nameOf = (member: number) => model.accounts.member(model.accounts.ordinal(member)!).name;
	const formulaOf = (member: number) =>
		member === account ? expression : model.definition.formulas.find((each) => each.account === member)?.expression;
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
