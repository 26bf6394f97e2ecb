import { findCircle, textFault } from './check';
import { printOf, setField } from './edit';
import { defaultFacts, type FieldSpec, type Lookups } from './fields';
import type { DimensionState, MemberState } from './state';

/** How a heading of the pasted grid was understood. */
export interface PlanColumn {
	heading: string;
	/** `code`, `name`, `parent`, `weight`, `retired` or a field's key; undefined when nobody knows it. */
	field: string | undefined;
	/** The title of the nearest known field, for unknown headings. */
	suggestion: string | undefined;
}

/** What a row would do. */
export interface PlanLine {
	/** As in the grid: the heading is row 1. */
	row: number;
	code: string;
	name: string;
	action: 'add' | 'change' | 'move' | 'retire' | 'same' | 'error';
	changes: { title: string; before: string; after: string }[];
	faults: string[];
}

export interface RowPlan {
	columns: PlanColumn[];
	lines: PlanLine[];
	/** The dimension with all rows without a fault applied. */
	next: DimensionState;
	counts: Record<PlanLine['action'], number>;
}

const BASIC: FieldSpec[] = [
	{ key: 'code', title: 'Code', aliases: ['id', 'key', 'number', 'no'], type: 'text' },
	{ key: 'name', title: 'Name', aliases: ['member', 'description', 'label', 'title'], type: 'text' },
	{ key: 'parent', title: 'Parent', aliases: ['parent code', 'under', 'group'], type: 'text' },
	{ key: 'weight', title: 'Weight', aliases: ['counts', 'sign'], type: 'text' },
	{ key: 'retired', title: 'Retired', type: 'yes/no' }
];

/**
 * What a pasted grid would do to a dimension, row by row, before anything is done. Rows find their member by code; a
 * column that is not there changes nothing, an empty cell of one that is there takes the value away. Parents are named by
 * code, or by name where no code fits, and may stand further down. O(rows + members).
 * @param grid the heading first
 * @param absent what happens to members that no row names
 */
