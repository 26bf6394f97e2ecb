import { namesOfModel, readExpression, ScriptNames, type Expression } from '../../../core';
import { formulasByAccount, type PackedAccountFormulas } from '../../definition/package-differences';
import type { PackedExpression } from '../../definition/package-format';
import { countUpStructure } from '../../database/structure-version';
import { Fault } from '../../fault';
import type { Scene } from '../scene';
import type { Part } from './part';

/** Formulas as they were written, read with the model's names. */
export const formulasPart: Part<PackedAccountFormulas> = {
	what: 'formulas of',
	items: ({ formulas }) => formulasByAccount(formulas),
	nameOf: ({ account }) => account,
	async put(scene, { account, formulas }) {
		const member = memberOfKind(scene, 'account', account);
		const names = new ScriptNames(await scene.model());
		await drop(scene, member);
		for (const { timing, text, expression, scope, mayBeTyped } of formulas) {
			const read = text === undefined ? undefined : readExpression(text, namesOfModel(names));
			if (read && 'fault' in read)
				throw new Fault(422, 'not understood', `formulas.json, the formula of ${account}: ${read.fault.message}`);
			if (!read && !expression) throw new Fault(422, 'not understood', `formulas.json: the formula of ${account} says nothing.`);
			await scene.client.query(
				'INSERT INTO formula (model_id, account_id, timing, expression, script, scope, may_be_typed) VALUES ($1, $2, $3, $4, $5, $6, $7)',
				[
					scene.modelId,
					member,
					timing,
					JSON.stringify(read ? read.expression : unpackExpression(scene, expression!)),
					read ? JSON.stringify({ text, names: read.names }) : null,
					scope
						? JSON.stringify({
								...(scope.scenarios && { scenarios: scope.scenarios.map((code) => memberOfKind(scene, 'scenario', code)) }),
								...(scope.from !== undefined && { from: memberOfKind(scene, 'period', scope.from) }),
								...(scope.to !== undefined && { to: memberOfKind(scene, 'period', scope.to) }),
								...(scope.within && { within: scope.within })
							})
						: null,
					mayBeTyped ?? false
				]
			);
		}
		await countUpStructure(scene.client, [scene.modelId], 'definition');
		return { kind: 'formula', id: member };
	},
	async remove(scene, { account }) {
		const member = memberOfKind(scene, 'account', account);
		await drop(scene, member);
		await countUpStructure(scene.client, [scene.modelId], 'definition');
		return { kind: 'formula', id: member };
	}
};

const drop = ({ client, modelId }: Scene, account: number) =>
	client.query('DELETE FROM formula WHERE model_id = $1 AND account_id = $2', [modelId, account]);

const memberOfKind = (scene: Scene, kind: 'account' | 'scenario' | 'period', member: string): number =>
	scene.memberOf({ dimension: scene.ofKind(kind).key, member });

function unpackExpression(scene: Scene, expression: PackedExpression): Expression {
	switch (expression.kind) {
		case 'number':
			return expression;
		case 'account':
			return {
				kind: 'account',
				member: memberOfKind(scene, 'account', expression.account),
				...(expression.at && {
					at: Object.fromEntries(expression.at.map((place) => [scene.dimensions.get(place.dimension)!.id, scene.memberOf(place)]))
				})
			};
		case 'negative':
			return { kind: 'negative', of: unpackExpression(scene, expression.of) };
		case 'binary':
			return { ...expression, left: unpackExpression(scene, expression.left), right: unpackExpression(scene, expression.right) };
		default:
			return expression satisfies never;
	}
}
