import { checkState } from './check';
import { defaultFacts, parseField, printField, type FieldValue, type Lookups } from './fields';
import type { DimensionState, MemberState, Place } from './state';

/** One act on a dimension. Members by id; a place in an alternate hierarchy by its name. */
export type Edit =
	| {
			act: 'add';
			code: string;
			name: string;
			parent: number | null;
			/** The sibling it shall stand before; at the end when left out. */
			before?: number | undefined;
			facts?: Readonly<Record<string, string>> | undefined;
			unassigned?: boolean | undefined;
			hierarchy?: string | undefined;
	  }
	/** Sets a text (`code`, `name`), the weight, whether it is retired, or a field; `was` is what the person saw. */
	| { act: 'set'; member: number; field: string; value: string; was?: string | undefined; hierarchy?: string | undefined }
	| { act: 'move'; members: readonly number[]; parent: number | null; before?: number | undefined; hierarchy?: string | undefined }
	/** Takes a member out of an alternate hierarchy. */
	| { act: 'take out'; member: number; hierarchy: string }
	| { act: 'remove'; member: number };

export interface EditFault {
	code: 'conflict' | 'not possible';
	member: number | undefined;
	message: string;
}

/**
 * The state after some edits, or why they cannot be made: all or nothing. New members get negative ids, −1 downwards, in
 * the order in which they are added.
 */
export function applyEdits(
	state: DimensionState,
	edits: readonly Edit[],
	lookups: Lookups
): { next: DimensionState } | { faults: EditFault[] } {
	const faults: EditFault[] = [];
	const members = new Map(state.members);
	const working: DimensionState = { ...state, members };
	let newId = -1;
	const refuse = (message: string, member?: number, code: EditFault['code'] = 'not possible') => {
		faults.push({ code, member, message });
	};
	const known = (id: number): MemberState | undefined => {
		const member = members.get(id);
		if (!member) refuse('This member is not there any more.', id, 'conflict');
		return member;
	};
	for (const edit of edits) {
		switch (edit.act) {
			case 'add': {
				const facts: Record<string, FieldValue> = {};
				for (const [key, text] of Object.entries(edit.facts ?? {})) {
					const spec = state.fields.find((field) => field.key === key);
					const parsed = spec ? parseField(spec, text, lookups) : { fault: `There is no field ${key}.` };
					if ('fault' in parsed) refuse(parsed.fault);
					else if (parsed.value !== undefined) facts[key] = parsed.value;
				}
				const place = { parent: edit.parent, weight: 1, position: positionBefore(working, edit.parent, edit.before, edit.hierarchy) };
				const member: MemberState = {
					id: newId--,
					code: edit.code.trim(),
					name: edit.name.trim(),
					unassigned: edit.unassigned ?? false,
					retired: false,
					facts: defaultFacts(state.kind, likeSiblings(working, edit, facts)),
					...(edit.hierarchy === undefined ? place : { parent: null, weight: 1, position: positionBefore(working, null, undefined) }),
					places: edit.hierarchy === undefined ? {} : { [edit.hierarchy]: place }
				};
				members.set(member.id, member);
				break;
			}
			case 'set': {
				const member = known(edit.member);
				if (!member) break;
				const now = printOf(member, edit.field, edit.hierarchy);
				if (edit.was !== undefined && now !== edit.was && now !== edit.value) {
					refuse(`“${member.name}” was changed meanwhile: here it says “${now}” now, not “${edit.was}”.`, member.id, 'conflict');
					break;
				}
				const changed = setField(working, member, edit.field, edit.value, lookups, edit.hierarchy);
				if ('fault' in changed) refuse(changed.fault, member.id);
				else members.set(member.id, changed.member);
				break;
			}
			case 'move':
				for (const id of edit.members) {
					const member = known(id);
					if (!member) continue;
					if (edit.before === id) continue;
					const weight = placeOf(member, edit.hierarchy)?.weight ?? 1;
					const place = { parent: edit.parent, weight, position: positionBefore(working, edit.parent, edit.before, edit.hierarchy, id) };
					members.set(
						id,
						edit.hierarchy === undefined ? { ...member, ...place } : { ...member, places: { ...member.places, [edit.hierarchy]: place } }
					);
				}
				break;
			case 'take out': {
				const member = known(edit.member);
				if (!member) break;
				members.set(member.id, { ...member, places: without(member.places, edit.hierarchy) });
				break;
			}
			case 'remove': {
				const member = known(edit.member);
				if (!member) break;
				const child = [...members.values()].find(
					(each) => each.parent === member.id || Object.values(each.places).some(({ parent }) => parent === member.id)
				);
				if (child) refuse(`“${member.name}” has members under it, “${child.name}” first. Move them or delete them before.`, member.id);
				else members.delete(member.id);
				break;
			}
			default:
				edit satisfies never;
		}
	}
	for (const { members: concerned, message } of checkState(working)) refuse(message, concerned[0]);
	return faults.length > 0 ? { faults } : { next: working };
}

