/** Everything that changed: who, when, through what, where; searched, and handed out. */
import { z } from 'zod';
import { readablePlaces } from '../access';
import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';
import { axesOf, type InsightAxis } from './axes';
import { namesFor } from './views';

export const CHANGE_KINDS = ['save', 'load', 'run', 'take back', 'structure', 'access', 'locks', 'planning'] as const;
export type ChangeKind = (typeof CHANGE_KINDS)[number];

const day = z.iso.date().optional();
export const journalSchema = z.object({
	/** Changes one by one, or the single entries of people. */
	of: z.enum(['changes', 'entries']).default('changes'),
	kind: z.enum(CHANGE_KINDS).optional(),
	person: z.int().optional(),
	from: day,
	to: day,
	/** Part of what is said of a change. */
	text: z.string().trim().max(200).default(''),
	/** Members (ids): entries at them or under them, one a dimension. */
	members: z.array(z.int()).max(10).default([]),
	/** Entries that changed a figure by this much at least. */
	least: z.number().min(0).optional(),
	/** Where the last page ended. */
	before: z.string().max(80).optional()
});
export type JournalAsk = z.infer<typeof journalSchema>;

export interface JournalLine {
	/** Names the change; of entries also the cell. */
	key: string;
	at: string;
	person: string | null;
	kind: ChangeKind;
	/** What was done, in words. */
	words: string;
	cells: number | null;
	/** The revision, of figures. */
	revision: number | null;
	/** Where one goes from here: a path within the model. */
	path: string | null;
	/** Of an entry: the figure, what it was and became. */
	place: number[] | null;
	before: number | null;
	after: number | null;
	/** Whether whoever looks may take it back from here. */
	mayTakeBack: boolean;
}

export interface JournalPage {
	lines: JournalLine[];
	/** Names of the members (ids) of entries. */
	names: Record<number, string>;
	/** Where the next page begins; null at the end. */
	next: string | null;
	/** How far back entries were looked through, where that was not all. */
	lookedBackTo: string | null;
}

const PAGE = 60;
/** Entries looked through at once; further ones are looked through when somebody asks. */
const WINDOW = 40_000;

/** A page of the journal, the latest first: what somebody may know of. */
export async function readJournal(person: SignedIn | undefined, modelId: number, ask: JournalAsk): Promise<JournalPage> {
	const reader = requirePermission(person, 'form.read');
	return ask.of === 'entries' || reader.readsPart ? readEntries(reader, modelId, ask) : readChanges(reader, modelId, ask);
}

interface ChangeRow {
	source: string;
	id: string;
	at: Date;
	/** The moment as exactly as it is stored: pages end and begin at it. */
	moment: string;
	person: string | null;
	own: boolean;
	kind: ChangeKind;
	words: string;
	cells: number | null;
	path: string | null;
}

