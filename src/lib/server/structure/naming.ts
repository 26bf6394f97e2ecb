import { mapExpression, membersIn, type Expression, type StoredScript } from '../../core';
import { modelsOf } from '../definition/models';
import { amongBy, usesBy, type NamesMembers } from '../definition/naming';
import { chosenAmong } from './chosen';
import { countNumbers } from './count-numbers';

/** Facts of accounts and scenarios, and variables. */
export const factsNaming: NamesMembers = {
	uses: usesBy(
		`SELECT 'account' AS kind, m.name, NULL AS model FROM account a JOIN member m ON m.id = a.member_id WHERE a.weighed_by = $1
		UNION SELECT 'scenario', m.name, NULL FROM scenario s JOIN member m ON m.id = s.member_id
			WHERE (s.continues_from = $1 OR s.compared_with = $1 OR s.span_from = $1 OR s.span_to = $1 OR s.entry_from = $1 OR s.entry_to = $1)
		UNION SELECT 'variable', v.name, o.code FROM variable v JOIN model o ON o.id = v.model_id WHERE v.member_id = $1`
	),
	among: amongBy(
		`SELECT weighed_by AS id FROM account UNION SELECT member_id FROM variable
		UNION SELECT unnest(ARRAY[continues_from, compared_with, span_from, span_to, entry_from, entry_to]) FROM scenario`
	),
	replace: async (client, { from, to }) => {
		await client.query('UPDATE account SET weighed_by = $2 WHERE weighed_by = $1', [from, to]);
		for (const column of ['continues_from', 'compared_with'] as const)
			await client.query(`UPDATE scenario SET ${column} = nullif($2::integer, member_id) WHERE ${column} = $1`, [from, to]);
		await client.query('UPDATE variable SET member_id = $2 WHERE member_id = $1', [from, to]);
	}
};

/** Live formulas: the accounts they stand on, and what they read. */
export const formulaNaming: NamesMembers = {
	uses: async (database, _, member) => {
		const found = await database.query<{ account: number; name: string; expression: Expression }>(
			'SELECT f.account_id AS account, m.name, f.expression FROM formula f JOIN member m ON m.id = f.account_id'
		);
		return found.rows.flatMap(({ account, name, expression }) =>
			account === member || membersIn(expression).has(member) ? [{ kind: 'formula' as const, name }] : []
		);
	},
	among: async (database, _, members) => {
		const asked = new Set(members);
		const found = await database.query<{ account: number; expression: Expression }>(
			'SELECT account_id AS account, expression FROM formula'
		);
		return found.rows.flatMap(({ account, expression }) => [account, ...membersIn(expression)].filter((id) => asked.has(id)));
	},
	replace: async (client, { from, to }) => {
		const replaced = (member: number) => (member === from ? to : member);
		const found = await client.query<{ id: number; account: number; expression: Expression; script: StoredScript | null }>(
			'SELECT id, account_id AS account, expression, script FROM formula'
		);
		for (const { id, account, expression, script } of found.rows)
			if (account !== from && membersIn(expression).has(from))
				await client.query('UPDATE formula SET expression = $2, script = $3 WHERE id = $1', [
					id,
					JSON.stringify(mapExpression(expression, replaced)),
					script && JSON.stringify({ text: script.text, names: script.names.map((use) => ({ ...use, member: replaced(use.member) })) })
				]);
	}
};

/** Cells that hold a member as their choice. Who replaces one says in whose name: `replaceChoice`. */
export const choiceNaming: NamesMembers = {
	uses: async (database, dimension, member) =>
		(await chosenAmong(database, dimension, [member])).flatMap((chosen) =>
			chosen.member === member ? [{ kind: 'choice' as const, name: chosen.model, count: chosen.count }] : []
		),
	among: async (database, dimension, members) => (await chosenAmong(database, dimension, members)).map(({ member }) => member)
};

/** Numbers that stand at a member. Who moves them says in whose name: `handOverNumbers`. */
export const numberNaming: NamesMembers = {
	uses: async (database, dimension, member) => {
		const uses = [];
		for (const { id, name } of await modelsOf(database, dimension)) {
			const count = await countNumbers(database, id, dimension, [member]);
			if (count > 0) uses.push({ kind: 'numbers' as const, name, count });
		}
		return uses;
	},
	among: async (database, dimension, members) => {
		const period = await database.query("SELECT FROM dimension WHERE id = $1 AND kind = 'period'", [dimension]);
		if (period.rowCount) return [];
		const found = new Set<number>();
		const column = `d${Math.trunc(dimension)}`;
		for (const { id: modelId } of await modelsOf(database, dimension)) {
			const numbers = await database.query<{ id: number }>(
				`SELECT DISTINCT ${column} AS id FROM cells_${Math.trunc(modelId)} WHERE ${column} = ANY ($1::integer[])`,
				[members]
			);
			for (const { id } of numbers.rows) found.add(id);
		}
		return found;
	}
};
