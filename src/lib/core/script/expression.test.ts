import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { print, type Expression } from '../formula';
import { Model, type ModelDefinition } from '../model';
import { buildModel } from '../testing';
import { namesOfModel, printScript, readExpression, ScriptNames } from '.';

const model = buildModel({
	accounts: [
		{ code: 'Sales', account: {} },
		{ code: 'Cost', account: {} },
		{ code: 'Fuel litres', account: { valueType: 'quantity' } },
		{ code: 'Bonus month', account: { valueType: 'choice', timeBehaviour: 'none', consolidation: 'none', frequency: 'timeless' } }
	],
	scenarios: [{ code: 'Plan' }, { code: 'Actual' }],
	general: { Route: [{ code: 'All' }, { code: 'No route', parent: 'All' }, { code: 'Central', parent: 'All' }] }
});
/** The same with attributes, and formulas of its own. */
const withFacts = (formulas: ModelDefinition['formulas']) =>
	new Model({
		...model.definition,
		formulas,
		dimensions: model.definition.dimensions.map((dimension) => {
			if (dimension.code !== 'Route') return dimension;
			const [, none, central] = dimension.members.map(({ id }) => id);
			return {
				...dimension,
				attributes: [
					{
						name: 'Region',
						type: 'text' as const,
						values: [
							{ member: none!, value: 'Elsewhere' },
							{ member: central!, value: "Captain's reach" }
						]
					},
					{
						name: 'Nights',
						type: 'yes/no' as const,
						values: [
							{ member: none!, value: false },
							{ member: central!, value: true }
						]
					}
				]
			};
		})
	});
const names = new ScriptNames(model);
const read = (text: string) => readExpression(text, namesOfModel(names));
const expressionOf = (text: string): Expression => {
	const found = read(text);
	if ('fault' in found) throw new Error(found.fault.message);
	return found.expression;
};
const printed = (expression: Expression) =>
	print(expression, {
		member: (member, dimension = model.accounts.id) => {
			const found = model.dimension(dimension)!;
			return found.member(found.ordinal(member)!).name;
		},
		dimension: (dimension) => model.dimension(dimension)!.name
	});