async function readChanges(reader: SignedIn, modelId: number, { kind, person, from, to, text, before }: JournalAsk): Promise<JournalPage> {
	const sees = (permission: SignedIn['permissions'][number]) => reader.permissions.includes(permission);
	const wants = (...kinds: ChangeKind[]) => kind === undefined || kinds.includes(kind);
	// Of each kind the newest that fit, then the newest of all: every part stops after a page.
	const parts: string[] = [];
	const part = (columns: string, source: string, at: string, doer: string, words: string, where: string, order: string) =>
		parts.push(
			`(SELECT ${columns} FROM ${source} WHERE ${where} AND ($2::integer IS NULL OR ${doer} = $2) AND ($3::date IS NULL OR ${at} >= $3::date) AND ($4::date IS NULL OR ${at} < $4::date + 1)
				AND ($5 = '' OR ${words} ILIKE '%' || $5 || '%') AND ($6::timestamptz IS NULL OR ${at} < $6) ORDER BY ${order} DESC LIMIT ${PAGE + 1})`
		);
	const figures = CHANGE_KINDS.slice(0, 4).filter((each) => kind === undefined || each === kind);
	if (figures.length > 0 || wants('structure'))
		part(
			`'figures' AS source, c.revision::text AS id, c.at, doer(c.person_id, c.acting_id) AS person, c.person_id = $7 AS own, c.kind, c.through AS words, c.cells,
			CASE c.kind WHEN 'load' THEN (SELECT '/data-in/' || i.code FROM batch b JOIN import i ON i.id = b.import_id WHERE b.revision = c.revision AND i.model_id = c.model_id LIMIT 1)
				WHEN 'run' THEN (SELECT '/rules/' || r.runbook_id FROM run r WHERE r.revision = c.revision AND r.model_id = c.model_id LIMIT 1) END AS path`,
			'change_set c',
			'c.at',
			'c.person_id',
			'c.through',
			`c.model_id = $1 AND c.revision IS NOT NULL AND c.kind = ANY (ARRAY[${[...figures, ...(wants('structure') ? ['structure'] : [])].map((each) => `'${each}'`).join(', ')}])`,
			'c.revision'
		);
	if (wants('structure') && sees('structure.read'))
		part(
			`'structure', s.id::text, s.at, p.name, s.person_id = $7, 'structure', s.words, NULL::integer, (SELECT '/structure/dimension/' || d.code FROM dimension d WHERE d.id = s.dimension_id)`,
			'structure_change s LEFT JOIN person p ON p.id = s.person_id',
			's.at',
			's.person_id',
			's.words',
			'(s.model_id = $1 OR s.dimension_id IN (SELECT dimension_id FROM model_dimension WHERE model_id = $1))',
			's.id'
		);
	if (wants('access') && sees('access.read'))
		part(
			`'access', a.id::text, a.at, doer(a.person_id, a.acting_id), a.person_id = $7, 'access', a.words, NULL::integer, '/access?view=changes'`,
			'access_change a',
			'a.at',
			'a.person_id',
			'a.words',
			'(a.model_id = $1 OR a.model_id IS NULL)',
			'a.id'
		);
	if (wants('locks') && sees('access.read'))
		part(
			`'locks', l.id::text, l.at, doer(l.person_id, l.acting_id), l.person_id = $7, 'locks', l.words, NULL::integer, '/access/locks'`,
			'lock_change l',
			'l.at',
			'l.person_id',
			'l.words',
			'l.model_id = $1',
			'l.id'
		);
	if (wants('planning') && sees('cycle.read'))
		part(
			`'planning', u.id::text, u.at, doer(u.person_id, u.acting_id), u.person_id = $7, 'planning', r.name || ', ' || coalesce(c.name, '') || ': ' || u.move || CASE WHEN u.note = '' THEN '' ELSE ': ' || u.note END, u.cells, '/cycle/' || c.round_id`,
			'unit_move u JOIN cycle_unit c ON c.id = u.unit_id JOIN round r ON r.id = c.round_id',
			'u.at',
			'u.person_id',
			`(r.name || ', ' || coalesce(c.name, '') || ': ' || u.move || ' ' || u.note)`,
			'r.model_id = $1',
			'u.id'
		);
	if (parts.length === 0) return { lines: [], names: {}, next: null, lookedBackTo: null };
	const found = await pool().query<ChangeRow>(
		`SELECT *, at::text AS moment FROM (${parts.join(' UNION ALL ')}) AS all_changes ORDER BY at DESC LIMIT ${PAGE + 1}`,
		[modelId, person ?? null, from ?? null, to ?? null, text, before ?? null, reader.id]
	);
	const lines = found.rows.slice(0, PAGE).map(({ source, id, at, person: who, own, kind: what, words, cells, path }): JournalLine => ({
		key: `${source} ${id}`,
		at: at.toISOString(),
		person: who,
		kind: what,
		words,
		cells,
		revision: source === 'figures' ? Number(id) : null,
		path,
		place: null,
		before: null,
		after: null,
		mayTakeBack: source === 'figures' && what === 'save' && own && sees('form.enter') && !reader.branch
	}));
	return { lines, names: {}, next: found.rows.length > PAGE ? found.rows[PAGE - 1]!.moment : null, lookedBackTo: null };
}

interface EntryRow {
	revision: string;
	at: Date;
	person: string | null;
	own: boolean;
	kind: ChangeKind;
	through: string;
	address: number[];
	period: number;
	before: number | null;
	after: number | null;
}