export function planRows(
	state: DimensionState,
	grid: readonly (readonly string[])[],
	lookups: Lookups,
	absent: 'keep' | 'retire' = 'keep'
): RowPlan {
	const columns = recogniseColumns(state, grid[0] ?? []);
	const placeOfField = new Map(columns.flatMap(({ field }, place) => (field === undefined ? [] : [[field, place] as const])));
	const members = new Map(state.members);
	const next: DimensionState = { ...state, members };
	const byCode = new Map([...state.members.values()].map((member) => [member.code, member.id]));
	const firstRow = new Map<string, number>();
	const lines: (PlanLine & { id: number | undefined; parentText: string | undefined })[] = [];
	let newId = -1;
	let lastPosition = 0;
	for (const { parent, position } of state.members.values()) if (parent === null) lastPosition = Math.max(lastPosition, position);

	for (let index = 1; index < grid.length; index++) {
		const cells = grid[index]!.map(unguarded);
		if (cells.every((cell) => cell.trim() === '')) continue;
		const at = (field: string) => (placeOfField.has(field) ? (cells[placeOfField.get(field)!] ?? '').trim() : undefined);
		const code = at('code') ?? '';
		const line = {
			row: index + 1,
			code,
			name: at('name') ?? '',
			action: 'same' as PlanLine['action'],
			changes: [] as PlanLine['changes'],
			faults: [] as string[],
			id: undefined as number | undefined,
			parentText: at('parent')
		};
		lines.push(line);
		const codeFault = textFault('code', code);
		if (codeFault) {
			line.faults.push(placeOfField.has('code') ? codeFault : 'There is no column with codes.');
			continue;
		}
		const first = firstRow.get(code);
		if (first !== undefined) {
			const other = lines.find(({ row }) => row === first)!;
			line.faults.push(
				line.parentText !== undefined && line.parentText !== other.parentText
					? `${code} stands under “${other.parentText || 'the top'}” in row ${first} and under “${line.parentText || 'the top'}” here.`
					: `The code ${code} is in row ${first} already.`
			);
			continue;
		}
		firstRow.set(code, index + 1);
		const known = byCode.get(code);
		const before = known === undefined ? undefined : members.get(known)!;
		let member: MemberState = before ?? {
			id: newId--,
			code,
			name: line.name || code,
			unassigned: false,
			retired: false,
			parent: null,
			weight: 1,
			position: ++lastPosition,
			facts: {},
			places: {}
		};
		line.id = member.id;
		if (!before) byCode.set(code, member.id);
		line.name ||= member.name;
		const nameFault = textFault('name', line.name);
		if (nameFault) line.faults.push(nameFault);
		for (const [field, place] of placeOfField) {
			if (field === 'code' || field === 'parent' || (field === 'name' && (cells[place] ?? '').trim() === '')) continue;
			const text = cells[place] ?? '';
			const was = before ? printOf(member, field) : '';
			const set = setField(next, member, field, text, lookups);
			if ('fault' in set) {
				line.faults.push(set.fault);
				continue;
			}
			member = set.member;
			const now = printOf(member, field);
			if (before && now !== was) line.changes.push({ title: columns[place]!.heading, before: was, after: now });
		}
		members.set(member.id, member);
	}

	placeUnderParents(next, members, lines, byCode);
	// A new account without anything under it holds numbers, so it needs facts; a group needs none.
	const parents = new Set([...members.values()].map(({ parent }) => parent));
	for (const { id } of lines)
		if (id !== undefined && id < 0 && !parents.has(id)) {
			const member = members.get(id)!;
			members.set(id, { ...member, facts: defaultFacts(state.kind, member.facts) });
		}
	refuseCircles(next, lines);
	for (const line of lines) {
		const before = line.id === undefined ? undefined : state.members.get(line.id);
		if (line.faults.length > 0) {
			line.action = 'error';
			// What a faulty row said is taken back out.
			if (line.id !== undefined) {
				if (before) members.set(line.id, before);
				else members.delete(line.id);
			}
		} else if (!before) line.action = 'add';
		else if (line.changes.some(({ title }) => title === 'Parent')) line.action = 'move';
		else line.action = line.changes.length > 0 ? 'change' : 'same';
	}
	dropOrphans(state, members, lines);
	const all: PlanLine[] = lines.map(({ row, code, name, action, changes, faults }) => ({ row, code, name, action, changes, faults }));
	if (absent === 'retire')
		for (const member of state.members.values())
			if (!firstRow.has(member.code) && !member.retired && !member.unassigned) {
				members.set(member.id, { ...member, retired: true });
				all.push({ row: 0, code: member.code, name: member.name, action: 'retire', changes: [], faults: [] });
			}
	const counts = { add: 0, change: 0, move: 0, retire: 0, same: 0, error: 0 };
	for (const { action } of all) counts[action]++;
	return { columns, lines: all, next, counts };
}

type WorkingLine = PlanLine & { id: number | undefined; parentText: string | undefined };

/** Puts every row's member under the parent it names. */
function placeUnderParents(
	state: DimensionState,
	members: Map<number, MemberState>,
	lines: readonly WorkingLine[],
	byCode: ReadonlyMap<string, number>
): void {
	const byName = new Map<string, number[]>();
	for (const { id, name } of members.values()) byName.set(name, [...(byName.get(name) ?? []), id]);
	const last = new Map<number | null, number>();
	/** Looked for on the first faulty rows only: beyond them a suggestion helps nobody. */
	let suggestions = MOST_SUGGESTIONS;
	for (const { parent, position } of members.values()) last.set(parent, Math.max(last.get(parent) ?? 0, position));
	for (const line of lines) {
		if (line.id === undefined || line.parentText === undefined) continue;
		const member = members.get(line.id)!;
		const named = byName.get(line.parentText) ?? [];
		const parent = line.parentText === '' ? null : (byCode.get(line.parentText) ?? (named.length === 1 ? named[0]! : undefined));
		if (parent === undefined) {
			const close =
				suggestions-- > 0
					? nearest(
							line.parentText,
							[...members.values()].map(({ code }) => code)
						)
					: undefined;
			line.faults.push(
				named.length > 1
					? `Several members are named “${line.parentText}”; give the code of the parent.`
					: `There is no parent “${line.parentText.slice(0, 60)}”.${close ? ` Did you mean ${close}?` : ''}`
			);
			continue;
		}
		if (parent !== null && members.get(parent)!.unassigned) {
			line.faults.push(`Nothing can stand under “${members.get(parent)!.name}”.`);
			continue;
		}
		const isNew = line.id < 0;
		if (member.parent === parent && !isNew) continue;
		if (!isNew)
			line.changes.push({
				title: 'Parent',
				before: member.parent === null ? '' : (state.members.get(member.parent)?.code ?? ''),
				after: parent === null ? '' : members.get(parent)!.code
			});
		const position = (last.get(parent) ?? 0) + 1;
		last.set(parent, position);
		members.set(line.id, { ...member, parent, position });
	}
}