describe('an expression', () => {
	test.each([
		['Sales - Cost * 10%', 'Sales - Cost * 0.1'],
		['-(Sales + Cost) / "Fuel litres"', '-(Sales + Cost) / "Fuel litres"'],
		['Sales - (Cost - 1_200.5) -- what is left', 'Sales - (Cost - 1200.5)'],
		['Sales * Cost{Route: "No route"}', 'Sales * Cost{Route: "No route"}'],
		['previous(Sales) + Sales{Year - 1, Scenario: Actual}', 'Sales{Month - 1} + Sales{scenario: Actual, Year - 1}'],
		['Sales ^ 2 ^ 3', 'Sales ^ 2 ^ 3'],
		['(Sales ^ 2) ^ 3', '(Sales ^ 2) ^ 3'],
		[
			'when Sales > 0 and not Route in leaves of Route then max(Sales, Cost) else coalesce(Cost, 0)',
			'when Sales > 0 and not Route in (leaves of Route) then max(Sales, Cost) else coalesce(Cost, 0)'
		],
		['when Month is "Bonus month" then Sales', 'when period is "Bonus month" then Sales'],
		['when Route is Central or Month >= "Bonus month" then 1 * Sales', 'when Route in (Central) or Month >= "Bonus month" then 1 * Sales']
	])('%s', (text, wanted) => {
		expect(printed(expressionOf(text))).toBe(wanted);
		// Printed and read again it is the same.
		expect(expressionOf(wanted)).toEqual(expressionOf(text));
	});

	test.each([
		[`Route in leaves of Route where Region = "Captain's reach"`, ['Central']],
		["Route in (All where Region = 'Elsewhere', leaves of Route where Region in (Elsewhere))", ['No route']],
		['Route in leaves of Route where Nights = yes', ['Central']],
		['Route in leaves of Route where Region <> Elsewhere except Central', []],
		// What is excepted goes from a parent that stays, too.
		['Route in All except Central', ['No route']],
		['Route in "No route" to Central', ['No route', 'Central']],
		['Route in children of All except "No route"', ['Central']]
	])('%s', (condition, wanted) => {
		const facts = withFacts([]);
		const found = readExpression(`when ${condition} then Sales`, namesOfModel(new ScriptNames(facts)));
		if ('fault' in found) throw new Error(found.fault.message);
		const account = facts.accounts.members.find(({ code }) => code === 'Cost')!.id;
		const [formula] = withFacts([{ account, timing: 'per leaf', expression: found.expression }]).live.ordered;
		const route = facts.dimensions.find(({ code }) => code === 'Route')!;
		const [passes] = formula!.tests.values();
		expect([...passes!.keys()].filter((leaf) => passes![leaf] === 1).map((leaf) => route.member(leaf).code)).toEqual(wanted);
		// Printed and read again it is the same, and a new name is followed.
		const again = readExpression(printed(found.expression), namesOfModel(new ScriptNames(facts)));
		expect(again).toMatchObject({ expression: found.expression });
	});

	test.each([
		['when Route in leaves of Route where Colour = red then Sales', 'Route has no attribute “Colour”.'],
		['when Route in leaves of Route except Centrl then Sales', 'No member “Centrl” in Route. Did you mean “Central”?']
	])('%s is refused', (text, message) => expect(read(text)).toMatchObject({ fault: { message } }));

	test.each([
		['Sale / Cost', 0, 'There is no account “Sale”. Did you mean “Sales”?'],
		['Sales /', 7, 'The formula ends where more was expected.'],
		['(Sales', 6, 'The formula ends where more was expected.'],
		['Sales) + (Cost', 5, 'This bracket closes none that was opened.'],
		['Sales Cost', 6, 'Found “Cost”: this cannot stand here. Is an operator missing before it, or a bracket after what stands before?'],
		['Sales ; Cost', 6, 'Found “;”: this cannot stand here. Is an operator missing before it, or a bracket after what stands before?'],
		['Cost{Route: North}', 5, 'No member “North” in Route.'],
		['Cost{Route: total}', 5, 'A live formula reads leaf cells, no totals. Put what adds up into a runbook.'],
		['Cost{Weak - 1}', 5, '“Weak” is no level of the calendar to shift by. There are Year, Quarter, Month.'],
		['sum(Cost over Route:All)', 0, 'A live formula reads leaf cells, no totals. Put what adds up into a runbook.'],
		['Sales * $growth', 8, 'Parameters belong to runbooks: a formula stands without being asked anything.'],
		[
			'Sales  Cost = 2',
			7,
			'Found “Cost”: this cannot stand here. Is an operator missing before it, or a bracket after what stands before?'
		],
		[
			'Sales everywhere',
			6,
			'Found the word “everywhere”: this cannot stand here. Is an operator missing before it, or a bracket after what stands before?'
		],
		['round(Sales, 1, 2)', 0, 'round takes a value, and the number of decimals.'],
		['', 0, 'The formula is empty.'],
		['-- nothing yet', 0, 'The formula is empty.']
	])('“%s” is refused where it goes wrong', (text, at, message) => {
		expect(read(text)).toMatchObject({ fault: { from: at, message } });
	});

	test('keeps its names as members, so that it prints with those of today and keeps its comments', () => {
		const text = 'Sales -- net\n* Cost{Route:"No route"}';
		const found = read(text);
		if ('fault' in found) throw new Error(found.fault.message);
		const renamed = buildModel({
			accounts: [
				{ code: 'Turnover', account: {} },
				{ code: 'Cost', account: {} },
				{ code: 'Fuel litres', account: {} },
				{ code: 'Bonus month', account: {} }
			],
			scenarios: [{ code: 'Plan' }, { code: 'Actual' }],
			general: { Route: [{ code: 'All' }, { code: 'Nowhere', parent: 'All' }, { code: 'Central', parent: 'All' }] }
		});
		expect(printScript(renamed, { text, names: found.names })).toBe('Turnover -- net\n* Cost{Route:Nowhere}');
	});

	test('what is printed is read as the same, whatever it is', () => {
		const account = (member: number): Expression => ({ kind: 'account', member: model.accounts.member(member).id });
		const tree = fc.letrec<{ any: Expression; test: Expression }>((tie) => ({
			any: fc.oneof(
				{ maxDepth: 4 },
				fc.integer({ min: 0, max: 2 }).map(account),
				fc.integer({ min: 0, max: 9 }).map((value): Expression => ({ kind: 'number', value })),
				fc.integer({ min: 1, max: 3 }).map((by): Expression => ({ ...account(0), shift: { level: 'month', by: -by } }) as Expression),
				tie('any').map((of): Expression => ({ kind: 'negative', of })),
				fc
					.tuple(tie('any'), fc.constantFrom('+', '-', '*', '/', '^'), tie('any'))
					.map(([left, operator, right]): Expression => ({ kind: 'binary', operator, left, right })),
				fc
					.tuple(tie('test'), tie('any'), fc.option(tie('any')))
					.map(([condition, value, otherwise]): Expression => ({ kind: 'when', cases: [{ condition, value }], otherwise })),
				fc.tuple(tie('any'), tie('any')).map((args): Expression => ({ kind: 'call', name: 'max', args }))
			),
			test: fc.oneof(
				{ maxDepth: 3 },
				fc
					.tuple(tie('any'), fc.constantFrom('=', '<>', '<', '>='), tie('any'))
					.map(([left, operator, right]): Expression => ({ kind: 'compare', operator, left, right })),
				tie('test').map((of): Expression => ({ kind: 'not', of })),
				fc.tuple(tie('test'), fc.constantFrom('and', 'or'), tie('test')).map(([left, kind, right]): Expression => ({ kind, left, right }))
			)
		})).any;
		fc.assert(
			fc.property(tree, (expression) => {
				expect(expressionOf(printed(expression))).toEqual(expression);
			}),
			{ numRuns: 300 }
		);
	});
});
