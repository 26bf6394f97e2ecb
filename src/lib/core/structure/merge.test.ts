import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { diffStates, fieldsOf, inTreeOrder, mergeMembers, type DimensionState, type Lookups, type MemberState, type OtherMember } from '.';

const LOOKUPS: Lookups = {
	accounts: new Set(),
	periods: new Set(),
	scenarios: new Set(),
	rateSets: new Set(),
	currencies: new Set(['EUR']),
	people: new Set(['a@x.example']),
	dimensions: new Set()
};

type Line = [code: string, parent: string | null, more?: Partial<OtherMember>];

/** Members as another dimension holds them, in the order of its tree. */
const others = (...lines: Line[]): OtherMember[] =>
	lines.map(([code, parent, more]) => ({ code, name: `Name of ${code}`, parent, weight: 1, ...more }));

/** The same as a state of this dimension. */
function stateOf(lines: readonly OtherMember[]): DimensionState {
	const idOf = (code: string | null) => (code === null ? null : lines.findIndex((line) => line.code === code) + 1);
	return {
		name: 'Route',
		kind: 'general',
		fields: fieldsOf('general', [{ name: 'Region', type: 'choice', choices: ['North', 'South'] }]),
		members: new Map(
			lines.map(({ code, name, parent, weight, unassigned, retired, facts, places }, at): [number, MemberState] => [
				at + 1,
				{
					id: at + 1,
					code,
					name,
					unassigned: unassigned ?? false,
					retired: retired ?? false,
					parent: idOf(parent),
					weight,
					position: at + 1,
					facts: facts ?? {},
					places: Object.fromEntries(
						Object.entries(places ?? {}).map(([hierarchy, place]) => [
							hierarchy,
							{ parent: idOf(place.parent), weight: place.weight, position: place.order }
						])
					)
				}
			])
		)
	};
}

const tree = (state: DimensionState, hierarchy?: string) =>
	inTreeOrder(state, hierarchy).map(({ member, depth }) => `${'-'.repeat(depth)}${member.code}`);
const base = () => others(['ALL', null], ['N', 'ALL'], ['N1', 'N'], ['N2', 'N'], ['S', 'ALL']);
const merge = (state: DimensionState, from: OtherMember[], taken: string[], retire: string[] = [], hierarchies: string[] = []) =>
	mergeMembers(state, from, { members: new Set(taken), retire: new Set(retire) }, hierarchies, LOOKUPS);
const next = (merged: ReturnType<typeof mergeMembers>): DimensionState => {
	if ('faults' in merged) throw new Error(merged.faults.map(({ message }) => message).join(' '));
	return merged.next;
};

