import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
	amountStyles,
	checkMap,
	dateFormats,
	detectDelimiter,
	detectEncoding,
	detectHeaderRows,
	detectQuote,
	differenceToDate,
	differenceToDateInCurrencies,
	matchesPattern,
	matchingLines,
	RowReader,
	neighboursReverse,
	suggestMembers,
	ValueMap,
	type ImportRecipe,
	type MapLine,
	type SourceRow
} from '.';
import { parseAmount } from './amount';
import { parseSourceDate } from './source-date';
import { SeriesStore } from '../cube';
import { buildModel } from '../testing';

let id = 0;
const line = (terms: object, member: number | null, more: { skip?: boolean; reverseSign?: boolean } = {}) =>
	({ id: ++id, member, skip: false, reverseSign: false, ...more, ...terms }) as MapLine;
const at = (row: SourceRow) => (column: string) => row[column] ?? '';

describe('a map', () => {
	const lines = [
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
	];
	const map = new ValueMap(lines, (code) => (code === 'ab-x' ? 8 : undefined));
	const member = (value: string, row: SourceRow = {}) => {
		const match = map.match(value, at({ account: value, ...row }));
		return match.kind === 'member' ? match.member : match.kind;
	};
	test('joint wins over single over any of over span over pattern', () => {
		expect(member('4015', { unit: 'N-BK' })).toBe(6);
		expect(member('4015', { unit: 'S-BK' })).toBe(5);
		expect(member('4016')).toBe(4);
		expect(member('4017')).toBe(3);
		expect(member('4500')).toBe(1);
	});
	test('the longer pattern wins', () =>
		expect(
			new ValueMap([line({ kind: 'pattern', pattern: '4*' }, 1), line({ kind: 'pattern', pattern: '401*' }, 2)]).match('4019', at({}))
		).toMatchObject({ member: 2 }));
	test('spans compare numbers as numbers and texts as texts', () => {
		expect(member('4000.0')).toBe(3);
		expect(member('B7')).toBe(7);
		expect(member('400')).toBe(1);
	});
	test('a line may leave rows out, a pattern pass codes through', () => {
		expect(member('9999')).toBe('skip');
		expect(member('ab-x')).toBe(8);
		expect(member('zz-x')).toBe('none');
	});
	test('two lines of one kind are a tie, never a choice', () => {
		const tied = new ValueMap([line({ kind: 'span', from: '1', to: '5' }, 1), line({ kind: 'span', from: '5', to: '9' }, 2)]);
		expect(tied.match('5', at({})).kind).toBe('tie');
		expect(tied.match('4', at({})).kind).toBe('member');
	});
	test('dots in a pattern are dots', () =>
		expect(new ValueMap([line({ kind: 'pattern', pattern: 'a.b*' }, 1)]).match('axb', at({})).kind).toBe('none'));

	test('the indexed look-up finds what trying each line finds', () => {
		const text = fc.stringMatching(/^[0-3ab]{0,4}$/);
		const number = fc.integer({ min: 0, max: 40 }).map(String);
		const terms = fc.oneof(
			fc.record({ kind: fc.constant('single'), value: fc.oneof(text, number) }),
			fc.record({ kind: fc.constant('any of'), values: fc.array(fc.oneof(text, number), { maxLength: 3 }) }),
			fc.record({ kind: fc.constant('span'), from: fc.oneof(text, number), to: fc.oneof(text, number) }),
			fc.record({ kind: fc.constant('pattern'), pattern: fc.stringMatching(/^[0-3ab*?]{1,4}$/) }),
			fc.record({
				kind: fc.constant('joint'),
				conditions: fc.array(fc.record({ column: fc.constantFrom('own', 'other'), pattern: fc.stringMatching(/^[0-3ab*?]{1,3}$/) }), {
					minLength: 1,
					maxLength: 2
				})
			})
		);
		fc.assert(
			fc.property(fc.array(terms, { maxLength: 12 }), fc.oneof(text, number), text, (all, value, other) => {
				const random = all.map((each, index) => line(each, index + 1));
				const row = at({ own: value, other });
				const match = new ValueMap(random).match(value, row);
				const meeting = matchingLines(random, value, row);
				const best = meeting.filter(
					(each) =>
						each.kind === meeting[0]!.kind &&
						(each.kind !== 'pattern' || each.pattern.length === (meeting[0] as typeof each).pattern.length)
				);
				if (best.length === 0) expect(match.kind).toBe('none');
				else if (best.length > 1) expect(match).toEqual({ kind: 'tie', lines: expect.arrayContaining(best.map((each) => each.id)) });
				else expect(match).toMatchObject({ kind: 'member', line: best[0]!.id });
			}),
			{ numRuns: 1_500 }
		);
	});
	test('a pattern matches as the expression it stands for', () =>
		fc.assert(
			fc.property(fc.stringMatching(/^[ab*?]{0,6}$/), fc.stringMatching(/^[ab]{0,7}$/), (pattern, value) => {
				const expression = new RegExp(`^${pattern.replaceAll('*', '.*').replaceAll('?', '.')}$`);
				expect(matchesPattern(value, pattern)).toBe(expression.test(value));
			})
		));
});

