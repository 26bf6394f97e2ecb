/** A member as it may be meant by words. */
export interface NamedMember {
	id: number;
	dimension: number;
	name: string;
	code: string;
}

const plain = (text: string): string => text.normalize('NFKD').replaceAll(/\p{M}/gu, '').toLowerCase();
const wordsOf = (text: string): string[] =>
	plain(text)
		.split(/[^\p{L}\p{N}]+/u)
		.filter(Boolean);

/** The words that begin a word of a member's name, or are its code. */
const covered = (member: NamedMember, words: readonly string[]): string[] => {
	const own = [...wordsOf(member.name), plain(member.code)];
	return words.filter((word) => own.some((part) => part.startsWith(word)));
};

/**
 * The members that words name, one a dimension: “fuel skerry may” is an account, a line and a month. The member that takes
 * most of the words is taken first, the shorter name where two take as many, then the next for the words that are left.
 * @param members candidates; of equal ones the first is meant
 * @returns members by dimension (id) and the words nobody took; O(members × words) a round
 */
export function figureByName(text: string, members: readonly NamedMember[]): { members: Map<number, NamedMember>; left: string[] } {
	const found = new Map<number, NamedMember>();
	let left = [...new Set(wordsOf(text))];
	while (left.length > 0) {
		let best: { member: NamedMember; takes: string[] } | undefined;
		for (const member of members) {
			if (found.has(member.dimension)) continue;
			const takes = covered(member, left);
			if (takes.length === 0) continue;
			const isBetter =
				!best ||
				takes.length > best.takes.length ||
				(takes.length === best.takes.length && wordsOf(member.name).length < wordsOf(best.member.name).length);
			if (isBetter) best = { member, takes };
		}
		if (!best) break;
		found.set(best.member.dimension, best.member);
		const { takes } = best;
		left = left.filter((word) => !takes.includes(word));
	}
	return { members: found, left };
}
