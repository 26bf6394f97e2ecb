/** Grants as a table: out as a file, in by paste or file, with what it would change shown first. */
import { group } from 'd3-array';
import type pg from 'pg';
import { z } from 'zod';
import { pool, transaction, type Database } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { applyChange } from './change';
import { readGrantsOfModel } from './desk';
import type { GrantState } from './kinds/grant';
import type { Holder } from './kinds/kind';

const MOST_ROWS = 10_000;
const HEADINGS = ['Who', 'May', 'Grant'] as const;
const LEVELS: Readonly<Record<GrantState['level'], string>> = { read: 'read', write: 'write', none: 'keep out' };
/** Members in one cell are separated by a bar. */
const BAR = ' | ';

export const sheetSchema = z.object({
	/** Headings first; texts as a spreadsheet has them. */
	grid: z.array(z.array(z.string().max(20_000)).max(60)).max(MOST_ROWS + 1),
	/** Whether grants that are not among the rows are taken away. */
	whole: z.boolean()
});
export type GrantSheet = z.infer<typeof sheetSchema>;

export interface SheetLine {
	/** The row, as a spreadsheet counts; 0 for a grant that is not among them. */
	row: number;
	what: 'new' | 'changed' | 'same' | 'taken away' | 'fault';
	words: string;
}

export interface SheetPreview {
	lines: SheetLine[];
	counts: Record<SheetLine['what'], number>;
}

/** The grants of a model as a grid, in the form that is read again. */
export async function grantGrid(person: SignedIn | undefined, modelId: number): Promise<{ name: string; grid: string[][] }> {
	const { grants, dimensions } = await readGrantsOfModel(person, modelId);
	const { codeOf, addressOf } = await lookUp(pool(), modelId);
	return {
		name: 'Grants',
		grid: [
			[...HEADINGS, ...dimensions.map(({ name }) => name)],
			...grants.map(({ state, holder, on }) => [
				'group' in state.holder ? holder : addressOf(state.holder.person),
				LEVELS[state.level],
				state.name,
				...dimensions.map(({ id }) =>
					on
						.filter(({ dimension }) => dimension === id)
						.map(({ member }) => codeOf(member))
						.join(BAR)
				)
			])
		]
	};
}

interface LookUp {
	holderOf: (text: string) => Holder | undefined;
	memberOf: (dimension: number, text: string) => number | 'several' | undefined;
	codeOf: (member: number) => string;
	addressOf: (person: number) => string;
}

/** People by address and by name where nobody shares it, groups by name, members by code and by name. */
async function lookUp(database: Database, modelId: number): Promise<LookUp> {
	const people = await database.query<{ id: number; email: string; name: string }>('SELECT id, email, name FROM person');
	const groups = await database.query<{ id: number; name: string }>('SELECT id, name FROM people_group');
	const members = await database.query<{ id: number; dimension: number; code: string; name: string }>(
		`SELECT m.id, m.dimension_id AS dimension, m.code, m.name FROM member m JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1`,
		[modelId]
	);
	const plain = (text: string) => text.trim().toLowerCase();
	const byAddress = new Map(people.rows.map(({ id, email }) => [plain(email), id]));
	const byName = group(people.rows, ({ name }) => plain(name));
	const byGroup = new Map(groups.rows.map(({ id, name }) => [plain(name), id]));
	const byCode = new Map(members.rows.map(({ id, dimension, code }) => [`${dimension} ${code}`, id]));
	const byMemberName = group(members.rows, ({ dimension, name }) => `${dimension} ${plain(name)}`);
	const codes = new Map(members.rows.map(({ id, code }) => [id, code]));
	const addresses = new Map(people.rows.map(({ id, email }) => [id, email]));
	return {
		holderOf: (text) => {
			const address = byAddress.get(plain(text));
			if (address !== undefined) return { person: address };
			const group = byGroup.get(plain(text).replace(/^group:?\s+/, '')) ?? byGroup.get(plain(text));
			if (group !== undefined) return { group };
			const named = byName.get(plain(text)) ?? [];
			return named.length === 1 ? { person: named[0]!.id } : undefined;
		},
		memberOf: (dimension, text) => {
			const code = byCode.get(`${dimension} ${text.trim()}`);
			if (code !== undefined) return code;
			const named = byMemberName.get(`${dimension} ${plain(text)}`) ?? [];
			return named.length > 1 ? 'several' : named[0]?.id;
		},
		codeOf: (member) => codes.get(member) ?? '',
		addressOf: (person) => addresses.get(person) ?? ''
	};
}

interface PlannedRow extends SheetLine {
	id: number | null;
	before: GrantState | null;
	after: GrantState | null;
}

const levelOf = (text: string): GrantState['level'] | undefined => {
	const plain = text.trim().toLowerCase();
	if (['r', 'read', 'reads'].includes(plain)) return 'read';
	if (['w', 'write', 'writes', 'read and write'].includes(plain)) return 'write';
	if (['n', 'none', 'keep out', '-', '—'].includes(plain)) return 'none';
	return undefined;
};
const keyOf = ({ holder, name }: Pick<GrantState, 'holder' | 'name'>): string => `${JSON.stringify(holder)} ${name.toLowerCase()}`;

