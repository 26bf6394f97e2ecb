import type { MemberReference, Selection } from './select';

const ordinal = (number: number): string => ['first', 'second', 'third', 'fourth', 'fifth', 'sixth'][number - 1] ?? `${number}th`;

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
			case 'leaf of each':
				return `the ${each.at > 0 ? ordinal(each.at) : each.at === -1 ? 'last' : `${ordinal(-each.at)} last`} leaf of each of ${words(each.in)}`;
			case 'relative': {
				const { by = 0, nth, take } = each;
				const count = Math.abs(by) === 1 ? 'the one' : `the ${ordinal(Math.abs(by))}`;
				const beside = by === 0 ? reference(each.of) : `${count} ${by < 0 ? 'before' : 'after'} ${reference(each.of)}`;
				const member = nth ? `the ${ordinal(nth.at)} of level ${nth.depth} under ${beside}` : beside;
				return take === 'this' ? member : take === 'under' ? `${member} and all under it` : `${take} of ${member}`;
			}
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
