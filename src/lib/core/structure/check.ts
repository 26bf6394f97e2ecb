import type { DimensionState, MemberState } from './state';

export const LONGEST_CODE = 60;
export const LONGEST_NAME = 200;

/** What is wrong with a code or a name, as a sentence; undefined when nothing is. */
export function textFault(what: 'code' | 'name', text: string): string | undefined {
	const longest = what === 'code' ? LONGEST_CODE : LONGEST_NAME;
	if (text.trim() === '') return `The ${what} is empty.`;
	if (text.length > longest) return `The ${what} has ${text.length} characters; ${longest} are the most.`;
	// eslint-disable-next-line no-control-regex
	if (/[\u0000-\u001f\u007f]/.test(text)) return `The ${what} has characters that cannot be printed.`;
	if (text.includes('\ufffd')) return `The ${what} has characters that could not be read: the file mixes encodings.`;
	if (text.startsWith('=')) return `The ${what} “${text.slice(0, 30)}” looks like a formula. Paste values instead.`;
	return undefined;
}

/** A fault of a state, and the members it concerns. */
export interface StateFault {
	members: number[];
	message: string;
}

/** Everything that must hold of a dimension: texts, unique codes, no circle, an unassigned leaf and parts of balances without children. */
export function checkState(state: DimensionState): StateFault[] {
	const faults: StateFault[] = [];
	const byCode = new Map<string, MemberState>();
	for (const member of state.members.values()) {
		for (const what of ['code', 'name'] as const) {
			const fault = textFault(what, member[what]);
			if (fault) faults.push({ members: [member.id], message: fault });
		}
		const first = byCode.get(member.code);
		if (first)
			faults.push({
				members: [first.id, member.id],
				message: `The code ${member.code} is used by “${first.name}” and by “${member.name}”.`
			});
		else byCode.set(member.code, member);
		for (const { parent } of [member, ...Object.values(member.places)]) {
			const above = parent === null ? undefined : state.members.get(parent);
			if (parent !== null && !above)
				faults.push({ members: [member.id], message: `The member above “${member.name}” is not there any more.` });
			if (above?.facts.balance !== undefined)
				faults.push({
					members: [member.id],
					message: `“${above.name}” is ${above.facts.balance === 'movement' ? 'a movement' : `the ${above.facts.balance as string}`} of balances; nothing can stand under it. Take that off first.`
				});
			if (above?.unassigned)
				faults.push({
					members: [member.id],
					message: `“${above.name}” is for what the breakdown does not apply to; nothing can stand under it.`
				});
		}
	}
	for (const member of state.members.values())
		for (const [hierarchy, { parent }] of Object.entries(member.places)) {
			const above = parent === null ? undefined : state.members.get(parent);
			if (above && !above.places[hierarchy])
				faults.push({
					members: [member.id],
					message: `“${member.name}” would stand under “${above.name}”, which is not in “${hierarchy}”. Bring that in first, or move what is under it.`
				});
		}
	for (const hierarchy of [undefined, ...new Set([...state.members.values()].flatMap(({ places }) => Object.keys(places)))]) {
		const circle = findCircle(state, hierarchy);
		if (circle)
			faults.push({
				members: circle.map(({ id }) => id),
				message: `A circle: ${[...circle, circle[0]!].map(({ name }) => `“${name}”`).join(' under ')}.`
			});
	}
	return faults;
}

/** The members of a circle of parents, each under the next; undefined when there is none. O(members). */
export function findCircle(state: DimensionState, hierarchy?: string): MemberState[] | undefined {
	const placeOf = (member: MemberState) => (hierarchy === undefined ? member : member.places[hierarchy]);
	/** The walk in which a member was met. */
	const walkOf = new Map<number, number>();
	for (const start of state.members.values()) {
		for (let at: MemberState | undefined = start; at && walkOf.get(at.id) === undefined;) {
			walkOf.set(at.id, start.id);
			const parent: number | null | undefined = placeOf(at)?.parent;
			const above: MemberState | undefined = parent === null || parent === undefined ? undefined : state.members.get(parent);
			if (above && walkOf.get(above.id) === start.id) {
				const circle = [above];
				for (
					let step = state.members.get(placeOf(above)!.parent!)!;
					step.id !== above.id;
					step = state.members.get(placeOf(step)!.parent!)!
				)
					circle.push(step);
				return circle;
			}
			at = above;
		}
	}
	return undefined;
}