/** Names every circle at the rows that make it. */
function refuseCircles(state: DimensionState, lines: readonly WorkingLine[]): void {
	const members = state.members as Map<number, MemberState>;
	for (let circle = findCircle(state); circle; circle = findCircle(state)) {
		const sentence = `A circle: ${[...circle, circle[0]!].map(({ code }) => code).join(' under ')}.`;
		const concerned = new Set(circle.map(({ id }) => id));
		for (const line of lines)
			if (line.id !== undefined && concerned.has(line.id)) {
				line.faults.push(sentence);
				members.set(line.id, { ...members.get(line.id)!, parent: null });
			}
	}
}

/** A new member whose new parent is faulty cannot stand; neither can those under it. */
function dropOrphans(state: DimensionState, members: Map<number, MemberState>, lines: WorkingLine[]): void {
	for (let found = true; found;) {
		found = false;
		for (const line of lines) {
			const member = line.id === undefined ? undefined : members.get(line.id);
			if (!member || line.action === 'error' || member.parent === null || members.has(member.parent)) continue;
			line.faults.push(`Its parent “${line.parentText ?? ''}” has a fault of its own.`);
			line.action = 'error';
			const before = state.members.get(member.id);
			if (before) members.set(member.id, before);
			else members.delete(member.id);
			found = true;
		}
	}
}

function recogniseColumns(state: DimensionState, headings: readonly string[]): PlanColumn[] {
	const specs = [...BASIC, ...state.fields];
	const taken = new Set<string>();
	return headings.map((heading) => {
		const wanted = plain(unguarded(heading));
		const found = specs.find(
			({ key, title, aliases = [] }) => !taken.has(key) && [title, key, ...aliases].some((name) => plain(name) === wanted)
		);
		if (found) taken.add(found.key);
		return {
			heading: found?.title ?? heading,
			field: found?.key,
			suggestion: found
				? undefined
				: nearest(
						heading,
						specs.map(({ title }) => title)
					)
		};
	});
}

const MOST_SUGGESTIONS = 50;

const plain = (text: string): string => text.toLowerCase().replaceAll(/[^\p{L}\p{N}]/gu, '');

/** Exports put an apostrophe before what a spreadsheet would take for a formula; it comes off again. */
const unguarded = (cell: string): string => (/^'[=+\-@\t]/.test(cell) ? cell.slice(1) : cell);

/**
 * The text nearest to a wanted one by edit distance (Levenshtein), at most a third of its length away; undefined when
 * none is, or when there are too many to compare.
 */
export function nearest(wanted: string, texts: readonly string[]): string | undefined {
	if (texts.length > 20_000 || wanted.length > 60) return undefined;
	let best: string | undefined;
	let least = Math.floor(wanted.length / 3) + 1;
	for (const text of texts) {
		if (Math.abs(text.length - wanted.length) >= least) continue;
		const distance = editDistance(wanted.toLowerCase(), text.toLowerCase());
		if (distance < least) [best, least] = [text, distance];
	}
	return best;
}

function editDistance(one: string, other: string): number {
	let row = Array.from({ length: other.length + 1 }, (_, index) => index);
	for (let i = 1; i <= one.length; i++) {
		const next = [i];
		for (let j = 1; j <= other.length; j++)
			next.push(Math.min(next[j - 1]! + 1, row[j]! + 1, row[j - 1]! + (one[i - 1] === other[j - 1] ? 0 : 1)));
		row = next;
	}
	return row[other.length]!;
}
