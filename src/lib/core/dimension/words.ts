import type { MemberReference, Selection } from './select';

/** A selection in words, with the names members have today. */
export function selectionInWords(selection: Selection, names: ReadonlyMap<number, string>): string {
	const reference = (each: MemberReference): string =>
		each === 'chosen' ? 'the one chosen' : typeof each === 'number' ? (names.get(each) ?? 'a member that is gone') : `$${each.variable}`;
	const words = (each: Selection): string => {
		switch (each.kind) {
			case 'these':
				return each.members.map(reference).join(', ') || 'nothing';
			case 'all':
				return 'all';
			case 'children':
			case 'leaves':
			case 'ancestors':
			case 'siblings':
				return `${each.kind} of ${reference(each.of)}`;
			case 'under':
				return `${reference(each.of)} and all under it`;
			case 'level':
				return each.of === undefined ? `level ${each.depth}` : `level ${each.depth} under ${reference(each.of)}`;
			case 'range':
				return `${reference(each.from)} to ${reference(each.to)}`;
			case 'where':
				return `${words(each.in)} where ${each.test.attribute} ${each.test.operator} ${[each.test.value].flat().join(', ')}`;
			case 'any of':
				return each.selections.map(words).join('; ') || 'nothing';
			case 'except':
				return `${words(each.from)} except ${words(each.without)}`;
			default:
				return each satisfies never;
		}
	};
	return words(selection);
}
