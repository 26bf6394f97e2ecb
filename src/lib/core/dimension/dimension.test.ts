import { describe, expect, test } from 'vitest';
import { Dimension, selectMembers } from '.';
import { buildTree, type Tree } from './tree';

const members = ['all', 'north', 'n1', 'n2', 'south', 's1'].map((code, id) => ({
	id: id + 10,
	code,
	name: code.toUpperCase(),
	unassigned: false
}));
const node = (member: number, parent: number | null, weight = 1) => ({ member, parent, weight });
const nodes = [node(10, null), node(11, 10), node(12, 11), node(13, 11, -1), node(14, 10, -1), node(15, 14)];
const dimension = new Dimension({
	id: 1,
	code: 'd',
	name: 'D',
	kind: 'general',
	members: [...members, { id: 30, code: 'big', name: 'BIG', unassigned: false }],
	nodes,
	alternates: [{ name: 'By size', nodes: [node(30, null), node(13, 30, -1), node(14, 30)] }],
	attributes: [
		{
			name: 'berths',
			type: 'number',
			values: [
				{ member: 12, value: 3 },
				{ member: 13, value: 8 }
			]
		},
		{
			name: 'coast',
			type: 'choice',
			values: [
				{ member: 12, value: 'east' },
				{ member: 15, value: 'west' }
			]
		}
	]
});
const codes = (ordinals: number[]) => ordinals.map((ordinal) => dimension.member(ordinal).code);

function treeOf(result: ReturnType<typeof buildTree>): Tree {
	if ('faults' in result) throw new Error(result.faults[0]!.message);
	return result.tree;
}

describe('a tree', () => {
	test('lists what is under a member in order', () => expect(codes(dimension.tree.under(1))).toEqual(['north', 'n1', 'n2']));
	test('lists children, leaves, ancestors', () => {
		expect(codes(dimension.tree.children(0))).toEqual(['north', 'south']);
		expect(codes(dimension.tree.leaves(0))).toEqual(['n1', 'n2', 's1']);
		expect(codes(dimension.tree.ancestors(5))).toEqual(['south', 'all']);
		expect(dimension.tree.isUnder(5, 4)).toBe(true);
		expect(dimension.tree.isUnder(5, 1)).toBe(false);
	});
	test('multiplies weights on the way up', () => {
		const found: [string, number][] = [];
		dimension.tree.eachWeightedLeaf(0, (leaf, weight) => found.push([members[leaf]!.code, weight]));
		expect(found).toEqual([
			['n1', 1],
			['n2', -1],
			['s1', -1]
		]);
	});
	test('leaves out what hangs under a weight of 0', () => {
		const tree = treeOf(buildTree(members, [...nodes.slice(0, 4), node(14, 10, 0), node(15, 14)]));
		const found: number[] = [];
		tree.eachWeightedLeaf(0, (leaf) => found.push(leaf));
		expect(codes(found)).toEqual(['n1', 'n2']);
	});
	test('takes members outside the hierarchy as roots', () =>
		expect(codes(treeOf(buildTree(members, nodes.slice(0, 2))).roots())).toEqual(['all', 'n1', 'n2', 'south', 's1']));
	test('stands a chain of 20,000 members', () => {
		const long = Array.from({ length: 20_000 }, (_, id) => ({ id, code: `c${id}`, name: '', unassigned: false }));
		const tree = treeOf(
			buildTree(
				long,
				long.map(({ id }) => node(id, id === 0 ? null : id - 1))
			)
		);
		expect(tree.depth[19_999]).toBe(19_999);
		expect(tree.leaves(0)).toEqual([19_999]);
	});
});

describe('an alternate hierarchy', () => {
	const leavesOf = (ordinal: number) => {
		const found: [string, number][] = [];
		dimension.eachWeightedLeaf(ordinal, (leaf, weight) => found.push([dimension.member(leaf).code, weight]));
		return found;
	};
	test('may group parents of the main tree: their leaves count, with both weights', () =>
		expect(leavesOf(6)).toEqual([
			['n2', -1],
			['s1', 1]
		]));
	test('leaves the main tree as it is', () =>
		expect(leavesOf(0)).toEqual([
			['n1', 1],
			['n2', -1],
			['s1', -1]
		]));
	test('makes its groups no leaves', () => {
		expect(dimension.isLeaf(6)).toBe(false);
		expect(dimension.isLeaf(3)).toBe(true);
		expect(codes(dimension.leavesOf(6))).toEqual(['n2', 's1']);
	});
	test('may not reach a leaf twice', () =>
		expect(
			() =>
				new Dimension({
					id: 1,
					code: 'd',
					name: 'D',
					kind: 'general',
					members: [...members, { id: 30, code: 'big', name: 'BIG', unassigned: false }],
					nodes,
					alternates: [{ name: 'Twice', nodes: [node(30, null), node(12, 30), node(11, 30)] }]
				})
		).toThrow('Dimension D, Twice: “N1” is reached through “N1” and through “NORTH”.'));
});