/** Single entries, the latest first; a stretch of the journal is looked through at a time. */
async function readEntries(
	reader: SignedIn,
	modelId: number,
	{ kind, person, from, to, text, members, least, before }: JournalAsk
): Promise<JournalPage> {
	const wide = await pool().query<{ members: number[] }>(
		`SELECT ARRAY(WITH RECURSIVE under AS (
				SELECT a.id FROM (SELECT asked.id) AS a
				UNION SELECT n.member_id FROM under u JOIN hierarchy_node n ON n.parent_id = u.id) SELECT id FROM under) AS members
		FROM unnest($1::integer[]) AS asked (id) JOIN member m ON m.id = asked.id
		JOIN model_dimension md ON md.dimension_id = m.dimension_id AND md.model_id = $2`,
		[members, modelId]
	);
	// A member that is none of this model's holds nothing.
	if (wide.rows.length < members.length) return { lines: [], names: {}, next: null, lookedBackTo: null };
	const axes = await axesOf(reader, modelId);
	const lines: JournalLine[] = [];
	const [cursor, skip] = (before ?? '').split(':').map(Number);
	const values: unknown[] = [modelId, person ?? null, from ?? null, to ?? null, text, kind ?? null, least ?? null, reader.id];
	const slices = wide.rows.map(({ members: under }) => {
		values.push(under);
		return `(e.address && $${values.length}::integer[] OR e.period_id = ANY ($${values.length}::integer[]))`;
	});
	const [at, past] = [values.length + 1, values.length + 2];
	const newest = await pool().query<{ revision: string | null }>(
		'SELECT max(revision)::text AS revision FROM entry_change WHERE model_id = $1',
		[modelId]
	);
	const start = Number.isFinite(cursor) && cursor! > 0 ? cursor! : Number(newest.rows[0]?.revision ?? 0);
	// Where the stretch ends: so many entries back.
	const floor = await pool().query<{ revision: string }>(
		`SELECT revision::text FROM (SELECT revision, sum(cells) OVER (ORDER BY revision DESC) AS passed FROM change_set
			WHERE model_id = $1 AND revision <= $2 AND kind NOT IN ('load', 'run')) AS counted WHERE passed > $3 ORDER BY revision DESC LIMIT 1`,
		[modelId, start, WINDOW]
	);
	const end = Number(floor.rows[0]?.revision ?? 0);
	// One change set after another, so that a page ends as soon as it is full.
	const found = await pool().query<EntryRow>(
		`SELECT c.revision::text, c.at, doer(c.person_id, c.acting_id) AS person, c.person_id = $8 AS own, c.kind, c.through, e.address, e.period_id AS period, e.before, e.after
		FROM (SELECT * FROM change_set c WHERE c.model_id = $1 AND c.revision <= $${at} AND c.revision >= $${past} AND ($2::integer IS NULL OR c.person_id = $2)
				AND ($3::date IS NULL OR c.at >= $3::date) AND ($4::date IS NULL OR c.at < $4::date + 1) AND ($5 = '' OR c.through ILIKE '%' || $5 || '%')
				AND ($6::text IS NULL OR c.kind = $6) ORDER BY c.revision DESC OFFSET 0) AS c,
			LATERAL (SELECT * FROM entry_change e WHERE e.model_id = c.model_id AND e.revision = c.revision
				AND ($7::double precision IS NULL OR abs(coalesce(e.after, 0) - coalesce(e.before, 0)) >= $7)${slices.map((slice) => ` AND ${slice}`).join('')}
				ORDER BY e.address, e.period_id) AS e
		OFFSET ${Number.isFinite(skip) ? Math.max(0, Math.min(5_000_000, Math.floor(skip!))) : 0} LIMIT ${PAGE + 1}`,
		[...values, start, end]
	);
	const shown = found.rows.slice(0, PAGE);
	const readable = await readablePlaces(
		reader,
		modelId,
		shown.map(({ address }) => address)
	);
	shown.forEach(({ revision, at: moment, person: who, own, kind: what, through, address, period, before: was, after }, index) => {
		if (!readable[index] || address.length !== axes.length - 1) return;
		lines.push({
			key: `${revision} ${address.join('.')}.${period}`,
			at: moment.toISOString(),
			person: who,
			kind: what,
			words: through,
			cells: null,
			revision: Number(revision),
			path: null,
			place: [...address, period],
			before: was,
			after,
			mayTakeBack: what === 'save' && own && reader.permissions.includes('form.enter') && !reader.branch
		});
	});
	const names = await namesFor(reader, modelId, axes, [...new Set(lines.flatMap(({ place }) => place ?? []))]);
	const isMore = found.rows.length > PAGE;
	const next = isMore ? `${start}:${(Number.isFinite(skip) ? skip! : 0) + PAGE}` : end > 1 ? `${end - 1}:0` : null;
	const reached =
		end > 1 && !isMore
			? await pool().query<{ at: Date }>('SELECT at FROM change_set WHERE model_id = $1 AND revision = $2', [modelId, end])
			: undefined;
	return { lines, names, next, lookedBackTo: reached?.rows[0]?.at.toISOString() ?? null };
}

