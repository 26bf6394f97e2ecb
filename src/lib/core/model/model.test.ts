import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing';
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
