import { describe, expect, test } from 'vitest';
import { compileQuery } from '../cube';
import { buildModel } from '../testing';
import { expandForm, type FormLayout } from '.';

const model = buildModel({
	accounts: [{ code: 'all' }, { code: 'sales', parent: 'all', account: {} }, { code: 'cost', parent: 'all', account: {} }],
	scenarios: [{ code: 'plan' }, { code: 'actual' }],
	general: { route: [{ code: 'routes' }, { code: 'r1', parent: 'routes' }, { code: 'r2', parent: 'routes' }] }
});
const account = (code: string) => model.accounts.member(model.accounts.ordinalOfCode(code)!).id;
const period = (code: string) => model.periods.dimension.member(model.periods.dimension.ordinalOfCode(code)!).id;
const scenario = (ordinal: number) => model.scenarios.member(ordinal).id;
const route = (ordinal: number) => model.dimensions[2]!.member(ordinal).id;
const layout: FormLayout = {
	version: 1,
	rows: [{ parts: [{ dimension: 1, selection: { kind: 'under', of: account('all') } }] }],
	columns: [
		{ parts: [{ dimension: 2, selection: { kind: 'leaves', of: 'chosen' } }] },
		{ parts: [{ dimension: 2, selection: { kind: 'these', members: ['chosen'] } }] }
	],
	selectors: [
		{ dimension: 2, selection: { kind: 'these', members: [period('FY2027'), period('FY2028')] }, initial: period('FY2028') },
		{ dimension: 5, selection: { kind: 'under', of: route(0) }, initial: route(0) }
	],
	pinned: [{ dimension: 3, member: scenario(0) }],
	currencies: ['EUR', 'local']
};

describe('a form', () => {
	test('unfolds into rows of a tree and the months of the chosen year', () => {
		const form = expandForm(model, layout, {});
		expect(form.faults).toEqual([]);
		expect(form.rows.map(({ label, depth, parent }) => [label, depth, parent])).toEqual([
			['all', 0, true],
			['sales', 1, false],
			['cost', 1, false]
		]);
		expect(form.columns).toHaveLength(13);
		expect(form.columns[0]!.members).toEqual({ 2: period('2027-04') });
		expect(form.columns[12]!.label).toBe('FY2028');
		expect(() => compileQuery(model, form.query)).not.toThrow();
	});
	test('follows the reader’s choices and ignores those it does not offer', () => {
		expect(expandForm(model, layout, { 2: period('FY2027'), 5: route(2) }).query.slice).toEqual({ 3: scenario(0), 5: route(2) });
		expect(expandForm(model, layout, { 2: period('FY2027') }).columns[12]!.label).toBe('FY2027');
		expect(expandForm(model, layout, { 2: period('2027-04'), 3: scenario(1), 5: 12_345 }).query.slice).toEqual({
			3: scenario(0),
			5: route(0)
		});
		expect(expandForm(model, layout, {}, 'local').query.currency).toBe('local');
		expect(expandForm(model, layout, {}, 'XXX').query.currency).toBe('EUR');
	});
	test('nests several dimensions on an axis', () => {
		const nested = expandForm(
			model,
			{
				...layout,
				rows: [
					{
						parts: [
							{ dimension: 5, selection: { kind: 'leaves', of: route(0) } },
							{ dimension: 1, selection: { kind: 'children', of: account('all') } }
						]
					}
				],
				selectors: layout.selectors.slice(0, 1)
			},
			{}
		);
		expect(nested.rows.map(({ label, above }) => [...above, label].join(' ')).join()).toBe('r1 sales,r1 cost,r2 sales,r2 cost');
		expect(nested.rows[0]!.members).toEqual({ 5: route(1), 1: account('sales') });
	});
	test('says what yields nothing', () => {
		expect(
			expandForm(model, { ...layout, rows: [{ parts: [{ dimension: 1, selection: { kind: 'children', of: 9_999 } }] }] }, {}).faults
		).toEqual(['No rows: the selection on the rows yields nothing today.']);
		expect(
			expandForm(model, { ...layout, selectors: [{ dimension: 77, selection: { kind: 'these', members: [] }, initial: 1 }] }, {}).faults
		).toContain('The selector’s dimension 77 is not in this model.'.replace('’', "'"));
	});
});
