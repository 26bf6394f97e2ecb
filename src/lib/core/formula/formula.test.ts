import { describe, expect, test } from 'vitest';
import { accountsRead, evaluate, print, type BinaryOperator, type Expression } from '.';

const account = (member: number): Expression => ({ kind: 'account', member });
const number = (value: number): Expression => ({ kind: 'number', value });
const binary = (left: Expression, operator: BinaryOperator, right: Expression): Expression => ({ kind: 'binary', operator, left, right });
const empty = account(0);
const valueOf = (expression: Expression) => evaluate(expression, (member) => (member === 0 ? Number.NaN : member));

describe('evaluation', () => {
	test.each<[string, Expression, number]>([
		['5 + empty', binary(number(5), '+', empty), 5],
		['empty − 5', binary(empty, '-', number(5)), -5],
		['empty × 5', binary(empty, '*', number(5)), Number.NaN],
		['5 ÷ 0', binary(number(5), '/', number(0)), Number.NaN],
		['5 ÷ empty', binary(number(5), '/', empty), Number.NaN],
		['empty ÷ 5', binary(empty, '/', number(5)), Number.NaN],
		['empty + empty', binary(empty, '+', empty), Number.NaN],
		['−(2 + 3)', { kind: 'negative', of: binary(account(2), '+', account(3)) }, -5]
	])('%s', (_, expression, wanted) => expect(valueOf(expression)).toEqual(wanted));
});

test('a formula declares what it reads, each account once', () =>
	expect([...accountsRead(binary(account(4), '/', binary(account(7), '+', account(4))))].sort()).toEqual([4, 7]));

describe('printing uses today’s names and no more brackets than needed', () => {
	const names = ['Empty', 'Sales', 'Fuel litres', 'Cost'];
	test.each<[Expression, string]>([
		[binary(account(1), '/', account(2)), 'Sales / "Fuel litres"'],
		[binary(account(1), '*', binary(account(3), '+', number(2))), 'Sales * (Cost + 2)'],
		[binary(account(1), '-', binary(account(3), '-', number(2))), 'Sales - (Cost - 2)'],
		[binary(binary(account(1), '-', account(3)), '-', number(2)), 'Sales - Cost - 2'],
		[{ kind: 'negative', of: binary(account(1), '+', account(3)) }, '-(Sales + Cost)']
	])('%#', (expression, wanted) => expect(print(expression, (member) => names[member]!)).toBe(wanted));
});
