import type { Dimension } from '../../dimension';

/** Which member (id) becomes which; a line may name a member that adds up others and then stands for what is beneath it. */
export interface MemberMap {
	lines: readonly { from: number; to: number; reverse: boolean }[];
	/** What becomes of members no line speaks of. */
	others: 'stay' | 'left out';
}

/** A map by ordinals: what each leaf becomes (−1: left out), and by what it is multiplied on the way. */
export interface ReadyMap {
	into: Int32Array;
	times: Float64Array;
}

/**
 * Makes a map ready. Of several lines above a leaf the nearest counts; a line that names a member with others beneath it
 * takes each of them by its weight in that member, as the member itself adds them up. O(members + leaves of the lines).
 * @returns a sentence where a line cannot be followed
 */
export function readyMap(dimension: Dimension, { lines, others }: MemberMap): ReadyMap | string {
	const into = Int32Array.from(dimension.members, (_, ordinal) => (others === 'stay' ? ordinal : -1));
	const times = new Float64Array(dimension.members.length).fill(1);
	const { tree } = dimension;
	const byMember = new Map<number, { to: number; reverse: boolean }>();
	for (const { from, to, reverse } of lines) {
		const [source, target] = [dimension.ordinal(from), dimension.ordinal(to)];
		if (source === undefined || target === undefined) return `A member in the lines of ${dimension.name} is not there any more.`;
		if (byMember.has(source)) return `“${dimension.member(source).name}” stands in two lines: a figure goes to one place.`;
		if (!dimension.isLeaf(target))
			return `“${dimension.member(target).name}” adds up others. Copy onto members of ${dimension.name} without any beneath them.`;
		byMember.set(source, { to: target, reverse });
	}
	for (const leaf of dimension.members.keys()) {
		if (!dimension.isLeaf(leaf)) continue;
		let weight = 1;
		for (let at = leaf; at >= 0; weight *= tree.weight[at]!, at = tree.parent[at]!) {
			const line = byMember.get(at);
			if (!line) continue;
			into[leaf] = weight === 0 ? -1 : line.to;
			times[leaf] = line.reverse ? -weight : weight;
			break;
		}
	}
	return { into, times };
}