describe('members taken from another dimension', () => {
	test('a new one stands behind the one it follows there; one that is not chosen does not come', () => {
		const from = others(['ALL', null], ['N', 'ALL'], ['N1', 'N'], ['X', 'N'], ['Y', 'N'], ['N2', 'N'], ['S', 'ALL']);
		expect(tree(next(merge(stateOf(base()), from, ['X'])))).toEqual(['ALL', '-N', '--N1', '--X', '--N2', '-S']);
		expect(tree(next(merge(stateOf(base()), from, ['X', 'Y'])))).toEqual(['ALL', '-N', '--N1', '--X', '--Y', '--N2', '-S']);
	});
	test('first of all, and under a parent that had nobody', () => {
		const from = others(['ALL', null], ['A', 'ALL'], ['N', 'ALL'], ['N1', 'N'], ['N2', 'N'], ['S', 'ALL'], ['S1', 'S'], ['S2', 'S']);
		expect(tree(next(merge(stateOf(base()), from, ['A', 'S1', 'S2'])))).toEqual(['ALL', '-A', '-N', '--N1', '--N2', '-S', '--S1', '--S2']);
	});
	test('a change of name alone leaves the place as it is here', () => {
		const own = others(['ALL', null], ['S', 'ALL'], ['N', 'ALL']);
		const from = others(['ALL', null], ['N', 'ALL', { name: 'North' }], ['S', 'ALL']);
		const state = stateOf(own);
		const after = next(merge(state, from, ['N']));
		expect(tree(after)).toEqual(['ALL', '-S', '-N']);
		expect(diffStates(state, after).map(({ after: member }) => [member!.code, member!.name])).toEqual([['N', 'North']]);
	});
	test('one that moves goes with its children, and one that is missing there retires', () => {
		const from = others(['ALL', null], ['S', 'ALL'], ['N', 'S'], ['N1', 'N']);
		const after = next(merge(stateOf(base()), from, ['N'], ['N2']));
		expect(tree(after)).toEqual(['ALL', '-S', '--N', '---N1', '---N2']);
		expect([...after.members.values()].filter(({ retired }) => retired).map(({ code }) => code)).toEqual(['N2']);
	});
	test.each<[string, OtherMember[], string[], string]>([
		['a parent that is not chosen', others(['ALL', null], ['P', 'ALL'], ['C', 'P']), ['C'], 'It stands under P, which is not here'],
		['a circle with a move not taken', others(['N', null], ['ALL', 'N']), ['ALL'], 'A circle'],
		['an attribute that is not here', others(['ALL', null, { facts: { 'attribute Size': 'L' } }]), ['ALL'], 'the attribute Size'],
		['a choice that is none here', others(['ALL', null, { facts: { 'attribute Region': 'East' } }]), ['ALL'], 'none of North, South'],
		[
			'a hierarchy that is not here',
			others(['ALL', null, { places: { Season: { parent: null, weight: 1, order: 1 } } }]),
			['ALL'],
			'in the hierarchy Season'
		]
	])('%s is told at the member', (_, from, taken, sentence) => {
		const merged = merge(stateOf(base()), from, taken);
		expect(merged).toEqual({ faults: expect.arrayContaining([{ code: taken[0], message: expect.stringContaining(sentence) }]) });
	});
	test('alternates have an order of their own', () => {
		const place = (parent: string | null, order: number) => ({ places: { Season: { parent, weight: 1, order } } });
		const own = others(['ALL', null, place(null, 1)], ['N', 'ALL', place('ALL', 3)], ['S', 'ALL', place('ALL', 2)]);
		const from = others(
			['ALL', null, place(null, 1)],
			['N', 'ALL', place('ALL', 3)],
			['S', 'ALL', place('ALL', 2)],
			['X', 'ALL', place('ALL', 2.5)]
		);
		const after = next(merge(stateOf(own), from, ['X'], [], ['Season']));
		expect(tree(after)).toEqual(['ALL', '-N', '-S', '-X']);
		expect(tree(after, 'Season')).toEqual(['ALL', '-S', '-X', '-N']);
	});

	/** A tree of codes A, B, C …: each under one before it, or at the top. */
	const someTree = fc
		.array(fc.record({ under: fc.nat(20), name: fc.constantFrom('one', 'other'), weight: fc.constantFrom(1, -1) }), {
			minLength: 1,
			maxLength: 20
		})
		.chain((lines) =>
			fc.record({ lines: fc.constant(lines), leftOut: fc.array(fc.nat(20), { maxLength: 5 }) }).map(({ lines: all, leftOut }) => {
				const members = all.map(({ under, name, weight }, at): OtherMember => {
					const parent = at === 0 ? null : String.fromCharCode(65 + (under % at));
					return { code: String.fromCharCode(65 + at), name, parent, weight };
				});
				// In the order of the tree, as packages have them.
				const state = stateOf(members);
				const order = inTreeOrder(state).map(({ member }) => members.find(({ code }) => code === member.code)!);
				const gone = new Set(leftOut.map((at) => String.fromCharCode(65 + (at % all.length))));
				const below = (code: string | null): boolean =>
					code !== null && (gone.has(code) || below(members.find((each) => each.code === code)!.parent));
				return order.filter(({ code }) => !below(code));
			})
		)
		.filter((members) => members.length > 0);
	test('all of another dimension makes this one that one, with what is missing there behind, retired', () => {
		fc.assert(
			fc.property(someTree, someTree, (ours, theirs) => {
				const state = stateOf(ours);
				const missing = ours.filter(({ code }) => !theirs.some((other) => other.code === code)).map(({ code }) => code);
				const merged = merge(
					state,
					theirs,
					theirs.map(({ code }) => code),
					missing
				);
				// What stays here may hang between what moved there: then it says so.
				if ('faults' in merged) {
					expect(merged.faults.every(({ message }) => message.startsWith('A circle'))).toBe(true);
					return;
				}
				const byCode = new Map([...merged.next.members.values()].map((member) => [member.code, member]));
				for (const { code, name, parent, weight } of theirs) {
					const own = byCode.get(code)!;
					expect([own.name, own.weight, own.parent === null ? null : merged.next.members.get(own.parent)!.code]).toEqual([
						name,
						weight,
						parent
					]);
				}
				for (const code of missing) expect(byCode.get(code)!.retired).toBe(true);
				// Places are different: an order that is read again is the same.
				const places = new Set([...merged.next.members.values()].map(({ parent, position }) => `${parent} ${position}`));
				expect(places.size).toBe(merged.next.members.size);
				const again = merge(
					merged.next,
					theirs,
					theirs.map(({ code }) => code),
					missing
				);
				expect('next' in again && diffStates(merged.next, again.next)).toEqual([]);
			})
		);
	});
});
