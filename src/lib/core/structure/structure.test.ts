import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
	applyEdits,
	diffStates,
	fieldsOf,
	inTreeOrder,
	nearest,
	planRows,
	printField,
	revertDiff,
	type DimensionState,
	type Edit,
	type Lookups,
	type MemberState
} from '.';
import { checkState } from './check';
import { defaultFacts, parseField } from './fields';

const LOOKUPS: Lookups = {
	accounts: new Set(['A', 'B']),
	periods: new Set(['2027-04']),
	scenarios: new Set(),
	rateSets: new Set(),
	currencies: new Set(['EUR', 'NOK']),
	people: new Set(['a@x.example', 'b@x.example']),
	peopleByName: new Map([
		['ada hill', ['a@x.example']],
		['bo lund', ['b@x.example', 'a@x.example']]
	]),
	dimensions: new Set()
};

/** A state from lines "code under parent". */
function stateOf(lines: Record<string, string | null>, kind: DimensionState['kind'] = 'general'): DimensionState {
	const codes = Object.keys(lines);
	const idOf = (code: string) => codes.indexOf(code) + 1;
	const members = new Map<number, MemberState>(
		codes.map((code, index) => [
			index + 1,
			{
				id: index + 1,
				code,
				name: `Name of ${code}`,
				unassigned: false,
				retired: false,
				parent: lines[code] === null ? null : idOf(lines[code]!),
				weight: 1,
				position: index + 1,
				facts: {},
				places: {}
			}
		])
	);
	return { name: 'Route', kind, fields: fieldsOf(kind, [{ name: 'Region', type: 'choice', choices: ['North', 'South'] }]), members };
}

const tree = (state: DimensionState) => inTreeOrder(state).map(({ member, depth }) => `${'-'.repeat(depth)}${member.code}`);
const base = () => stateOf({ ALL: null, N: 'ALL', N1: 'N', N2: 'N', S: 'ALL' });
const edit = (state: DimensionState, ...edits: Edit[]) => {
	const result = applyEdits(state, edits, LOOKUPS);
	if ('faults' in result) throw new Error(result.faults.map(({ message }) => message).join(' '));
	return result.next;
};

