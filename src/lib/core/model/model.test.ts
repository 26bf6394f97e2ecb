import { describe, expect, test } from 'vitest';
import { buildModel, type MemberSketch } from '../testing';
import { continuationOf, Model } from '.';

const model = buildModel({
	accounts: [{ code: 'sales', account: {} }],
	scenarios: [
		{ code: 'actual', span: ['2026-04', '2026-09'] },
		{ code: 'outlook', span: ['2026-10', '2027-03'], continues: 'actual' },
		{ code: 'budget', span: ['2027-04', '2028-03'], continues: 'outlook' },
		{ code: 'loop', span: ['2027-04', '2028-03'], continues: 'loop' }
	]
});
const at = (scenario: number, period: number) => {
	const found = continuationOf(model, scenario, period);
	return found && [model.scenarios.member(found.scenario).code, found.crossed];
};

describe('a scenario', () => {
	test('speaks for itself within its span', () => expect(at(2, 12)).toEqual(['budget', false]));
	test('continues from another before it, and that one from a third', () => {
		expect(at(2, 8)).toEqual(['outlook', true]);
		expect(at(2, 3)).toEqual(['actual', true]);
	});
	test('says nothing after its span, before all of them, or in a circle', () => {
		expect(at(0, 6)).toBeUndefined();
		expect(at(3, 3)).toBeUndefined();
	});
});

test('a model without exactly one account, period and scenario dimension is refused', () => {
	const { definition } = model;
	expect(() => new Model({ ...definition, dimensions: definition.dimensions.filter(({ kind }) => kind !== 'scenario') })).toThrow(
		'exactly one scenario dimension; Test has 0'
	);
});

describe('per-leaf formulas', () => {
	const product =
		(left: string, right: string): MemberSketch['formula'] =>
		(account) => ({ kind: 'binary', operator: '*', left: account(left), right: account(right) });
	const build = (accounts: MemberSketch[]) => () =>
		buildModel({
			accounts: [{ code: 'litres', account: {} }, { code: 'price', account: {} }, ...accounts],
			scenarios: [{ code: 'plan' }, { code: 'actual' }]
		});
	test('come after what they read, whatever the order they are given in', () => {
		const { live, accounts } = build([
			{ code: 'bonus', account: {}, perLeaf: {}, formula: product('fuel', 'price') },
			{ code: 'fuel', account: {}, perLeaf: {}, formula: product('litres', 'price') }
		])();
		expect(live.ordered.map(({ account }) => accounts.member(account).code)).toEqual(['fuel', 'bonus']);
		expect(live.readers(0).map(({ account }) => accounts.member(account).code)).toEqual(['fuel', 'bonus']);
	});
	test('stand in their scope and nowhere else', () => {
		const { live } = build([
			{ code: 'fuel', account: {}, perLeaf: { scenario: 'plan', from: '2026-06' }, formula: product('litres', 'price') }
		])();
		expect([live.at(2, 0, 1), live.at(2, 0, 2)?.account, live.at(2, 1, 2)]).toEqual([undefined, 2, undefined]);
	});
	test.each<[string, MemberSketch[], string]>([
		[
			'a circle, with its path',
			[
				{ code: 'a', account: {}, perLeaf: {}, formula: product('b', 'price') },
				{ code: 'b', account: {}, perLeaf: {}, formula: product('a', 'price') }
			],
			'Formulas run in a circle: a → b → a.'
		],
		[
			'no place',
			[{ code: 'a', account: {}, perLeaf: {}, formula: () => ({ kind: 'number', value: 5 }) }],
			'The formula of a says where from, not where to.'
		],
		[
			'an account that does not add up',
			[{ code: 'a', account: { consolidation: 'average' }, perLeaf: {}, formula: product('litres', 'price') }],
			'a does not add up, so its formula is to be computed after totals.'
		]
	])('%s is refused', (_, accounts, message) => expect(build(accounts)).toThrow(message));
});
