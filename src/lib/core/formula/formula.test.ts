import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
	accountsRead,
	compileVectors,
	domainAccounts,
	evaluate,
	inDomain,
	print,
	type AccountRead,
	type BinaryOperator,
	type Expression
} from '.';

const account = (member: number): Expression => ({ kind: 'account', member });
/** Read at member 9 of dimension 8. */
const elsewhere = (member: number): Expression => ({ kind: 'account', member, at: { 8: 9 } });
const number = (value: number): Expression => ({ kind: 'number', value });
const binary = (left: Expression, operator: BinaryOperator, right: Expression): Expression => ({ kind: 'binary', operator, left, right });
const empty = account(0);
const valueOf = (expression: Expression) => evaluate(expression, ({ member }) => (member === 0 ? Number.NaN : member));

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
	])('%#', (expression, wanted) => expect(print(expression, { member: (member) => names[member]! })).toBe(wanted));
	test('a fixed place stands in braces', () =>
		expect(
			print(binary(account(1), '*', elsewhere(2)), {
				member: (member, dimension) => (dimension === 8 ? 'No route' : names[member]!),
				dimension: () => 'Route'
			})
		).toBe('Sales * "Fuel litres"{Route: "No route"}'));
});

describe('where a per-leaf formula has cells', () => {
	const has =
		(...members: number[]) =>
		({ member }: AccountRead) =>
			members.includes(member) ? member : Number.NaN;
	test.each<[string, Expression, number[], boolean]>([
		['a product where both sides have values', binary(account(1), '*', account(2)), [1, 2], true],
		['not where one is empty', binary(account(1), '*', account(2)), [1], false],
		['a sum where either has', binary(account(1), '+', account(2)), [2], true],
		['a constant widens nothing', binary(account(1), '+', number(5)), [2], false],
		['a constant factor neither', binary(number(2), '*', account(1)), [1], true],
		['a constant alone has no place', number(5), [1], false],
		['a price read elsewhere is a factor like a constant', binary(account(1), '*', elsewhere(2)), [1], true],
		['and widens no sum', binary(account(1), '+', elsewhere(2)), [2], false]
	])('%s', (_, expression, members, wanted) => expect(inDomain(expression, has(...members))).toBe(wanted));
	test('is looked for at as few accounts as serve', () => {
		expect([...domainAccounts(binary(binary(account(1), '+', account(2)), '*', account(3)))]).toEqual([3]);
		expect([...domainAccounts(binary(account(1), '-', account(2)))]).toEqual([1, 2]);
		expect(domainAccounts(binary(number(1), '+', number(2))).size).toBe(0);
	});
	test('columns give what cell by cell gives', () => {
		const tree = fc.letrec<{ expression: Expression }>((tie) => ({
			expression: fc.oneof(
				{ maxDepth: 3 },
				fc.integer({ min: 1, max: 4 }).map(account),
				fc.integer({ min: 1, max: 4 }).map(elsewhere),
				fc.integer({ min: -3, max: 3 }).map(number),
				tie('expression').map((of): Expression => ({ kind: 'negative', of })),
				fc
					.tuple(tie('expression'), fc.constantFrom<BinaryOperator>('+', '-', '*', '/'), tie('expression'))
					.map(([left, operator, right]) => binary(left, operator, right))
			)
		})).expression;
		const column = fc.array(fc.oneof(fc.constant(Number.NaN), fc.integer({ min: -5, max: 5 })), { minLength: 8, maxLength: 8 });
		fc.assert(
			fc.property(tree, column, (expression, values) => {
				fc.pre(domainAccounts(expression).size > 0);
				const place = ({ member, at }: AccountRead) => member - 1 + (at ? 4 : 0);
				const read = (operand: AccountRead) => values[place(operand)]!;
				const compiled = compileVectors(expression, place, 2);
				const wanted = inDomain(expression, read) ? evaluate(expression, read) : Number.NaN;
				const found = compiled(
					values.map((value) => Float64Array.of(1, value)),
					2
				)[1];
				// Outside its domain a column is empty; inside it both say the same.
				if (inDomain(expression, read)) expect(found === 0 ? 0 : found).toEqual(wanted === 0 ? 0 : wanted);
				else expect(found).toBeNaN();
			}),
			{ numRuns: 500 }
		);
	});
});
