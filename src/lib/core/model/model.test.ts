import { describe, expect, test } from 'vitest';
import { buildModel, type MemberSketch } from '../testing';
import type { AccountRead, Expression } from '../formula';
import { continuationOf, factPeriod, Model } from '.';

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

test('a later set of rates serves from its first month on, the month before keeps the one before', () => {
	const definition = {
		...model.definition,
		rateSets: [1, 2].map((id) => ({ id, name: `set ${id}`, pivot: 'EUR', rates: [] })),
		scenarios: model.definition.scenarios.map((scenario) => ({
			...scenario,
			rateSet: 1,
			laterRates: [{ from: model.periods.dimension.member(model.periods.leaf(2).ordinal).id, rateSet: 2 }]
		}))
	};
	const later = new Model(definition);
	expect([0, 1, 2, 3].map((period) => later.rateSetAt(0, period))).toEqual([1, 1, 2, 2]);
});

test('a fact of all time is judged by the last period its scenario speaks about, or the last there is', () => {
	expect(factPeriod(model, [0, 0])).toBe(5);
	expect(factPeriod(model, [0, 99])).toBe(model.periods.leaves.length - 1);
});

test('members of two dimensions cannot say what they are in a balance', () => {
	const sketch = buildModel({
		accounts: [{ code: 'cash', account: {} }],
		scenarios: [{ code: 'plan' }],
		general: { flow: [{ code: 'OP' }, { code: 'CL' }], route: [{ code: 'r1' }] }
	});
	const member = (dimension: string, code: string) =>
		sketch.definition.dimensions.find((each) => each.code === dimension)!.members.find((each) => each.code === code)!.id;
	const roles =
		(...members: number[]) =>
		() =>
			new Model({
				...sketch.definition,
				balanceRoles: members.map((id, index) => ({ member: id, role: index === 0 ? 'opening' : 'closing' }))
			});
	expect(roles(member('flow', 'OP'), member('flow', 'CL'))).not.toThrow();
	expect(roles(member('flow', 'OP'), member('route', 'r1'))).toThrow('Members of one dimension only say opening, movement or closing.');
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
	test('formulas of one account with disjoint scenarios stand beside each other; where they meet the model is refused', () => {
		const base = build([{ code: 'fuel', account: {}, perLeaf: { scenario: 'plan' }, formula: product('litres', 'price') }])();
		const [formula] = base.definition.formulas;
		const inScenario = (scenario: number) => ({ ...formula!, scope: { scenarios: [base.scenarios.member(scenario).id] } });
		const { live } = new Model({ ...base.definition, formulas: [inScenario(0), inScenario(1)] });
		expect(live.at(2, 0, 0)).not.toBe(live.at(2, 1, 0));
		expect(() => new Model({ ...base.definition, formulas: [inScenario(0), inScenario(0)] })).toThrow('meet in the same scenario');
	});
	test('that look back at each other have their cells where the drivers of either have theirs', () => {
		const read = (account: (code: string) => Expression, code: string, by = 0): Expression =>
			by === 0 ? account(code) : { ...(account(code) as AccountRead), shift: { level: 'month', by } };
		const plus = (left: Expression, right: Expression): Expression => ({ kind: 'binary', operator: '+', left, right });
		const { live, accounts } = build([
			{ code: 'one', account: {}, perLeaf: {}, formula: (account) => plus(read(account, 'litres'), read(account, 'two', -1)) },
			{ code: 'two', account: {}, perLeaf: {}, formula: (account) => plus(read(account, 'price'), read(account, 'three', -1)) },
			{ code: 'three', account: {}, perLeaf: {}, formula: (account) => plus(read(account, 'one', -1), read(account, 'one', -2)) }
		])();
		for (const { drivers } of live.ordered)
			expect(drivers.map((account) => accounts.member(account).code)).toEqual(expect.arrayContaining(['litres', 'price']));
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
			'a does not add up, so its formula is to be computed from totals.'
		]
	])('%s is refused', (_, accounts, message) => expect(build(accounts)).toThrow(message));
});