/** What the rows mean beside what is granted: a grant is known by who has it and what it is called. */
async function plan(client: Database, person: SignedIn | undefined, modelId: number, { grid, whole }: GrantSheet): Promise<PlannedRow[]> {
	const { grants, dimensions } = await readGrantsOfModel(person, modelId, client);
	const { holderOf, memberOf } = await lookUp(client, modelId);
	const [headings = [], ...rows] = grid;
	const placeOf = (name: string) => headings.findIndex((heading) => heading.trim().toLowerCase() === name.toLowerCase());
	const [who, may, called] = HEADINGS.map(placeOf);
	if ([who, may, called].some((place) => place! < 0))
		throw new Fault(
			422,
			'no headings',
			`The first row names the columns: ${HEADINGS.join(', ')}, and the dimensions. Save the grants as CSV to see one.`
		);
	const unknown = headings.find(
		(heading, place) =>
			heading.trim() !== '' && ![who, may, called].includes(place) && !dimensions.some(({ name }) => placeOf(name) === place)
	);
	if (unknown !== undefined) throw new Fault(422, 'no such column', `“${unknown}” is no dimension that can be granted in this model.`);
	const known = group(grants, ({ state }) => keyOf(state));
	const seen = new Set<string>();
	const planned = rows.flatMap((cells, index): PlannedRow[] => {
		if (cells.every((cell) => cell.trim() === '')) return [];
		const row = index + 2;
		const cell = (place: number) => unguarded(cells[place] ?? '').trim();
		const fault = (words: string): PlannedRow[] => [{ row, what: 'fault', words, id: null, before: null, after: null }];
		const holder = holderOf(cell(who!));
		if (!holder) return fault(`“${cell(who!)}” is nobody’s address, no group, and not the name of one person.`);
		const level = levelOf(cell(may!));
		if (!level) return fault(`“${cell(may!)}” is none of read, write, keep out.`);
		const members: number[] = [];
		for (const { id, name } of dimensions) {
			const place = placeOf(name);
			if (place < 0) continue;
			for (const text of cell(place)
				.split('|')
				.map((part) => part.trim())
				.filter(Boolean)) {
				const member = memberOf(id, text);
				if (member === 'several') return fault(`Several members of ${name} are called “${text}”: write its code.`);
				if (member === undefined) return fault(`${name} has no member “${text}”.`);
				members.push(member);
			}
		}
		const words = cell(called!) || cell(may!);
		const after: GrantState = { holder, name: words, level, members: [...new Set(members)].sort((one, other) => one - other) };
		const key = keyOf(after);
		if (seen.has(key)) return fault('This person or group has a grant of this name in an earlier row.');
		seen.add(key);
		const same = known.get(key) ?? [];
		if (same.length > 1) return fault('There are several grants of this name for them. Give them names of their own first.');
		const before = same[0]?.state ?? null;
		const where = dimensions.flatMap(({ name }) => {
			const at = placeOf(name) < 0 ? '' : cell(placeOf(name));
			return at === '' ? [] : [`${name}: ${at}`];
		});
		const told = `${cell(who!)}: ${LEVELS[level]}, “${words}”, ${where.join(' · ') || 'everywhere'}`;
		if (!before) return [{ row, what: 'new', words: told, id: null, before, after }];
		const isSame = before.level === level && before.members.join() === after.members.join();
		return [{ row, what: isSame ? 'same' : 'changed', words: told, id: same[0]!.id, before, after }];
	});
	const left = whole ? grants.filter(({ state }) => !seen.has(keyOf(state))) : [];
	return [
		...planned,
		...left.map(({ id, state, holder }): PlannedRow => ({
			row: 0,
			what: 'taken away',
			words: `${holder}: ${LEVELS[state.level]}, “${state.name}”`,
			id,
			before: state,
			after: null
		}))
	];
}

/** What an export guards from being worked out is read as it was. */
const unguarded = (cell: string): string => (/^'[=+\-@\t\r]/.test(cell) ? cell.slice(1) : cell);

const shown = (rows: readonly PlannedRow[]): SheetPreview => {
	const counts = { new: 0, changed: 0, same: 0, 'taken away': 0, fault: 0 };
	for (const { what } of rows) counts[what]++;
	return {
		lines: rows.flatMap(({ row, what, words }) => (what === 'same' ? [] : [{ row, what, words }])).slice(0, 500),
		counts
	};
};

/** What bringing the rows in would do; nothing is changed. */
export async function previewGrants(person: SignedIn | undefined, modelId: number, sheet: GrantSheet): Promise<SheetPreview> {
	requirePermission(person, 'access.write');
	return shown(await plan(pool(), person, modelId, sheet));
}

/** Brings the rows in: all or nothing, each in the journal. Asked again it finds nothing new. @throws Fault 422 where a row has a fault */
export async function bringGrants(person: SignedIn | undefined, modelId: number, sheet: GrantSheet): Promise<SheetPreview> {
	requirePermission(person, 'access.write');
	return transaction(async (client: pg.PoolClient) => {
		const rows = await plan(client, person, modelId, sheet);
		const fault = rows.find(({ what }) => what === 'fault');
		if (fault) throw new Fault(422, 'not possible', `Row ${fault.row}: ${fault.words} Nothing was changed.`);
		for (const { what, id, before, after } of rows)
			if (what !== 'same') await applyChange(client, person, modelId, { kind: 'grant', id, before, after });
		return shown(rows);
	});
}