describe('checking a map without data', () => {
	const found = (...lines: MapLine[]) => checkMap(lines).map(({ kind, message }) => `${kind}: ${message}`);
	test('names both lines of a tie', () =>
		expect(
			found(line({ kind: 'single', value: '1' }, 1), line({ kind: 'any of', values: ['2'] }, 1), line({ kind: 'single', value: ' 1' }, 2))
		).toEqual(['tie: “1” is claimed by line 3 too.', 'tie: “1” is claimed by line 1 too.']));
	test('names where spans overlap', () =>
		expect(found(line({ kind: 'span', from: '10', to: '20' }, 1), line({ kind: 'span', from: '15', to: '30' }, 2))[0]).toBe(
			'tie: What lies between 15 and 20 is claimed by line 2 too.'
		));
	test('says which line can never win, and why', () => {
		const singles = ['1', '2'].map((value) => line({ kind: 'single', value }, 1));
		expect(found(...singles, line({ kind: 'any of', values: ['1', '2'] }, 2))).toEqual([
			'never wins: Each of its values has a single line, which wins.'
		]);
		expect(found(...singles, line({ kind: 'span', from: '1', to: '2' }, 2))).toEqual([
			'never wins: Each whole number in it has a line of its own, which wins.'
		]);
		expect(found(...singles, line({ kind: 'pattern', pattern: '2' }, 2))).toEqual([
			'never wins: The same value has a single line, which wins.'
		]);
	});
	test('finds lines that match nothing', () =>
		expect(found(line({ kind: 'span', from: '9', to: '1' }, 1), line({ kind: 'any of', values: [] }, 1))).toHaveLength(2));
});

describe('suggestions', () => {
	const members = [
		{ id: 1, code: '6100', name: 'Fuel' },
		{ id: 2, code: '6900', name: 'Repairs' },
		{ id: 3, code: 'OFF', name: 'Office costs' }
	];
	test('the member to which neighbouring codes go comes first', () =>
		expect(
			suggestMembers(
				'6305',
				'',
				[line({ kind: 'span', from: '6300', to: '6304' }, 1), line({ kind: 'single', value: '6900' }, 2)],
				members
			)[0]
		).toMatchObject({
			member: 1,
			reason: 'neighbours 6300, 6304 go there'
		}));
	test('what the source calls the value counts', () =>
		expect(suggestMembers('77', 'Office cost', [], members)[0]).toMatchObject({ member: 3, reason: 'a similar name' }));
	test('a pattern passes on the code, or what its only * stands for', () => {
		const codes = new Map([
			['4012', 1],
			['N-77', 2],
			['N', 3]
		]);
		const map = new ValueMap(
			[
				line({ kind: 'pattern', pattern: 'N-*' }, null),
				line({ kind: 'pattern', pattern: '*/??' }, null),
				line({ kind: 'pattern', pattern: 'X*Y*' }, null)
			],
			(code) => codes.get(code)
		);
		const member = (value: string) => {
			const match = map.match(value, () => '');
			return match.kind === 'member' ? match.member : match.kind;
		};
		expect(['N-4012', 'N-77', 'N-5', 'N-', '4012/EU', 'X4012Y', '4012'].map(member)).toEqual([1, 2, 'none', 'none', 1, 'none', 'none']);
	});
	test('a value among others whose sign is turned has its own turned too, the nearer ones deciding', () => {
		const lines = [
			line({ kind: 'span', from: '4000', to: '4005' }, 1, { reverseSign: true }),
			line({ kind: 'any of', values: ['4010', '4011'] }, 1, { reverseSign: true }),
			line({ kind: 'single', value: '4900' }, 2)
		];
		expect(neighboursReverse('4007', lines)).toBe(true);
		expect(neighboursReverse('4901', lines)).toBe(false);
		expect(neighboursReverse('99000', lines)).toBe(false);
		expect(neighboursReverse('4007', [])).toBe(false);
	});
	test('a far number suggests nothing', () =>
		expect(suggestMembers('99000', '', [line({ kind: 'single', value: '61' }, 1)], members)).toEqual([]));
});