describe('edits', () => {
	test('add beside and under, in their place', () => {
		const next = edit(
			base(),
			{ act: 'add', code: 'N0', name: 'First', parent: 2, before: 3 },
			{ act: 'add', code: 'S1', name: 'Below', parent: 5 },
			{ act: 'add', code: 'X', name: 'Last', parent: null }
		);
		expect(tree(next)).toEqual(['ALL', '-N', '--N0', '--N1', '--N2', '-S', '--S1', 'X']);
	});
	test('an account of which nothing is said is like the one above it, but for a formula', () => {
		const state = stateOf({ R: null, FEES: 'R', SHARE: 'R', ALONE: null }, 'account');
		state.members.get(2)!.facts = defaultFacts('account', { kind: 'income' });
		state.members.get(3)!.facts = { ...defaultFacts('account', { kind: 'rate' }), consolidation: 'formula', decimals: 1 };
		const next = edit(
			state,
			{ act: 'add', code: 'LIKE', name: 'Like the share', parent: 1 },
			{ act: 'add', code: 'BETWEEN', name: 'Like the fees', parent: 1, before: 3 },
			{ act: 'add', code: 'ABOVE', name: 'Above the fees', parent: 1, before: 2 },
			{ act: 'add', code: 'SAID', name: 'Said otherwise', parent: 1, facts: { kind: 'asset' } },
			{ act: 'add', code: 'FIRST', name: 'Nothing beside it', parent: 4 }
		);
		const factsOf = (code: string) => [...next.members.values()].find((member) => member.code === code)!.facts;
		expect(factsOf('LIKE')).toEqual({
			kind: 'rate',
			valueType: 'percent',
			timeBehaviour: 'none',
			consolidation: 'none',
			frequency: 'per period',
			decimals: 1
		});
		expect(factsOf('BETWEEN')).toEqual(defaultFacts('account', { kind: 'income' }));
		expect(factsOf('ABOVE')).toEqual(defaultFacts('account', { kind: 'income' }));
		expect(factsOf('SAID')).toEqual(defaultFacts('account', { kind: 'asset' }));
		expect(factsOf('FIRST')).toEqual(defaultFacts('account', {}));
	});
	test('move several at once, keeping their order', () =>
		expect(tree(edit(base(), { act: 'move', members: [3, 4], parent: 1, before: 5 }))).toEqual(['ALL', '-N', '-N1', '-N2', '-S']));
	test.each<[string, Edit, string]>([
		[
			'a circle, naming its path',
			{ act: 'move', members: [1], parent: 3 },
			'A circle: “Name of ALL” under “Name of N1” under “Name of N” under “Name of ALL”.'
		],
		['a code twice', { act: 'set', member: 3, field: 'code', value: 'S' }, 'The code S is used by “Name of N1” and by “Changed”.'],
		[
			'a name of 500 characters',
			{ act: 'set', member: 3, field: 'name', value: 'x'.repeat(500) },
			'The name has 500 characters; 200 are the most.'
		],
		['text that looks like a formula', { act: 'set', member: 3, field: 'name', value: '=SUM(A1)' }, 'looks like a formula'],
		['a weight of 2', { act: 'set', member: 3, field: 'weight', value: '2' }, 'A weight is 1, −1 or 0.'],
		['a choice that there is not', { act: 'set', member: 3, field: 'attribute Region', value: 'East' }, '“East” is none of North, South.'],
		['deleting a member with others under it', { act: 'remove', member: 2 }, 'has members under it, “Name of N1” first'],
		['what somebody else changed meanwhile', { act: 'set', member: 3, field: 'name', value: 'Mine', was: 'Old' }, 'was changed meanwhile'],
		['a member that is gone', { act: 'set', member: 77, field: 'name', value: 'Mine' }, 'not there any more']
	])('refuse %s, and change nothing', (_, wrong, sentence) => {
		const state = base();
		const before = tree(state);
		expect(() => edit(state, { act: 'set', member: 5, field: 'name', value: 'Changed' }, wrong)).toThrow(sentence);
		expect(tree(state)).toEqual(before);
		expect(state.members.get(5)!.name).toBe('Name of S');
	});
	test('nothing stands under the unassigned member', () => {
		const state = edit(base(), { act: 'add', code: 'NONE', name: 'No route', parent: 1, unassigned: true });
		const none = [...state.members.values()].find(({ unassigned }) => unassigned)!;
		expect(() => edit(state, { act: 'move', members: [3], parent: none.id })).toThrow('nothing can stand under it');
	});
	test('an alternate hierarchy has places of its own', () => {
		const next = edit(
			base(),
			{ act: 'add', code: 'ISLANDS', name: 'Islands', parent: null, hierarchy: 'By shore' },
			{ act: 'move', members: [3, 5], parent: -1, hierarchy: 'By shore' }
		);
		expect(inTreeOrder(next, 'By shore').map(({ member, depth }) => `${'-'.repeat(depth)}${member.code}`)).toEqual([
			'ISLANDS',
			'-N1',
			'-S'
		]);
		expect(tree(next)).toEqual(['ALL', '-N', '--N1', '--N2', '-S', 'ISLANDS']);
	});
	test('random edits can be taken back one after the other', () => {
		const id = fc.integer({ min: 1, max: 6 });
		const parent = fc.oneof(fc.constant(null), id);
		const anyEdit: fc.Arbitrary<Edit> = fc.oneof(
			fc.record({ act: fc.constant('move' as const), members: id.map((each) => [each]), parent }),
			fc.record({ act: fc.constant('add' as const), code: fc.stringMatching(/^[A-Z]{2}[0-9]$/), name: fc.constant('New'), parent }),
			fc.record({
				act: fc.constant('set' as const),
				member: id,
				field: fc.constantFrom('name', 'weight', 'attribute Region'),
				value: fc.constantFrom('1', '-1', 'North', '')
			}),
			fc.record({ act: fc.constant('remove' as const), member: id })
		);
		fc.assert(
			fc.property(fc.array(anyEdit, { maxLength: 12 }), (edits) => {
				const start = base();
				let state = start;
				const done: ReturnType<typeof diffStates>[] = [];
				for (const each of edits) {
					const result = applyEdits(state, [each], LOOKUPS);
					if ('faults' in result) continue;
					// Stored members have ids of their own; here the next free one.
					const fresh = Math.max(...state.members.keys()) + 1;
					const members = new Map(
						[...result.next.members.values()].map((member) => [
							member.id < 0 ? fresh : member.id,
							{ ...member, id: member.id < 0 ? fresh : member.id }
						])
					);
					const next = { ...result.next, members };
					done.push(diffStates(state, next));
					expect(checkState(next)).toEqual([]);
					state = next;
				}
				for (const diff of done.reverse()) {
					const reverted = revertDiff(state, diff);
					if ('changedSince' in reverted) throw new Error(`Changed since: ${reverted.changedSince.join()}`);
					state = reverted.next;
				}
				expect(diffStates(start, state)).toEqual([]);
			}),
			{ numRuns: 200 }
		);
	});
	test('what was changed since is not taken back', () => {
		const first = edit(base(), { act: 'set', member: 3, field: 'name', value: 'One' });
		const second = edit(first, { act: 'set', member: 3, field: 'name', value: 'Two' });
		expect(revertDiff(second, diffStates(base(), first))).toEqual({ changedSince: ['Two'] });
	});
});

