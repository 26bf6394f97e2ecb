import type { AttributeTest, Selection } from '$lib/core';

/** A selection as a list of what it takes, what it leaves out, and a test on an attribute. */
export interface Terms {
	take: Selection[];
	without: Selection[];
	test: AttributeTest | null;
}

/** Takes a selection apart; what fits nothing else is one term. */
export function toTerms(selection: Selection): Terms {
	if (selection.kind === 'where') return { ...toTerms(selection.in), test: selection.test };
	if (selection.kind === 'except') return { ...toTerms(selection.from), without: parts(selection.without) };
	return { take: parts(selection), without: [], test: null };
}

/** Single members apart, so that each can be taken away. */
function parts(selection: Selection): Selection[] {
	if (selection.kind === 'any of') return selection.selections.flatMap(parts);
	if (selection.kind === 'these') return selection.members.map((member) => ({ ...selection, members: [member] }));
	return [selection];
}

/** Puts terms together; nothing taken is a selection of nothing. */
export function fromTerms({ take, without, test }: Terms): Selection {
	const taken = together(take);
	const left: Selection = without.length > 0 ? { kind: 'except', from: taken, without: together(without) } : taken;
	return test ? { kind: 'where', in: left, test } : left;
}

/** Members beside each other are one list again. */
function together(terms: readonly Selection[]): Selection {
	const joined: Selection[] = [];
	for (const term of terms) {
		const last = joined.at(-1);
		if (term.kind === 'these' && last?.kind === 'these' && last.hierarchy === term.hierarchy)
			joined[joined.length - 1] = { ...last, members: [...last.members, ...term.members] };
		else joined.push(term);
	}
	return joined.length === 1 ? joined[0]! : joined.length === 0 ? { kind: 'these', members: [] } : { kind: 'any of', selections: joined };
}