/** What accounts beside each other have in common. */
const SHARED_BY_SIBLINGS = [
	'kind',
	'valueType',
	'timeBehaviour',
	'consolidation',
	'weighedBy',
	'frequency',
	'decimals',
	'unit',
	'choiceDimension'
];

/** A new account of which nothing is said is one like the sibling above it, or below where it is the first. */
function likeSiblings(
	state: DimensionState,
	{ parent, before }: { parent: number | null; before?: number },
	given: Record<string, FieldValue>
): Record<string, FieldValue> {
	if (state.kind !== 'account' || SHARED_BY_SIBLINGS.some((key) => given[key] !== undefined)) return given;
	const siblings = [...state.members.values()]
		.filter((member) => member.parent === parent && member.facts.kind !== undefined)
		.sort((one, other) => one.position - other.position);
	const limit = before === undefined ? Number.POSITIVE_INFINITY : (state.members.get(before)?.position ?? Number.POSITIVE_INFINITY);
	const like = siblings.findLast(({ position }) => position < limit) ?? siblings[0];
	if (!like) return given;
	// A formula is a sibling's own: an account without one would have totals that nothing fills.
	const alike = SHARED_BY_SIBLINGS.filter((key) => like.facts[key] !== undefined && like.facts[key] !== 'formula');
	return { ...Object.fromEntries(alike.map((key) => [key, like.facts[key]!])), ...given };
}

/** A member's place in a hierarchy, the main one without a name. */
export const placeOf = (member: MemberState, hierarchy: string | undefined): Place | undefined =>
	hierarchy === undefined ? member : member.places[hierarchy];

/** What a member shows in a field, as text. */
export function printOf(member: MemberState, field: string, hierarchy?: string): string {
	if (field === 'code' || field === 'name') return member[field];
	if (field === 'weight') return String(placeOf(member, hierarchy)?.weight ?? 1);
	if (field === 'retired') return printField(member.retired);
	return printField(member.facts[field]);
}

/** A member with one field set from text. */
export function setField(
	state: DimensionState,
	member: MemberState,
	field: string,
	text: string,
	lookups: Lookups,
	hierarchy?: string
): { member: MemberState } | { fault: string } {
	if (field === 'code' || field === 'name') return { member: { ...member, [field]: text.trim() } };
	if (field === 'retired') return { member: { ...member, retired: /^(yes|true|1)$/i.test(text.trim()) } };
	if (field === 'weight') {
		const weight = Number(text.trim().replace('−', '-').replace('+', '') || '1');
		if (![1, 0, -1].includes(weight)) return { fault: 'A weight is 1, −1 or 0.' };
		if (hierarchy === undefined) return { member: { ...member, weight } };
		const place = member.places[hierarchy];
		return place ? { member: { ...member, places: { ...member.places, [hierarchy]: { ...place, weight } } } } : { member };
	}
	const spec = state.fields.find(({ key }) => key === field);
	if (!spec) return { fault: `There is no field ${field}.` };
	const parsed = parseField(spec, text, lookups);
	if ('fault' in parsed) return parsed;
	const facts = parsed.value === undefined ? without(member.facts, field) : { ...member.facts, [field]: parsed.value };
	return { member: { ...member, facts } };
}

const without = <Value>(record: Readonly<Record<string, Value>>, key: string): Record<string, Value> =>
	Object.fromEntries(Object.entries(record).filter(([each]) => each !== key));

/** A position between the sibling before which something shall stand and the one before that; at the end without one. */
function positionBefore(
	state: DimensionState,
	parent: number | null,
	before: number | undefined,
	hierarchy?: string,
	without?: number
): number {
	const target = before === undefined ? undefined : state.members.get(before);
	const limit = target ? placeOf(target, hierarchy)?.position : undefined;
	let least = Number.NEGATIVE_INFINITY;
	for (const member of state.members.values()) {
		const place = placeOf(member, hierarchy);
		if (!place || place.parent !== parent || member.id === without) continue;
		if (limit === undefined ? place.position > least : place.position < limit && place.position > least) least = place.position;
	}
	if (limit === undefined) return least === Number.NEGATIVE_INFINITY ? 1 : Math.floor(least) + 1;
	return least === Number.NEGATIVE_INFINITY ? limit - 1 : (least + limit) / 2;
}