describe('pasted rows', () => {
	const plan = (grid: string[][], state = base(), absent?: 'retire') => planRows(state, grid, LOOKUPS, absent);
	test('say what each would do', () => {
		const { lines, counts, next, columns } = plan([
			['ID', 'Label', 'Under', 'region', 'Colour'],
			['N1', 'Name of N1', 'N', '', 'red'],
			['N2', 'Renamed', 'S', 'north', ''],
			['N3', 'New one', 'N9', '', ''],
			['N9', 'Further down', 'ALL', '', '']
		]);
		expect(columns.map(({ field }) => field)).toEqual(['code', 'name', 'parent', 'attribute Region', undefined]);
		expect(lines.map(({ code, action }) => `${code} ${action}`)).toEqual(['N1 same', 'N2 move', 'N3 add', 'N9 add']);
		expect(lines[1]!.changes).toContainEqual({ title: 'Parent', before: 'N', after: 'S' });
		expect(counts).toMatchObject({ same: 1, move: 1, add: 2, error: 0 });
		expect(tree(next)).toEqual(['ALL', '-N', '--N1', '-S', '--N2', '-N9', '--N3']);
	});
	test.each<[string, string[][], number, string]>([
		['a code twice', [['Code'], ['X'], ['X']], 3, 'The code X is in row 2 already.'],
		[
			'two parents',
			[
				['Code', 'Parent'],
				['N1', 'N'],
				['N1', 'S']
			],
			3,
			'N1 stands under “N” in row 2 and under “S” here.'
		],
		[
			'a parent that is missing, with the nearest',
			[
				['Code', 'Parent'],
				['X', 'ALLL']
			],
			2,
			'There is no parent “ALLL”. Did you mean ALL?'
		],
		[
			'a circle',
			[
				['Code', 'Parent'],
				['A', 'B'],
				['B', 'A']
			],
			2,
			'A circle: A under B under A.'
		],
		[
			'a circle with what is there',
			[
				['Code', 'Parent'],
				['ALL', 'N1']
			],
			2,
			'A circle'
		],
		[
			'long names',
			[
				['Code', 'Name'],
				['X', 'y'.repeat(500)]
			],
			2,
			'500 characters'
		],
		[
			'formulas',
			[
				['Code', 'Name'],
				['X', '=1+1']
			],
			2,
			'looks like a formula'
		],
		[
			'mixed encodings',
			[
				['Code', 'Name'],
				['X', 'K\ufffdben']
			],
			2,
			'mixes encodings'
		],
		[
			'wrong types',
			[
				['Code', 'Region'],
				['X', 'West']
			],
			2,
			'is none of North, South'
		],
		[
			'an empty code',
			[
				['Code', 'Name'],
				['', 'Nameless']
			],
			2,
			'The code is empty.'
		],
		[
			'a faulty parent',
			[
				['Code', 'Name', 'Parent'],
				['P', '=x', ''],
				['C', 'Child', 'P']
			],
			3,
			'has a fault of its own'
		]
	])('name %s in its row', (_, grid, row, sentence) => {
		const { lines, next } = plan(grid);
		const line = lines.find((each) => each.row === row)!;
		expect(line.action).toBe('error');
		expect(line.faults.join(' ')).toContain(sentence);
		// What is faulty leaves no trace in the state.
		expect(checkState(next)).toEqual([]);
	});
	test('retire what no row names, where asked', () => {
		const { lines, next } = plan([['Code'], ['ALL'], ['N'], ['N1'], ['S']], base(), 'retire');
		expect(lines.filter(({ action }) => action === 'retire').map(({ code }) => code)).toEqual(['N2']);
		expect([...next.members.values()].find(({ code }) => code === 'N2')!.retired).toBe(true);
	});
	test('an export pasted back changes nothing', () => {
		const state = edit(
			base(),
			{ act: 'set', member: 3, field: 'attribute Region', value: 'South' },
			{ act: 'set', member: 4, field: 'weight', value: '-1' }
		);
		const grid = [
			['Code', 'Name', 'Parent', 'Weight', ...state.fields.map(({ title }) => title)],
			...inTreeOrder(state).map(({ member }) => [
				member.code,
				member.name,
				member.parent === null ? '' : state.members.get(member.parent)!.code,
				String(member.weight),
				...state.fields.map(({ key }) => printField(member.facts[key]))
			])
		];
		const { counts, next } = plan(grid, state);
		expect(counts).toMatchObject({ same: 5, add: 0, change: 0, move: 0, error: 0 });
		expect(diffStates(state, next)).toEqual([]);
	});
	test('a new account without facts gets what is usual', () => {
		const { next } = planRows(
			stateOf({ R: null }, 'account'),
			[
				['Code', 'Kind'],
				['DEBT', 'liability'],
				['HEADS', 'statistic']
			],
			LOOKUPS
		);
		const facts = (code: string) => [...next.members.values()].find((member) => member.code === code)!.facts;
		expect(facts('DEBT')).toMatchObject({ timeBehaviour: 'closing', valueType: 'money', decimals: 2 });
		expect(facts('HEADS')).toMatchObject({ timeBehaviour: 'flow', valueType: 'quantity', decimals: 0 });
	});
	test('20,000 rows are planned in one go', () => {
		const grid = [
			['Code', 'Name', 'Parent'],
			...Array.from({ length: 20_000 }, (_, index) => [`M${index}`, `Member ${index}`, index < 20 ? '' : `M${index % 20}`])
		];
		const { counts, next } = plan(grid);
		expect(counts.add).toBe(20_000);
		expect(next.members.size).toBe(20_005);
	});
});