describe('amounts', () => {
	const style = { decimal: '.', group: ' ' } as const;
	test.each([
		['1 284 310.55-', -1_284_310.55],
		['-12.5', -12.5],
		['–12', -12],
		['−3', -3],
		['(40)', -40],
		['+7', 7],
		['0', 0],
		['.5', 0.5],
		['1e5', 100_000],
		['1\u202f000', 1000]
	])('%s', (text, wanted) => expect(parseAmount(text, style)).toBe(wanted));
	test.each(['1.2.3', '--1', '-(1)', '(1', '1 2', '12 34', '1e400', 'abc', '', '-', '1,5'])('%s is none', (text) =>
		expect(parseAmount(text, style)).toBeUndefined()
	);
	test('of the other way of writing are refused, not misread', () => {
		expect(parseAmount('1.234,56-', { decimal: ',', group: '.' })).toBe(-1234.56);
		expect(parseAmount('(1,234)', { decimal: '.', group: ',' })).toBe(-1234);
		expect(parseAmount('1.234,56', { decimal: '.', group: ',' })).toBeUndefined();
		expect(parseAmount('1.5', { decimal: ',', group: '.' })).toBeUndefined();
	});
	test('tell how they are written, as far as they do', () => {
		expect(amountStyles(['1.234,56-', '12,00'])[0]).toEqual({ decimal: ',', group: '.' });
		expect(amountStyles(['1 234.5', '7'])[0]).toEqual({ decimal: '.', group: ' ' });
		expect(amountStyles(['1,234'])).toHaveLength(4);
		expect(amountStyles(['x'])).toEqual([]);
	});
});

describe('dates', () => {
	test.each([
		['04.09.2026', 'DD.MM.YYYY', '2026-09-04'],
		['9/4/2026', 'MM/DD/YYYY', '2026-09-04'],
		['4/9/2026', 'DD/MM/YYYY', '2026-09-04'],
		['202609', 'YYYYMM', '2026-09-01'],
		['4 Sep 2026', 'DD MMM YYYY', '2026-09-04'],
		['Sept 2026', 'MMM YYYY', '2026-09-01'],
		['2026-09-04T10:00', 'YYYY-MM-DD', '2026-09-04'],
		['04.09.26', 'DD.MM.YY', '2026-09-04'],
		['31.09.2026', 'DD.MM.YYYY', undefined],
		['2026-09-04', 'YYYYMM', undefined]
	] as const)('%s as %s', (text, format, wanted) => expect(parseSourceDate(text, format)).toBe(wanted));
	test('tell how they are written', () => {
		expect(dateFormats(['03/04/2026', '25/04/2026'])).toEqual(['DD/MM/YYYY']);
		expect(dateFormats(['03/04/2026'])).toEqual(['DD/MM/YYYY', 'MM/DD/YYYY']);
	});
});

