import type pg from 'pg';
import { Model, namesOfModel, readExpression, ScriptNames, type Expression } from '../../core';
import { readModelDefinition } from '../database/definitions';
import { Fault } from '../fault';
import type { ModelPackage, PackedExpression } from '../definition/package-format';
import type { Made, MemberOf } from './made';

function unpackExpression(
	expression: PackedExpression,
	account: (code: string) => number,
	made: ReadonlyMap<string, Made>,
	memberOf: MemberOf
): Expression {
	switch (expression.kind) {
		case 'number':
			return expression;
		case 'account':
			return {
				kind: 'account',
				member: account(expression.account),
				...(expression.at && { at: Object.fromEntries(expression.at.map((place) => [made.get(place.dimension)!.id, memberOf(place)])) })
			};
		case 'negative':
			return { kind: 'negative', of: unpackExpression(expression.of, account, made, memberOf) };
		case 'binary':
			return {
				...expression,
				left: unpackExpression(expression.left, account, made, memberOf),
				right: unpackExpression(expression.right, account, made, memberOf)
			};
		default:
			return expression satisfies never;
	}
}

/** Formulas as they were written, read with the new model's names. @throws Fault 422 naming the one that cannot be read */
export async function createFormulas(
	client: pg.PoolClient,
	modelId: number,
	packed: ModelPackage,
	made: ReadonlyMap<string, Made>,
	memberOf: MemberOf
): Promise<void> {
	if (packed.formulas.length === 0) return;
	const keyOf = (kind: string) => packed.dimensions.find((dimension) => dimension.kind === kind)!.key;
	const of = (kind: string) => (member: string) => memberOf({ dimension: keyOf(kind), member });
	const [account, scenario, period] = [of('account'), of('scenario'), of('period')];
	const names = new ScriptNames(new Model((await readModelDefinition(client, modelId))!));
	for (const { account: on, timing, text, expression, scope, mayBeTyped } of packed.formulas) {
		const read = text === undefined ? undefined : readExpression(text, namesOfModel(names));
		if (read && 'fault' in read) throw new Fault(422, 'not understood', `formulas.json, the formula of ${on}: ${read.fault.message}`);
		if (!read && !expression) throw new Fault(422, 'not understood', `formulas.json: the formula of ${on} says nothing.`);
		await client.query(
			'INSERT INTO formula (model_id, account_id, timing, expression, script, scope, may_be_typed) VALUES ($1, $2, $3, $4, $5, $6, $7)',
			[
				modelId,
				account(on),
				timing,
				JSON.stringify(read ? read.expression : unpackExpression(expression!, account, made, memberOf)),
				read ? JSON.stringify({ text, names: read.names }) : null,
				scope
					? JSON.stringify({
							...(scope.scenarios && { scenarios: scope.scenarios.map(scenario) }),
							...(scope.from !== undefined && { from: period(scope.from) }),
							...(scope.to !== undefined && { to: period(scope.to) }),
							...(scope.within && { within: scope.within })
						})
					: null,
				mayBeTyped ?? false
			]
		);
	}
}