describe('fields', () => {
	const field = (key: string) => fieldsOf('entity', [{ name: 'Opened', type: 'date', choices: [] }]).find((each) => each.key === key)!;
	test.each<[string, string, unknown]>([
		['currency', 'NOK', { value: 'NOK' }],
		['currency', 'XXX', { fault: 'Currency: there is no “XXX”.' }],
		['reviewers', 'a@x.example;b@x.example', { value: 'a@x.example; b@x.example' }],
		['reviewers', 'Ada  Hill, B@x.example', { value: 'a@x.example; b@x.example' }],
		['reviewers', 'ADA HILL\na@x.example', { value: 'a@x.example' }],
		['owner', 'Ada Hill', { value: 'a@x.example' }],
		['owner', 'Bo Lund', { fault: 'Owner: several people are called Bo Lund. Give the address: b@x.example or a@x.example.' }],
		['owner', 'Cy Nobody', { fault: 'Owner: nobody here is called “Cy Nobody”.' }],
		['attribute Opened', '2027-02-28', { value: '2027-02-28' }],
		['attribute Opened', '31.2.2027', { fault: 'Opened: “31.2.2027” is not a date like 2027-04-01.' }],
		['owner', '  ', { value: undefined }]
	])('%s from “%s”', (key, text, wanted) => expect(parseField(field(key), text, LOOKUPS)).toEqual(wanted));
	test('defaults follow the kind', () =>
		expect(defaultFacts('account', { kind: 'rate' })).toMatchObject({ valueType: 'percent', consolidation: 'none' }));
	test('the nearest text is near', () => {
		expect(nearest('Parnt', ['Code', 'Parent'])).toBe('Parent');
		expect(nearest('Colour', ['Code', 'Parent'])).toBeUndefined();
	});
});
