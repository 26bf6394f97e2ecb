import { checkState } from './check';
import { parseField, printField, type FieldValue, type Lookups } from './fields';
import type { DimensionState, MemberState, Place } from './state';

/** A member as another dimension holds it: parents by code; in the order of the main tree. */
export interface OtherMember {
	code: string;
	name: string;
	parent: string | null;
	weight: number;
	unassigned?: boolean | undefined;
	retired?: boolean | undefined;
	facts?: Readonly<Record<string, FieldValue>> | undefined;
	/** In alternate hierarchies, with the order there. */
	places?: Readonly<Record<string, { parent: string | null; weight: number; order: number }>> | undefined;
}

/** What is taken from another dimension: members (codes) as they are there, and members that retire since they are not. */
export interface Taken {
	members: ReadonlySet<string>;
	retire: ReadonlySet<string>;
}

/** Why a member (code) cannot be taken. */
export interface MergeFault {
	code: string;
	message: string;
}

/**
 * A dimension that takes some members from another one: new ones come, known ones become what they are there, all else stays.
 * Among its siblings a member that comes or moves stands behind the one it follows there.
 * @param others all members of the other dimension, in the order of its main tree
 * @param hierarchies names of the alternates of this dimension
 * @returns the state, or every member that does not fit
 */
export function mergeMembers(
	state: DimensionState,
	others: readonly OtherMember[],
	{ members: taken, retire }: Taken,
	hierarchies: readonly string[],
	lookups: Lookups
): { next: DimensionState } | { faults: MergeFault[] } {
	const faults: MergeFault[] = [];
	const idOf = new Map([...state.members.values()].map(({ code, id }) => [code, id]));
	let fresh = Math.min(0, ...state.members.keys());
	for (const { code } of others) if (taken.has(code) && !idOf.has(code)) idOf.set(code, --fresh);
	const ofCode = new Map(others.map((other) => [other.code, other]));
	const parentOf = (code: string, parent: string | null, where: string): number | null => {
		if (parent === null) return null;
		const id = idOf.get(parent);
		if (id === undefined) faults.push({ code, message: `It stands under ${parent}${where}, which is not here: take that over too.` });
		return id ?? null;
	};
	const members = new Map(state.members);
	for (const code of retire) {
		const id = idOf.get(code);
		const own = id === undefined ? undefined : members.get(id);
		if (own) members.set(own.id, { ...own, retired: true });
	}
	for (const code of taken) {
		const other = ofCode.get(code);
		if (!other) continue;
		const id = idOf.get(code)!;
		const own = state.members.get(id);
		const missing = Object.keys(other.places ?? {}).find((name) => !hierarchies.includes(name));
		if (missing !== undefined)
			faults.push({ code, message: `It stands in the hierarchy ${missing}, which is not here: take that over too.` });
		const places = Object.entries(other.places ?? {}).map(([name, { parent, weight }]): [string, Place] => [
			name,
			{ parent: parentOf(code, parent, ` in ${name}`), weight, position: own?.places[name]?.position ?? 0 }
		]);
		members.set(id, {
			id,
			code,
			name: other.name,
			unassigned: own?.unassigned ?? other.unassigned ?? false,
			retired: other.retired ?? false,
			parent: parentOf(code, other.parent, ''),
			weight: other.weight,
			position: own?.position ?? 0,
			facts: factsOf(state, other, lookups, faults),
			places: Object.fromEntries(places)
		});
	}
	if (faults.length > 0) return { faults };
	placeAmong(members, state, others, idOf, undefined);
	for (const name of hierarchies)
		placeAmong(
			members,
			state,
			others.filter(({ places }) => places?.[name]).sort((one, other) => one.places![name]!.order - other.places![name]!.order),
			idOf,
			name
		);
	const next = { ...state, members };
	const broken = checkState(next);
	if (broken.length === 0) return { next };
	return {
		faults: broken.map(({ members: concerned, message }) => {
			const codes = concerned.map((id) => members.get(id)?.code ?? '');
			return { code: codes.find((code) => taken.has(code)) ?? codes[0] ?? '', message };
		})
	};
}