describe('a faulty hierarchy is refused and named', () => {
	const faultsOf = (...args: Parameters<typeof buildTree>) => {
		const result = buildTree(...args);
		return 'faults' in result ? result.faults.map(({ code, message }) => `${code}: ${message}`) : [];
	};
	test('a second parent', () =>
		expect(faultsOf(members, [...nodes, node(15, 11)])).toEqual([
			'second parent: “S1” (s1) stands under “SOUTH” (south) and under “NORTH” (north).'
		]));
	test('a circle, with its path', () => {
		const circle = faultsOf(members, [node(10, null), node(11, 13), node(12, 11), node(13, 12), node(14, 10), node(15, 14)]);
		expect(circle).toHaveLength(1);
		expect(circle[0]).toMatch(/^circle: A circle: .*N1.* under .*/);
	});
	test('a circle that others hang under, whichever member comes first', () => {
		const circle = [node(15, 14), node(14, 13), node(13, 14), node(10, null), node(11, 13), node(12, 11)];
		expect(faultsOf(members, circle).filter((fault) => fault.startsWith('circle'))).toHaveLength(1);
		expect(faultsOf(members, [...circle].reverse()).filter((fault) => fault.startsWith('circle'))).toHaveLength(1);
		expect(faultsOf(members, [node(10, 10), ...nodes.slice(1)])[0]).toMatch(/^circle/);
	});
	test('a code used twice', () =>
		expect(faultsOf([...members, { id: 99, code: 's1', name: 'Other', unassigned: false }], nodes)).toEqual([
			'duplicate code: The code s1 is used by “S1” (s1) and by “Other” (s1).'
		]));
	test('an unknown member', () => expect(faultsOf(members, [...nodes, node(77, 10)])[0]).toMatch(/^unknown member: .*77/));
	test('all of them at once', () => expect(faultsOf(members, [...nodes, node(15, 11), node(77, 10)])).toHaveLength(2));
});

describe('selections', () => {
	test.each([
		[{ kind: 'these', members: [15, 10] }, ['s1', 'all']],
		[{ kind: 'children', of: 11 }, ['n1', 'n2']],
		[{ kind: 'leaves', of: 10 }, ['n1', 'n2', 's1']],
		[{ kind: 'under', of: 14 }, ['south', 's1']],
		[{ kind: 'leaves', of: 999 }, []],
		[{ kind: 'ancestors', of: 12 }, ['north', 'all']],
		[{ kind: 'siblings', of: 11 }, ['south']],
		[{ kind: 'level', depth: 1 }, ['north', 'south']],
		[{ kind: 'level', depth: 1, of: 14 }, ['s1']],
		[{ kind: 'range', from: 12, to: 15 }, ['n1', 'n2', 's1']],
		[{ kind: 'range', from: 14, to: 11 }, ['north', 'south']],
		[{ kind: 'where', in: { kind: 'leaves', of: 10 }, test: { attribute: 'berths', operator: '>=', value: 5 } }, ['n2']],
		[{ kind: 'where', in: { kind: 'leaves', of: 10 }, test: { attribute: 'coast', operator: '<>', value: 'east' } }, ['n2', 's1']],
		[
			{ kind: 'where', in: { kind: 'leaves', of: 10 }, test: { attribute: 'coast', operator: 'one of', value: ['east', 'west'] } },
			['n1', 's1']
		],
		[
			{
				kind: 'any of',
				selections: [
					{ kind: 'these', members: [15] },
					{ kind: 'leaves', of: 10 }
				]
			},
			['s1', 'n1', 'n2']
		],
		[{ kind: 'except', from: { kind: 'under', of: 10 }, without: { kind: 'under', of: 11 } }, ['all', 'south', 's1']],
		[{ kind: 'these', members: [{ variable: 'Home' }, { variable: 'Nowhere' }] }, ['n1']],
		[{ kind: 'leaves', of: 30, hierarchy: 'By size' }, ['n2', 'south']],
		[{ kind: 'leaves', of: 30, hierarchy: 'By age' }, []],
		// At the border of each comparison: 3 and 8 berths.
		[{ kind: 'where', in: { kind: 'all' }, test: { attribute: 'berths', operator: '<', value: 8 } }, ['n1']],
		[{ kind: 'where', in: { kind: 'all' }, test: { attribute: 'berths', operator: '<=', value: 8 } }, ['n1', 'n2']],
		[{ kind: 'where', in: { kind: 'all' }, test: { attribute: 'berths', operator: '>', value: 3 } }, ['n2']],
		[{ kind: 'where', in: { kind: 'all' }, test: { attribute: 'berths', operator: '=', value: 3 } }, ['n1']],
		// What lies within is read in the hierarchy of what is around it, unless it names its own.
		[
			{ kind: 'where', hierarchy: 'By size', in: { kind: 'leaves', of: 30 }, test: { attribute: 'berths', operator: '>', value: 3 } },
			['n2']
		],
		[{ kind: 'except', hierarchy: 'By size', from: { kind: 'leaves', of: 30 }, without: { kind: 'these', members: [13] } }, ['south']],
		[{ kind: 'any of', hierarchy: 'By size', selections: [{ kind: 'children', of: 30 }] }, ['n2', 'south']]
	] as const)('%j', (selection, wanted) =>
		expect(codes(selectMembers(dimension, selection as never, { variables: new Map([['Home', 12]]) }))).toEqual(wanted)
	);
	test('refer to the chosen member, and yield nothing while none is chosen', () => {
		expect(codes(selectMembers(dimension, { kind: 'leaves', of: 'chosen' }, { chosen: 1 }))).toEqual(['n1', 'n2']);
		expect(selectMembers(dimension, { kind: 'leaves', of: 'chosen' })).toEqual([]);
	});
});