describe('detecting how a text is written', () => {
	const bytes = (text: string) => new TextEncoder().encode(text);
	test('encoding of a beginning that is cut within a letter, and of bytes that only look like one', () => {
		const utf8 = new TextEncoder().encode('Zeile für Zeile €');
		expect(detectEncoding(utf8.subarray(0, utf8.length - 1), true)).toBe('utf-8');
		expect(detectEncoding(utf8.subarray(0, utf8.length - 1), false)).not.toBe('utf-8');
		// Four bytes a sign, and a fifth that is none.
		expect(detectEncoding(Uint8Array.from([0xf0, 0x9f, 0x9a, 0xa2]), false)).toBe('utf-8');
		expect(detectEncoding(Uint8Array.from([0xf0, 0x9f, 0x9a, 0x20]), false)).not.toBe('utf-8');
	});
	test('encoding', () => {
		expect(detectEncoding(bytes('Fähre'), false)).toBe('utf-8');
		expect(detectEncoding(bytes('Fähre').subarray(0, 2), true)).toBe('utf-8');
		expect(detectEncoding(Uint8Array.of(0x46, 0xe4, 0x68), false)).toBe('iso-8859-1');
		expect(detectEncoding(Uint8Array.of(0x80, 0x31), false)).toBe('windows-1252');
		expect(detectEncoding(Uint8Array.of(0xff, 0xfe, 0x41, 0), false)).toBe('utf-16le');
		expect(detectEncoding(Uint8Array.of(0, 0x41, 0, 0x42, 0, 0x43, 0, 0x44), false)).toBe('utf-16be');
	});
	test('delimiter, quote', () => {
		expect(detectDelimiter('a;b;c\n1,5;2,5;3,5\n')).toBe(';');
		expect(detectDelimiter('a\tb\n1\t2\n')).toBe('\t');
		expect(detectDelimiter('a,b\n"x;y;z",2\n')).toBe(',');
		expect(detectQuote("'a','b'\n'1','2'\n")).toBe("'");
	});
	test('rows above the data', () => {
		expect(
			detectHeaderRows([
				['Account', 'Amount'],
				['70', '1']
			])
		).toBe(1);
		expect(
			detectHeaderRows([
				['Extract of 30 September', ''],
				['', ''],
				['Account', 'Unit', 'Amount'],
				['70', 'x', '1']
			])
		).toBe(3);
		expect(
			detectHeaderRows([
				['70', '1'],
				['71', '2']
			])
		).toBe(0);
	});
});