/** Facts by the fields of this dimension, each read as if it were typed. */
function factsOf(
	{ fields }: DimensionState,
	{ code, facts = {} }: OtherMember,
	lookups: Lookups,
	faults: MergeFault[]
): Record<string, FieldValue> {
	const found: Record<string, FieldValue> = {};
	for (const [key, value] of Object.entries(facts)) {
		const spec = fields.find((field) => field.key === key);
		if (!spec) {
			const attribute = key.startsWith('attribute ') ? key.slice('attribute '.length) : undefined;
			faults.push({
				code,
				message:
					attribute === undefined
						? `It says ${key}, which is not known here.`
						: `It has the attribute ${attribute}, which is not here: take that over too.`
			});
			continue;
		}
		const read = parseField(spec, printField(value), lookups);
		if ('fault' in read) faults.push({ code, message: read.fault });
		else if (read.value !== undefined) found[key] = read.value;
	}
	return found;
}

/** Gives members that came or moved in a hierarchy their positions: behind the one they follow there, before all others. */
function placeAmong(
	members: Map<number, MemberState>,
	before: DimensionState,
	order: readonly OtherMember[],
	idOf: ReadonlyMap<string, number>,
	hierarchy: string | undefined
): void {
	const placeOf = (member: MemberState | undefined): Place | undefined => (hierarchy === undefined ? member : member?.places[hierarchy]);
	/** By parent, in their order: those that stand there already. */
	const standing = new Map<number | null, MemberState[]>();
	const moved = new Set<number>();
	for (const member of members.values()) {
		const place = placeOf(member);
		if (!place) continue;
		const was = placeOf(before.members.get(member.id));
		if (!was || was.parent !== place.parent) {
			moved.add(member.id);
			continue;
		}
		const siblings = standing.get(place.parent);
		if (siblings) siblings.push(member);
		else standing.set(place.parent, [member]);
	}
	if (moved.size === 0) return;
	/** Behind which of those (id; null: before all) who comes, in the order of the other dimension. */
	const behind = new Map<number | null, Map<number | null, MemberState[]>>();
	const last = new Map<number | null, number | null>();
	for (const { code } of order) {
		const id = idOf.get(code);
		const member = id === undefined ? undefined : members.get(id);
		const place = placeOf(member);
		if (!member || !place) continue;
		if (!moved.has(member.id)) {
			last.set(place.parent, member.id);
			continue;
		}
		const anchor = last.get(place.parent) ?? null;
		const byAnchor = behind.get(place.parent) ?? new Map<number | null, MemberState[]>();
		behind.set(place.parent, byAnchor);
		const coming = byAnchor.get(anchor);
		if (coming) coming.push(member);
		else byAnchor.set(anchor, [member]);
	}
	for (const [parent, byAnchor] of behind) {
		const siblings = (standing.get(parent) ?? []).sort(
			(one, other) => placeOf(one)!.position - placeOf(other)!.position || one.id - other.id
		);
		for (const [anchor, coming] of byAnchor) {
			const at = siblings.findIndex(({ id }) => id === anchor);
			const next = siblings[at + 1];
			const until = next && placeOf(next)!.position;
			const from = at >= 0 ? placeOf(siblings[at]!)!.position : (until ?? 1) - 1;
			const step = until === undefined ? 1 : (until - from) / (coming.length + 1);
			coming.forEach((member, place) => {
				const position = from + step * (place + 1);
				const now = members.get(member.id)!;
				members.set(
					member.id,
					hierarchy === undefined
						? { ...now, position }
						: { ...now, places: { ...now.places, [hierarchy]: { ...placeOf(now)!, position } } }
				);
			});
		}
	}
}
