import { describe, expect, test } from 'vitest';
import { compileQuery, Cube, Reader, View } from '../cube';
import { selectionInWords, type Selection } from '../dimension';
import { buildModel } from '../testing';
import type { Expression } from '../formula';
import {
	checkFigures,
	deriveFigure,
	expandForm,
	favourableSignOf,
	methodMoved,
	methodValues,
	operandsOf,
	upgradeLayout,
	type AxisBlock,
	type FormCheck,
	type FormLayout
} from '.';

const model = buildModel({
	accounts: [
		{ code: 'all' },
		{ code: 'sales', parent: 'all', account: {} },
		{ code: 'cost', parent: 'all', account: { timeBehaviour: 'closing' } }
	],
	scenarios: [{ code: 'plan' }, { code: 'actual' }],
	general: { route: [{ code: 'routes' }, { code: 'r1', parent: 'routes' }, { code: 'r2', parent: 'routes' }] }
});
const account = (code: string) => model.accounts.member(model.accounts.ordinalOfCode(code)!).id;
const period = (code: string) => model.periods.dimension.member(model.periods.dimension.ordinalOfCode(code)!).id;
const scenario = (ordinal: number) => model.scenarios.member(ordinal).id;
const route = (ordinal: number) => model.dimensions[2]!.member(ordinal).id;
const layout: FormLayout = {
	version: 2,
	rows: [{ kind: 'cells', id: 0, parts: [{ dimension: 1, selection: { kind: 'under', of: account('all') } }] }],
	columns: [
		{ kind: 'cells', id: 0, parts: [{ dimension: 2, selection: { kind: 'leaves', of: 'chosen' } }] },
		{ kind: 'cells', id: 1, parts: [{ dimension: 2, selection: { kind: 'these', members: ['chosen'] } }] }
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
	test('asks before it shows, and takes what a variable names first', () => {
		const asking = { ...layout, selectors: layout.selectors.map((part) => (part.dimension === 5 ? { ...part, asks: true } : part)) };
		const asked = (choices: Record<number, number>) =>
			expandForm(model, asking, choices).selectors.find(({ dimension }) => dimension === 5)!.asks;
		expect([asked({}), asked({ 5: route(2) }), asked({ 5: 12_345 })]).toEqual([true, false, true]);
		expect(expandForm(model, layout, {}).selectors.every(({ asks }) => !asks)).toBe(true);
	});
	test('a heading stands above the names of its columns; a single line may be called something', () => {
		const year = {
			kind: 'cells' as const,
			id: 0,
			heading: 'Plan',
			parts: [{ dimension: 2, selection: { kind: 'these' as const, members: [period('FY2028')] } }]
		};
		const columns = (...blocks: FormLayout['columns']) => expandForm(model, { ...layout, columns: blocks }, {}).columns;
		expect(columns(year)).toMatchObject([{ label: 'FY2028', heading: 'Plan' }]);
		expect(columns({ ...year, called: 'The year' })).toMatchObject([{ label: 'The year', heading: 'Plan' }]);
	});
	test('totals stand after what they add up where the block says so', () => {
		const block = { kind: 'cells' as const, id: 0, parts: [{ dimension: 2, selection: { kind: 'under' as const, of: period('FY2028') } }] };
		const labels = (more: object) =>
			expandForm(model, { ...layout, columns: [{ ...block, ...more }] }, {}).columns.map(({ label }) => label);
		const [before, after] = [labels({}), labels({ totalsAfter: true })];
		expect(before[0]).toBe('FY2028');
		expect(after.at(-1)).toBe('FY2028');
		expect([...after].sort()).toEqual([...before].sort());
		const line = expandForm(model, { ...layout, columns: [{ ...block, totalsAfter: true }] }, {}).columns.at(-1)!;
		expect(line).toMatchObject({ totalAfter: true, folded: false, depth: 0 });
	});
	test('a computed line stands beside each line of a block, and what reads them still does', () => {
		const months = (id: number, of: string) => ({
			kind: 'cells' as const,
			id,
			parts: [{ dimension: 2, selection: { kind: 'leaves' as const, of: period(of) } }]
		});
		const difference = {
			kind: 'derived' as const,
			id: 2,
			label: 'more',
			beside: 0,
			derivation: { how: 'difference' as const, of: 0, base: 1 }
		};
		const share = { kind: 'derived' as const, id: 3, label: 'share', derivation: { how: 'share' as const, of: 2, base: 0 } };
		const { columns, faults } = expandForm(
			model,
			{ ...layout, columns: [months(0, 'FY2027'), { ...months(1, 'FY2028'), beside: 0 }, difference, share] },
			{}
		);
		expect(faults).toEqual([]);
		expect(columns.slice(0, 6).map(({ kind, block }) => `${kind} ${block}`)).toEqual([
			'cells 0',
			'cells 1',
			'derived 2',
			'cells 0',
			'cells 1',
			'derived 2'
		]);
		columns.forEach((line, place) => {
			if (line.block === 2) expect(line.derive).toMatchObject({ kind: 'difference', of: place - 2, base: place - 1 });
		});
		expect(columns[36]!.derive).toMatchObject({ kind: 'share', of: 2, whole: 0 });
		expect(columns[37]!.derive).toMatchObject({ kind: 'share', of: 5, whole: 3 });
		const wrong = expandForm(model, { ...layout, columns: [months(0, 'FY2027'), { ...months(1, 'FY2028'), beside: 9 }] }, {});
		expect(wrong.faults[0]).toContain('is to stand beside one that has other lines');
	});
	test('figures in two currencies are not compared; as an expression they may stand, and at two sets of rates too', () => {
		const year = (id: number, reading?: object) => ({
			kind: 'cells' as const,
			id,
			parts: [{ dimension: 2, selection: { kind: 'these' as const, members: [period('FY2027')] } }],
			...(reading && { reading })
		});
		const less = { kind: 'derived' as const, id: 9, label: 'more', derivation: { how: 'difference' as const, of: 0, base: 1 } };
		const faults = (...columns: FormLayout['columns']) => expandForm(model, { ...layout, columns }, {}).faults;
		expect(faults(year(0), year(1, { currency: 'local' }), less)).toEqual([
			'more: its groups of columns are read in different currencies, so they cannot be compared.'
		]);
		expect(faults(year(0, { currency: 'EUR' }), year(1, { currency: 'EUR' }), less)).toEqual([]);
		const expression: Expression = {
			kind: 'binary',
			operator: '/',
			left: { kind: 'account', member: 0 },
			right: { kind: 'account', member: 1 }
		};
		expect(faults(year(0), year(1, { currency: 'local' }), { ...less, derivation: { how: 'expression', expression } })).toEqual([]);
	});
	test('takes the first month of every year, and the last', () => {
		const months = (selection: Selection) =>
			expandForm(model, { ...layout, columns: [{ kind: 'cells', id: 0, parts: [{ dimension: 2, selection }] }] }, {}).columns.map(
				({ members }) => members[2]
			);
		const [first, second] = ['FY2027', 'FY2028'].map((year) => months({ kind: 'leaves', of: period(year) }));
		const each = (at: number): Selection => ({ kind: 'leaf of each', in: { kind: 'level', depth: 0 }, at });
		expect(months(each(1))).toEqual([first![0], second![0]]);
		expect(months(each(-1))).toEqual([first![11], second![11]]);
		expect(selectionInWords(each(1), new Map())).toBe('the first leaf of each of level 0');
	});
	test('takes the year before the one chosen, and the second month of the one chosen', () => {
		const columns = (selection: Selection) =>
			expandForm(
				model,
				{ ...layout, columns: [{ kind: 'cells', id: 0, parts: [{ dimension: 2, selection }] }] },
				{ 2: period('FY2028') }
			).columns.map(({ label }) => label);
		const whole = columns({ kind: 'leaves', of: period('FY2027') });
		expect(columns({ kind: 'relative', of: 'chosen', by: -1, take: 'leaves' })).toEqual(whole);
		expect(columns({ kind: 'relative', of: 'chosen', by: -1, take: 'this' })).toEqual(['FY2027']);
		const depth = 1;
		const children = columns({ kind: 'children', of: 'chosen' });
		expect(columns({ kind: 'relative', of: 'chosen', nth: { depth, at: 2 }, take: 'this' })).toEqual([children[1]]);
		expect(selectionInWords({ kind: 'relative', of: 'chosen', by: -1, take: 'leaves' }, new Map())).toBe(
			'leaves of the one before the one chosen'
		);
		expect(selectionInWords({ kind: 'relative', of: 'chosen', nth: { depth: 1, at: 2 }, take: 'this' }, new Map())).toBe(
			'the second of level 1 under the one chosen'
		);
	});
	test('nests several dimensions on an axis', () => {
		const nested = expandForm(
			model,
			{
				...layout,
				rows: [
					{
						kind: 'cells',
						id: 0,
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
		// The outer member stands on a line of its own above what is nested under it.
		expect(nested.rows.map(({ kind, label, depth }) => [kind, label, depth].join(' '))).toEqual([
			'text r1 0',
			'cells sales 1',
			'cells cost 1',
			'text r2 0',
			'cells sales 1',
			'cells cost 1'
		]);
		expect(nested.rows[1]!.members).toEqual({ 5: route(1), 1: account('sales') });
		expect(nested.query.rows).toHaveLength(4);
		expect(nested.rows.map(({ place }) => place)).toEqual([-1, 0, 1, -1, 2, 3]);
	});
	test('says what yields nothing', () => {
		expect(
			expandForm(
				model,
				{ ...layout, rows: [{ kind: 'cells', id: 0, parts: [{ dimension: 1, selection: { kind: 'children', of: 9_999 } }] }] },
				{}
			).faults
		).toEqual(['No rows: the selection on the rows yields nothing today.']);
		expect(
			expandForm(model, { ...layout, selectors: [{ dimension: 77, selection: { kind: 'these', members: [] }, initial: 1 }] }, {}).faults
		).toContain('The selector’s dimension 77 is not in this model.'.replace('’', "'"));
	});
	test('reads months to date by each account’s own behaviour, and compares columns', () => {
		const cube = new Cube(model);
		cube.writeSeries(2, [1, 0, 1], 2028, [10, 20, 30]);
		cube.writeSeries(2, [2, 0, 1], 2028, [4, 5, 6]);
		const form = expandForm(
			model,
			{
				...layout,
				columns: [
					layout.columns[0]!,
					{ kind: 'derived', id: 7, label: 'to date', derivation: { how: 'to date', of: 0, since: 'year' } },
					layout.columns[1]!,
					{ kind: 'derived', id: 8, label: 'Δ', derivation: { how: 'difference', of: 7, base: 0 } },
					{ kind: 'derived', id: 9, label: 'of the year', derivation: { how: 'share', of: 0, base: 1 } }
				]
			},
			{}
		);
		expect(form.faults).toEqual([]);
		const view = new View(compileQuery(model, form.query));
		view.fill(new Reader(cube));
		const { values } = view.evaluate();
		const row = (index: number, from: number) => [...values.slice(index * 25 + from, index * 25 + from + 3)];
		expect(row(1, 0)).toEqual([10, 20, 30]);
		expect(row(1, 12)).toEqual([10, 30, 60]);
		// A balance to date is the balance at the end.
		expect(row(2, 12)).toEqual([4, 5, 6]);
		const derived = form.columns.filter(({ kind }) => kind === 'derived');
		expect(derived).toHaveLength(24);
		expect(derived[2]!.derive).toEqual({ kind: 'difference', label: 'Δ', of: 14, base: 2 });
		expect(derived[13]!.derive).toEqual({ kind: 'share', label: 'of the year', of: 1, whole: 24 });
		expect(form.columns[12]).toMatchObject({ kind: 'cells', heading: 'to date', readOnly: true });
		const odd = { kind: 'derived' as const, id: 9, label: 'Odd', derivation: { how: 'difference' as const, of: 0, base: 7 } };
		expect(expandForm(model, { ...layout, columns: [...layout.columns, odd] }, {}).faults).toEqual([
			'Odd: it is made of a group of columns that does not stand before it.'
		]);
		const uneven = {
			...layout.columns[0]!,
			id: 2,
			parts: [{ dimension: 2, selection: { kind: 'children' as const, of: period('FY2028') } }]
		};
		const compared = { ...odd, derivation: { how: 'difference' as const, of: 0, base: 2 } };
		const faults = expandForm(model, { ...layout, columns: [layout.columns[0]!, uneven as AxisBlock, compared] }, {}).faults;
		expect(faults[0]).toMatch(/^Odd: its groups of columns have 12 and \d+ lines, so they do not match\.$/);
	});
});

test('a sum to date reaches back over a scenario’s border into what it continues from, also when that changes', () => {
	const plan = buildModel({
		accounts: [
			{ code: 'sales', account: {} },
			{ code: 'debt', account: { kind: 'liability', timeBehaviour: 'closing' } }
		],
		scenarios: [
			{ code: 'actual', span: ['2026-04', '2026-06'] },
			{ code: 'outlook', span: ['2026-07', '2027-03'], continues: 'actual' }
		]
	});
	const cube = new Cube(plan);
	for (const account of [0, 1]) {
		cube.writeSeries(2, [account, 0], 2027, [1, 2, 3, 99]);
		cube.writeSeries(2, [account, 1], 2027, [77, Number.NaN, Number.NaN, 10, 20]);
	}
	const months = ['2026-05', '2026-07', '2026-08'].map((code) => ({
		2: plan.periods.dimension.member(plan.periods.dimension.ordinalOfCode(code)!).id
	}));
	const view = new View(
		compileQuery(plan, {
			slice: { 3: plan.scenarios.member(1).id },
			rows: [0, 1].map((account) => ({ 1: plan.accounts.member(account).id })),
			columns: [...months, ...months],
			toDate: [undefined, undefined, undefined, 'year', 'year', 'year'],
			currency: 'EUR'
		})
	);
	view.fill(new Reader(cube));
	// Months by themselves; then to date. May lies before the outlook's own months, so it says nothing of its own.
	expect([...view.evaluate().values]).toEqual([Number.NaN, 10, 20, Number.NaN, 16, 36, Number.NaN, 10, 20, Number.NaN, 10, 20]);
	cube.writeCell(2, [0, 0], 2027, 1, 5);
	view.change({ address: [0, 0], year: 2027, position: 1, before: 2, after: 5 });
	expect([...view.evaluate().values].slice(3, 6)).toEqual([Number.NaN, 19, 39]);
});

test('prices and latest values to date reach back over the border too', () => {
	const plan = buildModel({
		accounts: [
			{ code: 'litres', account: { valueType: 'quantity' } },
			{ code: 'price', weigher: 'litres', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'weighted by' } },
			{ code: 'crew', account: { valueType: 'quantity', timeBehaviour: 'latest' } }
		],
		scenarios: [
			{ code: 'actual', span: ['2026-04', '2026-06'] },
			{ code: 'outlook', span: ['2026-07', '2027-03'], continues: 'actual' }
		]
	});
	const cube = new Cube(plan);
	// Outside their spans both hold values that nobody may count.
	cube.writeSeries(2, [0, 0], 2027, [1, 2, 3, 99]);
	cube.writeSeries(2, [1, 0], 2027, [4, 5, 6, 99]);
	cube.writeSeries(2, [2, 0], 2027, [7, 8]);
	cube.writeSeries(2, [0, 1], 2027, [77, Number.NaN, Number.NaN, 10, 20]);
	cube.writeSeries(2, [1, 1], 2027, [77, Number.NaN, Number.NaN, 7, 8]);
	const months = ['2026-07', '2026-08'].map((code) => ({
		2: plan.periods.dimension.member(plan.periods.dimension.ordinalOfCode(code)!).id
	}));
	const view = new View(
		compileQuery(plan, {
			slice: { 3: plan.scenarios.member(1).id },
			rows: [1, 2].map((account) => ({ 1: plan.accounts.member(account).id })),
			columns: [...months, ...months],
			toDate: [undefined, undefined, 'year', 'year'],
			currency: 'EUR'
		})
	);
	view.fill(new Reader(cube));
	const toJuly = (1 * 4 + 2 * 5 + 3 * 6 + 10 * 7) / 16;
	const toAugust = (1 * 4 + 2 * 5 + 3 * 6 + 10 * 7 + 20 * 8) / 36;
	expect([...view.evaluate().values]).toEqual([7, 8, toJuly, toAugust, Number.NaN, Number.NaN, 8, 8]);
	cube.writeCell(2, [1, 0], 2027, 0, 20);
	view.change({ address: [1, 0], year: 2027, position: 0, before: 4, after: 20 });
	expect(view.evaluate().values[2]).toBe(toJuly + 1);
});

describe('derived figures', () => {
	const figure = (value: number, flags = 0) => ({ value, flags });
	const derive = (kind: 'difference' | '% difference' | 'share', one: number, other: number, sign = 1) => {
		const line = kind === 'share' ? { kind, label: '', of: 0, whole: 1 } : { kind, label: '', of: 0, base: 1 };
		return deriveFigure(line, (place) => figure(place === 0 ? one : other), sign);
	};
	test.each([
		['difference', 120, 100, 20, true],
		['difference', Number.NaN, 100, -100, false],
		['difference', 5, Number.NaN, 5, true],
		['% difference', 120, 100, 0.2, true],
		['% difference', -50, -100, 0.5, true],
		['% difference', -150, -100, -0.5, false],
		['% difference', 5, 0, Number.NaN, undefined],
		['% difference', 5, Number.NaN, Number.NaN, undefined],
		['share', 25, 100, 0.25, undefined],
		['share', 25, 0, Number.NaN, undefined]
	] as const)('%s of %d and %d', (kind, one, other, value, favourable) =>
		expect(derive(kind, one, other)).toEqual({ value, flags: 0, favourable })
	);
	test('less is good news of an expense, and incompleteness travels', () => {
		expect(derive('difference', 90, 100, -1).favourable).toBe(true);
		expect(deriveFigure({ kind: 'difference', label: '', of: 0, base: 1 }, (place) => figure(1, place + 1), 1).flags).toBe(3);
	});
	test('an expression reads lines by their block and is good or bad news of nothing', () => {
		const expression: Expression = {
			kind: 'binary',
			operator: '/',
			left: { kind: 'account', member: 4 },
			right: { kind: 'account', member: 6 }
		};
		const line = {
			kind: 'expression' as const,
			label: '',
			expression,
			percent: true,
			lines: new Map([
				[4, 0],
				[6, 1]
			])
		};
		expect(deriveFigure(line, (place) => figure([30, 120][place]!, place), 1)).toEqual({ value: 0.25, flags: 1, favourable: undefined });
		expect(operandsOf(line)).toEqual([0, 1]);
	});
	test('a group is judged by its leaves', () => {
		const groups = buildModel({
			accounts: [
				{ code: 'result' },
				{ code: 'sales', parent: 'result', account: { kind: 'revenue' } },
				{ code: 'costs', parent: 'result', weight: -1 },
				{ code: 'pay', parent: 'costs', account: { kind: 'expense' } },
				{ code: 'sailings', account: { kind: 'statistic' } },
				{ code: 'load', account: { kind: 'statistic', favourable: 'more' } }
			],
			scenarios: [{ code: 'plan' }]
		});
		expect([0, 1, 2, 3, 4, 5].map((account) => favourableSignOf(groups, account))).toEqual([1, 1, -1, -1, 0, 1]);
	});
});

describe('blocks', () => {
	const block = (more: object): AxisBlock => ({ ...layout.rows[0]!, ...more }) as AxisBlock;
	const rows = (...blocks: AxisBlock[]) => expandForm(model, { ...layout, rows: blocks }, {}).rows;
	test('show names or codes, flat, sorted, under their own heading', () => {
		expect(rows(block({ names: 'both' })).map(({ label }) => label)).toEqual(['all all', 'sales sales', 'cost cost']);
		expect(rows(block({ flat: true })).map(({ depth }) => depth)).toEqual([0, 0, 0]);
		expect(rows(block({ sort: 'name' })).map(({ label }) => label)).toEqual(['all', 'cost', 'sales']);
		expect(rows(block({ heading: 'Result' })).map(({ kind, label }) => `${kind} ${label}`)).toEqual([
			'text Result',
			'cells all',
			'cells sales',
			'cells cost'
		]);
		const one = block({ heading: 'Turnover', parts: [{ dimension: 1, selection: { kind: 'these', members: [account('sales')] } }] });
		expect(rows(one)).toMatchObject([{ label: 'Turnover', heading: '' }]);
	});
	test('open as many levels as they say, and advise by member', () => {
		expect(rows(block({ openLevels: 1 })).map(({ folded }) => folded)).toEqual([true, false, false]);
		expect(rows(block({})).some(({ folded }) => folded)).toBe(false);
		expect(rows(block({ guidance: { [account('cost')]: 'Without tax' } }))[2]!.guidance).toBe('Without tax');
	});
	test('stand between headings that read nothing', () => {
		const form = expandForm(model, { ...layout, rows: [{ kind: 'text', id: 5, label: 'Income' }, layout.rows[0]!] }, {});
		expect(form.rows.map(({ kind, place }) => [kind, place])).toEqual([
			['text', -1],
			['cells', 0],
			['cells', 1],
			['cells', 2]
		]);
		expect(form.query.rows).toHaveLength(3);
	});
	test('must all say where they stand on every dimension of their axis, and every dimension has a place', () => {
		const bare = { kind: 'cells' as const, id: 3, parts: [] };
		expect(expandForm(model, { ...layout, rows: [layout.rows[0]!, bare] }, {}).faults[0]).toMatch(
			/^A block on the rows says nothing about /
		);
		const faults = expandForm(model, { ...layout, selectors: layout.selectors.slice(0, 1), pinned: [] }, {}).faults;
		expect(faults).toHaveLength(2);
		expect(faults[0]).toMatch(/is not placed/);
	});
	test('a layout of the first version becomes one of today', () => {
		const upgraded = upgradeLayout({
			version: 1,
			rows: [{ parts: [] }],
			columns: [{ parts: [] }, { parts: [], toDate: 'year' }],
			derived: [{ kind: 'share', label: 'part', of: 0, base: 1 }],
			selectors: [],
			pinned: [],
			currencies: ['EUR']
		});
		expect(upgraded.columns).toEqual([
			{ kind: 'cells', id: 0, parts: [] },
			{ kind: 'cells', id: 1, parts: [], toDate: 'year' },
			{ kind: 'derived', id: 2, label: 'part', derivation: { how: 'share', of: 0, base: 1 } }
		]);
	});
});

describe('a check', () => {
	const read = (member: number): Expression => ({ kind: 'account', member });
	const check = (compare: FormCheck['compare']): FormCheck => ({
		label: 'balances',
		left: read(1),
		compare,
		right: { kind: 'binary', operator: '+', left: read(2), right: read(3) },
		bars: true
	});
	const state = (compare: FormCheck['compare'], left: number, one: number, other: number, flags = 0) =>
		checkFigures(check(compare), (account) => ({ value: [0, left, one, other][account]!, flags }), 2).state;
	test.each([
		['=', 100, 60, 40, 'holds'],
		['=', 100.004, 60, 40, 'holds'],
		['=', 100.01, 60, 40, 'fails'],
		['<=', 99, 60, 40, 'holds'],
		['<=', 101, 60, 40, 'fails'],
		['>=', 101, 60, 40, 'holds'],
		['>=', 99, 60, 40, 'fails'],
		['=', Number.NaN, 0, Number.NaN, 'holds']
	] as const)('%s with %d against %d + %d', (compare, left, one, other, expected) =>
		expect(state(compare, left, one, other)).toBe(expected)
	);
	test('cannot tell while something is missing', () => expect(state('=', 100, 60, 40, 1)).toBe('cannot tell'));
});

describe('methods', () => {
	const plain = { adjustPercent: 0, adjustAmount: 0 };
	const input = {
		lastYear: [10, Number.NaN, 20],
		before: [1, 2, 3, 4],
		driver: [5, Number.NaN, 7],
		driverLastYear: [],
		quarters: [0, 0, 0]
	};
	test.each([
		['driver and rate', { kind: 'driver and rate', driver: 1, rate: 3, ...plain }, [15, Number.NaN, 21]],
		['average last year', { kind: 'average last year', percent: 0.1, ...plain }, [11, 11, 11]],
		['growth on last year', { kind: 'growth on last year', percent: 0.5, ...plain }, [15, Number.NaN, 30]],
		['trend', { kind: 'trend', periods: 3, ...plain }, [5, 6, 7]],
		['an adjustment on top', { kind: 'growth on last year', percent: 0, adjustPercent: 0.5, adjustAmount: 1 }, [16, Number.NaN, 31]]
	] as const)('%s', (_, method, expected) =>
		methodValues(method, input).forEach((value, index) =>
			Number.isNaN(expected[index]!) ? expect(value).toBeNaN() : expect(value).toBeCloseTo(expected[index]!, 9)
		)
	);
	test('last year’s cost for each unit of the driver, raised: 60 over 30 units is 2, with 10 % 2.2', () => {
		const method = { kind: 'driver at last year’s rate' as const, driver: 1, percent: 0.1, ...plain };
		const known = { ...input, lastYear: [10, 20, 30], driver: [4, Number.NaN, 10], driverLastYear: [5, 10, 15] };
		const values = methodValues(method, known);
		expect(values[0]).toBeCloseTo(8.8, 9);
		expect(values[1]).toBeNaN();
		expect(values[2]).toBeCloseTo(22, 9);
		expect(methodValues(method, { ...known, driverLastYear: [0, 0, 0] })[0]).toBeNaN();
		expect(methodValues(method, { ...known, lastYear: [Number.NaN, Number.NaN, Number.NaN] })[0]).toBeNaN();
	});
	test('amounts on top of single months, or of quarters shared over their months', () => {
		const grow = { kind: 'growth on last year' as const, percent: 0, ...plain };
		const known = { ...input, lastYear: [10, 20, 30, 40], quarters: [0, 0, 1, 1] };
		expect(methodValues({ ...grow, adjustments: { per: 'period', amounts: [1, 0, -5] } }, known)).toEqual([11, 20, 25, 40]);
		expect(methodValues({ ...grow, adjustments: { per: 'quarter', amounts: [0, 10] } }, known)).toEqual([10, 20, 35, 45]);
		// What is empty stays empty: nothing is put on top of nothing.
		expect(
			methodValues({ ...grow, adjustments: { per: 'period', amounts: [9] } }, { ...known, lastYear: [Number.NaN, 1, 1, 1] })[0]
		).toBeNaN();
	});
	// What shows, what the method gave, what it gives now: April, May.
	test.each([
		[
			'nothing moved',
			[
				[110, 110, 110],
				[50, 50, 50]
			],
			'no'
		],
		[
			'last year moved and the row stands as it was filled',
			[
				[110, 110, 132],
				[50, 50, 50]
			],
			'wholly'
		],
		[
			'what moved was typed over since: nobody’s to be filled',
			[
				[500, 110, 132],
				[50, 50, 50]
			],
			'no'
		],
		[
			'two moved, one of them typed over',
			[
				[500, 110, 132],
				[50, 50, 55]
			],
			'partly'
		],
		[
			'filled and discarded, or in another person’s draft',
			[
				[90, 110, 132],
				[40, 50, 55]
			],
			'no'
		],
		[
			'less than half a cent',
			[
				[110, 110.004, 110.0081],
				[50, 50, 50]
			],
			'no'
		],
		[
			'the driver is gone',
			[
				[110, 110, Number.NaN],
				[50, 50, 50]
			],
			'wholly'
		],
		['emptied since', [[Number.NaN, 110, 132]], 'no']
	] as const)('%s', (_, periods, expected) =>
		expect(
			methodMoved(
				periods.map(([now, gave, gives]) => ({ now, gave, gives })),
				2
			)
		).toBe(expected)
	);
	test('a trend of fewer than two values says nothing', () =>
		expect(methodValues({ kind: 'trend', periods: 3, ...plain }, { ...input, before: [Number.NaN, 4] })[0]).toBeNaN());
});