describe('reading rows', () => {
	const model = buildModel({
		accounts: [{ code: 'all' }, { code: 'sales', parent: 'all', account: { kind: 'revenue' } }],
		scenarios: [{ code: 'actual' }]
	});
	const idOf = (ordinal: number) => model.accounts.member(ordinal).id;
	const recipe = (more: Partial<ImportRecipe> = {}): ImportRecipe => ({
		rules: [
			{
				dimension: 1,
				from: 'column',
				columns: ['acc'],
				separator: '',
				lines: [line({ kind: 'single', value: '70' }, idOf(1), { reverseSign: true }), line({ kind: 'single', value: '7' }, idOf(0))]
			},
			{ dimension: 2, from: 'date', column: 'day', format: 'DD.MM.YYYY' },
			{ dimension: 3, from: 'fixed', member: model.scenarios.member(0).id }
		],
		amountColumns: ['amount'],
		amountStyle: { decimal: '.', group: '' },
		currencyColumn: null,
		reversedKinds: [],
		valueDates: 'YYYY-MM-DD',
		...more
	});
	const headings = ['acc', 'day', 'amount'];
	const read = (row: string[], of: ImportRecipe = recipe(), names = headings, chosen = {}) => {
		const reader = new RowReader(model, of, names, chosen);
		const outcome = reader.read(row);
		return {
			outcome,
			cells: Array.from({ length: reader.count }, (_, index) => [reader.periods[index], reader.amounts[index]]),
			faults: reader.faults.map(({ code, column }) => [code, column]),
			messages: reader.faults.map(({ message }) => message)
		};
	};
	test('a row becomes a cell and an amount, its sign reversed by its line', () =>
		expect(read(['70', '02.05.2026', '12.50-'])).toMatchObject({ outcome: 'loaded', cells: [[1, 12.5]] }));
	test('every fault of a row is told', () =>
		expect(read(['71', '02.05.2020', 'x']).faults).toEqual([
			['no member', 'acc'],
			['outside the calendar', 'day'],
			['not an amount', 'amount']
		]));
	test('a parent takes no numbers', () =>
		expect(read(['7', '02.05.2026', '1']).messages).toEqual(['account: all is not a leaf, so it holds no numbers of its own.']));
	test('a date in another format says which one it looks like', () =>
		expect(read(['70', '2026/05/02', '1']).messages[0]).toBe('“2026/05/02” is not a date written DD.MM.YYYY. It looks like YYYY/MM/DD.'));
	test('the kind of an account may reverse the sign too', () =>
		expect(read(['70', '02.05.2026', '5'], recipe({ reversedKinds: ['revenue'] })).cells).toEqual([[1, 5]]));
	test('no sign is reversed where the value says which, not how much', () => {
		const dated = buildModel({
			accounts: [{ code: 'starts', account: { kind: 'statistic', valueType: 'date', timeBehaviour: 'none', consolidation: 'none' } }],
			scenarios: [{ code: 'plan' }]
		});
		const of = recipe({ reversedKinds: ['statistic'], valueDates: 'DD.MM.YYYY' });
		of.rules[0] = { dimension: 1, from: 'fixed', member: dated.accounts.member(0).id };
		of.rules[2] = { dimension: 3, from: 'fixed', member: dated.scenarios.member(0).id };
		const reader = new RowReader(dated, of, headings, {});
		expect(reader.read(['', '02.05.2026', '15.01.2028'])).toBe('loaded');
		expect(reader.amounts[0]).toBe(Date.UTC(2028, 0, 15) / 86_400_000);
	});
	test('several columns are joined', () => {
		const joined = recipe();
		joined.rules[0] = {
			dimension: 1,
			from: 'column',
			columns: ['acc', 'sub'],
			separator: '-',
			lines: [line({ kind: 'single', value: '7-0' }, idOf(1))]
		};
		expect(read(['7 ', '02.05.2026', '5', ' 0'], joined, [...headings, 'sub']).outcome).toBe('loaded');
	});
	test('a column a period, counted from the period chosen', () => {
		const wide = recipe({ amountColumns: ['m1', 'm2', 'm3'] });
		wide.rules[1] = { dimension: 2, from: 'chosen' };
		const names = ['acc', 'm1', 'm2', 'm3'];
		const may = model.periods.dimension.member(model.periods.leaf(1).ordinal).id;
		expect(read(['70', '1', '', '3'], wide, names, { 2: may }).cells).toEqual([
			[1, -1],
			[3, -3]
		]);
		expect(read(['70', '1', '2', '3'], wide, names).messages).toEqual(['period: choose which one the file is for.']);
	});
	test('a column a period, by headings that are dates', () => {
		const wide = recipe({ amountColumns: ['2026-04', '2026-06'] });
		wide.rules[1] = { dimension: 2, from: 'headings', format: 'YYYY-MM' };
		expect(read(['70', '1', '2'], wide, ['acc', '2026-04', '2026-06']).cells).toEqual([
			[0, -1],
			[2, -2]
		]);
	});
	test('an amount in another currency is kept by the rates of the month, or by those of the branch it is loaded into', () => {
		const at = (value: number) =>
			['average' as const].map((kind) => ({ currency: 'NOK', kind, from: '2026-01-01', to: '2028-12-31', value }));
		const fjord = buildModel({
			accounts: [{ code: 'sales', account: {} }],
			scenarios: [{ code: 'plan' }],
			entities: [{ code: 'fjord', currency: 'NOK' }],
			rates: at(10),
			otherRates: at(20)
		});
		const of = recipe({ currencyColumn: 'currency', amountColumns: ['amount'] });
		const fixed = (axis: number) => ({
			dimension: fjord.dimensions[axis]!.id,
			from: 'fixed' as const,
			member: fjord.dimensions[axis]!.member(0).id
		});
		of.rules = [...fjord.dimensions.map((_, axis) => fixed(axis)), of.rules.find(({ from }) => from === 'date')!];
		const names = [...headings, 'currency'];
		const row = names.map((name) => (name === 'currency' ? 'EUR' : name === 'amount' ? '7' : name === 'acc' ? '70' : '02.05.2026'));
		const amount = (ratesInstead?: { of: number; by: number }) => {
			const reader = new RowReader(fjord, { ...of, ratesInstead }, names);
			expect(reader.read(row)).toBe('loaded');
			return reader.amounts[0];
		};
		expect([amount(), amount({ of: 1, by: 2 }), amount({ of: 2, by: 1 })]).toEqual([70, 140, 70]);
	});
	test('the line that decided is told', () => {
		const of = recipe();
		const reader = new RowReader(model, of, headings);
		reader.read(['70', '02.05.2026', '1']);
		expect(reader.winners[0]).toBe((of.rules[0] as { lines: MapLine[] }).lines[0]!.id);
	});

	test('amounts run up to date: what each period adds, by the file and by what stood before', () => {
		const empty = () => new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
		const address = Int32Array.of(1, 0);
		const fill = (store: SeriesStore, values: Record<number, number>) => {
			const block = store.ensureBlockOf(address, model.periods.leaf(0).fiscalYear);
			const series = block.ensure(address);
			for (const [position, value] of Object.entries(values)) block.values[series * block.width + Number(position)] = value;
			return store;
		};
		const movements = (file: Record<number, number>, before: Record<number, number>, periods: number[]) => {
			const loaded = fill(empty(), file);
			differenceToDate(model, loaded, fill(empty(), before), new Set(periods), () => true);
			const block = loaded.blockOf(address, model.periods.leaf(0).fiscalYear)!;
			return Array.from(block.values.subarray(0, 4));
		};
		expect(movements({ 0: 10, 1: 30, 2: 25 }, {}, [0, 1, 2])).toEqual([10, 20, -5, Number.NaN]);
		expect(movements({ 2: 100.3 }, { 0: 40, 1: 20.1 }, [2])).toEqual([Number.NaN, Number.NaN, 40.2, Number.NaN]);
		// Its balance has left the file: it is taken out.
		expect(movements({}, { 0: 40 }, [1])).toEqual([Number.NaN, -40, Number.NaN, Number.NaN]);
		fc.assert(
			fc.property(fc.array(fc.integer({ min: -1000, max: 1000 }), { minLength: 4, maxLength: 4 }), (own) => {
				const runUp = own.map((_, index) => own.slice(0, index + 1).reduce((sum, value) => sum + value, 0));
				expect(movements(Object.fromEntries(runUp.entries()), {}, [0, 1, 2, 3])).toEqual(own.map((value) => value + 0));
			})
		);
	});

	test('amounts to date in another currency: first what a period adds, then its rate: 100 and 200 at 1 and 2 make 100 and 200', () => {
		const norway = buildModel({
			accounts: [{ code: 'Sales', account: {} }],
			scenarios: [{ code: 'Actual' }],
			entities: [{ code: 'Coast', currency: 'EUR' }],
			// One krone is worth 1 EUR in April and 2 in May.
			rates: [
				{ currency: 'NOK', kind: 'average', from: '2026-04-01', to: '2026-04-30', value: 1 },
				{ currency: 'NOK', kind: 'average', from: '2026-05-01', to: '2028-03-31', value: 0.5 }
			]
		});
		const store = (values: Record<number, number>) => {
			const made = new SeriesStore(norway.dimensions.length, norway.periods.width, norway.scenarioAxis);
			const block = made.ensureBlockOf([0, 0, 0], 2027);
			const series = block.ensure([0, 0, 0]);
			for (const [position, value] of Object.entries(values)) block.values[series * block.width + Number(position)] = value;
			return made;
		};
		const movements = (
			written: Record<number, number>,
			before: Record<number, number>,
			periods: number[],
			local?: Record<number, number>
		) => {
			const loaded = store({});
			const currencies = new Map([['NOK', store(written)], ...(local ? [['EUR', store(local)] as const] : [])]);
			differenceToDateInCurrencies(norway, loaded, currencies, store(before), new Set(periods), () => true);
			return Array.from(loaded.blockOf([0, 0, 0], 2027)!.values.subarray(0, 2));
		};
		expect(movements({ 0: 100, 1: 200 }, {}, [0, 1])).toEqual([100, 200]);
		// May alone: what April brought stands in EUR.
		expect(movements({ 1: 200 }, { 0: 100 }, [1])).toEqual([Number.NaN, 200]);
		// Beside rows in the line’s own currency.
		expect(movements({ 0: 100, 1: 200 }, {}, [0, 1], { 0: 7, 1: 9 })).toEqual([107, 202]);
	});
});
