import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing';
import { parseAmount, parseSourceDate, RowReader, ValueMap, type MapLine, type SourceRow } from '.';

let id = 0;
const line = (terms: object, member: number | null, more: { skip?: boolean; reverseSign?: boolean } = {}) =>
	({ id: ++id, member, skip: false, reverseSign: false, ...more, ...terms }) as MapLine;

describe('a map', () => {
	const map = new ValueMap(
		[
			line({ kind: 'pattern', pattern: '4*' }, 1),
			line({ kind: 'pattern', pattern: '401*' }, 2),
			line({ kind: 'span', from: '4000', to: '4100' }, 3),
			line({ kind: 'any of', values: ['4015', '4016'] }, 4),
			line({ kind: 'single', value: '4015' }, 5),
			line(
				{
					kind: 'joint',
					conditions: [
						{ column: 'account', pattern: '4015' },
						{ column: 'unit', pattern: 'N-*' }
					]
				},
				6
			),
			line({ kind: 'single', value: '9999' }, null, { skip: true }),
			line({ kind: 'span', from: 'A', to: 'C' }, 7),
			line({ kind: 'pattern', pattern: '??-x' }, null)
		],
		(code) => (code === 'ab-x' ? 8 : undefined)
	);
	const member = (value: string, row: SourceRow = {}) => {
		const match = map.match(value, { account: value, ...row });
		return match.kind === 'member' ? match.member : match.kind;
	};
	test('joint lines come before all others', () => expect(member('4015', { unit: 'N-BK' })).toBe(6));
	test('then single, any of, span, pattern', () => {
		expect(member('4015', { unit: 'S-BK' })).toBe(5);
		expect(member('4016')).toBe(4);
		expect(member('4017')).toBe(3);
		expect(member('4500')).toBe(1);
	});
	test('the longer pattern wins', () =>
		expect(
			new ValueMap([line({ kind: 'pattern', pattern: '4*' }, 1), line({ kind: 'pattern', pattern: '401*' }, 2)]).match('4019', {})
		).toMatchObject({ member: 2 }));
	test('a span compares numbers as numbers and texts as texts', () => {
		expect(member('4000.0')).toBe(3);
		expect(member('B7')).toBe(7);
		expect(member('400')).toBe(1);
	});
	test('surrounding blanks do not matter', () => expect(member(' 4016 ')).toBe(4));
	test('a line may leave rows out', () => expect(member('9999')).toBe('skip'));
	test('a pattern without a member passes codes through', () => {
		expect(member('ab-x')).toBe(8);
		expect(member('zz-x')).toBe('none');
	});
	test('two lines of one kind are a tie, not a choice', () => {
		const tied = new ValueMap([line({ kind: 'span', from: '1', to: '5' }, 1), line({ kind: 'span', from: '5', to: '9' }, 2)]);
		expect(tied.match('5', {}).kind).toBe('tie');
		expect(tied.match('4', {}).kind).toBe('member');
	});
	test('signs of a pattern are no regular expression', () =>
		expect(new ValueMap([line({ kind: 'pattern', pattern: 'a.b*' }, 1)]).match('axb', {}).kind).toBe('none'));
});

describe('amounts', () => {
	const style = { decimal: '.', group: ' ' } as const;
	test.each([
		['1 284 310.55-', -1_284_310.55],
		['-12.5', -12.5],
		['(40)', -40],
		['0', 0],
		['.5', 0.5]
	])('%s', (text, wanted) => expect(parseAmount(text, style)).toBe(wanted));
	test.each(['', 'open', '12a', '--5', '-5-', '(5', '1.2.3'])('%s is none', (text) => expect(parseAmount(text, style)).toBeUndefined());
	test('with a comma', () => expect(parseAmount('1.234,50', { decimal: ',', group: '.' })).toBe(1234.5));
});

describe('dates', () => {
	test.each([
		['04.09.2026', 'DD.MM.YYYY', '2026-09-04'],
		['9/4/2026', 'MM/DD/YYYY', '2026-09-04'],
		['202609', 'YYYYMM', '2026-09-01'],
		['31.09.2026', 'DD.MM.YYYY', undefined],
		['2026-09-04', 'YYYYMM', undefined]
	] as const)('%s as %s', (text, format, wanted) => expect(parseSourceDate(text, format)).toBe(wanted));
});

describe('reading rows', () => {
	const model = buildModel({ accounts: [{ code: 'all' }, { code: 'sales', parent: 'all', account: {} }], scenarios: [{ code: 'actual' }] });
	const idOf = (ordinal: number) => model.accounts.member(ordinal).id;
	const reader = new RowReader(model, {
		rules: [
			{
				dimension: 1,
				from: 'column',
				column: 'acc',
				lines: [line({ kind: 'single', value: '70' }, idOf(1), { reverseSign: true }), line({ kind: 'single', value: '7' }, idOf(0))]
			},
			{ dimension: 2, from: 'date', column: 'day', format: 'DD.MM.YYYY' },
			{ dimension: 3, from: 'fixed', member: model.scenarios.member(0).id }
		],
		amountColumn: 'amount',
		amountStyle: { decimal: '.', group: '' }
	});
	test('gives the cell and turns the sign', () =>
		expect(reader.read({ acc: '70', day: '02.05.2026', amount: '12.50-' })).toEqual({
			mapped: { address: Int32Array.of(1, 0), period: 1, amount: 12.5 }
		}));
	test('lists every fault of a row', () => {
		const read = reader.read({ acc: '71', day: '02.05.2020', amount: 'x' });
		expect('faults' in read && read.faults.map(({ code, column }) => [code, column])).toEqual([
			['not an amount', 'amount'],
			['no member', 'acc'],
			['outside the calendar', 'day']
		]);
	});
	test('refuses a parent: numbers live at leaves', () => {
		const read = reader.read({ acc: '7', day: '02.05.2026', amount: '1' });
		expect('faults' in read && read.faults[0]!.message).toBe('account: all is not a leaf, so it holds no numbers of its own.');
	});
	test('knows which columns it needs', () => expect(reader.columns).toEqual(['acc', 'day', 'amount']));
});