export interface ActivityDay {
	day: string;
	changes: number;
	cells: number;
}

/** How much was changed on each of the last days; nothing for who reads a part: how much there is beside is not theirs to know. */
export async function readActivity(person: SignedIn | undefined, modelId: number, days = 60): Promise<ActivityDay[]> {
	const reader = requirePermission(person, 'form.read');
	if (reader.readsPart) return [];
	const found = await pool().query<ActivityDay>(
		`SELECT at::date::text AS day, count(*)::integer AS changes, coalesce(sum(cells), 0)::integer AS cells FROM change_set
		WHERE model_id = $1 AND at > now() - make_interval(days => $2) GROUP BY 1 ORDER BY 1`,
		[modelId, days]
	);
	return found.rows;
}

export interface JournalDesk {
	people: { id: number; name: string }[];
	axes: InsightAxis[];
	names: Record<number, string>;
}

/** Who and what the journal can be searched by. */
export async function journalDesk(person: SignedIn | undefined, modelId: number, members: readonly number[]): Promise<JournalDesk> {
	const reader = requirePermission(person, 'form.read');
	const axes = await axesOf(reader, modelId);
	const people = await pool().query<{ id: number; name: string }>(
		`SELECT p.id, p.name FROM person p WHERE EXISTS (SELECT FROM change_set c WHERE c.person_id = p.id AND c.model_id = $1) ORDER BY p.name LIMIT 2000`,
		[modelId]
	);
	return { people: reader.readsPart ? [] : people.rows, axes, names: await namesFor(reader, modelId, axes, members) };
}

/** Rows of the journal handed out at most in one file. */
const MOST_EXPORTED = 200_000;

/** The journal as a file, page by page as it is read. */
export async function* journalRows(person: SignedIn | undefined, modelId: number, ask: JournalAsk): AsyncGenerator<string[][]> {
	const reader = requirePermission(person, 'form.read');
	const axes = await axesOf(reader, modelId);
	const inOrder = [...axes.filter(({ kind }) => kind !== 'period'), ...axes.filter(({ kind }) => kind === 'period')];
	const entries = ask.of === 'entries' || reader.readsPart;
	yield [
		['When', 'Who', 'What', 'Through', ...(entries ? [...inOrder.map(({ name }) => name), 'Before', 'After'] : ['Cells', 'Revision'])]
	];
	let before = ask.before;
	for (let told = 0; told < MOST_EXPORTED;) {
		const page = await readJournal(reader, modelId, { ...ask, before });
		yield page.lines.map(({ at, person: who, kind, words, cells, revision, place, before: was, after }) => [
			at,
			who ?? '',
			kind,
			words,
			...(entries
				? [...(place ?? []).map((member) => page.names[member] ?? ''), was === null ? '' : String(was), after === null ? '' : String(after)]
				: [cells === null ? '' : String(cells), revision === null ? '' : String(revision)])
		]);
		told += page.lines.length;
		if (page.next === null) return;
		before = page.next;
	}
}
