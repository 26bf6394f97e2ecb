import { z } from 'zod';

import { readablePlaces } from '../access';
import { pool, type Database } from '../database';
import { SEES_NOTE } from '../database/branch-series';
import { addressDimensions } from '../database/definitions';
import { askEngine } from '../engine';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { draftVersion } from './draft';
import { formAsk, readForm, type FormChoices } from './open';

/** A figure by its members: one a dimension of the model in address order, the period last. */
export const placeSchema = z.array(z.number().int()).min(3).max(41);

export interface Note {
	id: number;
	person: string;
	at: string;
	text: string;
	mine: boolean;
	/** The branch it was written in, by name. */
	branch: string | null;
}

/** A note with its answers. */
export interface NoteThread extends Note {
	answers: Note[];
	resolved: { at: string; person: string } | null;
	/** Whether it can be resolved here: the plan's notes are the plan's matter. */
	isHere: boolean;
}

export interface DetailLine {
	label: string;
	amount: number;
	factor: number;
}

/** The last entry of a cell: its value (null: taken away), who made it and when. */
export interface LastEntry {
	value: number | null;
	person: string | null;
	at: string;
	revision: number;
}

export interface CellLink {
	id: number;
	title: string;
	/** Where it leads: a web address, or the kept file. */
	href: string;
	isFile: boolean;
	person: string;
	at: string;
	mine: boolean;
}

/** All that people left beside a figure. */
export interface Beside {
	threads: NoteThread[];
	lines: DetailLine[];
	/** The entry that was made there last; null where none was. */
	typed: LastEntry | null;
	links: CellLink[];
	/** Who may be mentioned. */
	people: string[];
}

/** What is marked at a cell of a form. */
export interface CellMark {
	cell: number;
	/** Notes that are not resolved. */
	notes: number;
	lines: number;
	links: number;
	/** In words: that what its entry was typed over is another figure now. */
	moved?: string;
	/** In words: which runbook's result it is, and whether that is out of date. */
	result?: { words: string; outOfDate: boolean };
}

/** Reads what stands beside a figure. */
export async function readBeside(person: SignedIn | undefined, modelId: number, place: number[]): Promise<Beside> {
	const reader = requirePermission(person, 'form.read');
	await requireReadable(reader, modelId, place);
	const notes = await pool().query<{
		id: number;
		thread: number | null;
		person: string;
		author: number;
		at: Date;
		text: string;
		resolvedAt: Date | null;
		resolvedBy: string | null;
		branch: string | null;
		isHere: boolean;
	}>(
		`SELECT n.id, n.thread, p.name AS person, p.id AS author, n.at, n.text, n.resolved_at AS "resolvedAt", r.name AS "resolvedBy",
			b.name AS branch, n.branch_id IS NOT DISTINCT FROM $3 OR b.state IS NOT DISTINCT FROM 'merged' AS "isHere"
		FROM note n JOIN person p ON p.id = n.person_id LEFT JOIN person r ON r.id = n.resolved_by LEFT JOIN branch b ON b.id = n.branch_id
		WHERE n.model_id = $1 AND n.place = $2 AND ${SEES_NOTE('n', '$3')} ORDER BY n.id LIMIT 500`,
		[modelId, place, reader.branch?.id ?? null]
	);
	const plain = ({ id, person: name, author, at, text, branch }: (typeof notes.rows)[number]): Note => ({
		id,
		person: name,
		at: at.toISOString(),
		text,
		mine: author === reader.id,
		branch
	});
	const lines = await pool().query<DetailLine>(
		'SELECT label, amount, factor FROM detail_line WHERE model_id = $1 AND place = $2 ORDER BY position',
		[modelId, place]
	);
	const links = await pool().query<Omit<CellLink, 'href' | 'at'> & { address: string | null; at: Date }>(
		`SELECT l.id, l.title, l.address, l.bytes IS NOT NULL AS "isFile", p.name AS person, l.at, l.person_id = $3 AS mine
		FROM cell_link l JOIN person p ON p.id = l.person_id WHERE l.model_id = $1 AND l.place = $2 ORDER BY l.id LIMIT 200`,
		[modelId, place, reader.id]
	);
	if (!reader.acting)
		await pool().query(
			`UPDATE note_mention SET seen_at = now() WHERE person_id = $1 AND seen_at IS NULL
			AND note_id IN (SELECT n.id FROM note n WHERE n.model_id = $2 AND n.place = $3 AND ${SEES_NOTE('n', '$4')})`,
			[reader.id, modelId, place, reader.branch?.id ?? null]
		);
	const people = await pool().query<{ name: string }>('SELECT name FROM person WHERE active ORDER BY name');
	return {
		threads: notes.rows
			.filter(({ thread }) => thread === null)
			.map((note) => ({
				...plain(note),
				answers: notes.rows.filter(({ thread }) => thread === note.id).map(plain),
				isHere: note.isHere,
				resolved: note.resolvedAt ? { at: note.resolvedAt.toISOString(), person: note.resolvedBy ?? '' } : null
			})),
		lines: lines.rows,
		typed: lines.rows.length > 0 ? ((await lastEntry(pool(), modelId, place)) ?? null) : null,
		links: links.rows.map(({ address, at, ...link }) => ({
			...link,
			at: at.toISOString(),
			href: address ?? `/api/forms/files/${link.id}?at=${place.join('.')}`
		})),
		people: people.rows.map(({ name }) => name)
	};
}

/** The entry that was made at a leaf cell last. */
export async function lastEntry(database: Database, modelId: number, place: readonly number[]): Promise<LastEntry | undefined> {
	const found = await database.query<Omit<LastEntry, 'at'> & { at: Date }>(
		`SELECT e.after AS value, doer(c.person_id, c.acting_id) AS person, c.at, e.revision FROM entry_change e
		JOIN change_set c ON c.model_id = e.model_id AND c.revision = e.revision
		WHERE e.model_id = $1 AND e.address = $2 AND e.period_id = $3 ORDER BY e.revision DESC LIMIT 1`,
		[modelId, place.slice(0, -1), place.at(-1)]
	);
	const last = found.rows[0];
	return last && { ...last, at: last.at.toISOString() };
}

/**
 * The cells of a form beside which something stands.
 * @param results whether cells that hold results of runbooks are among them
 */
export async function markedCells(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	results = false
): Promise<CellMark[]> {
	const reader = requirePermission(person, 'form.read');
	const { layout } = await readForm(reader, modelId, code);
	const found = await pool().query<Omit<CellMark, 'cell'> & { place: number[] }>(
		`SELECT place, sum(notes)::integer AS notes, sum(lines)::integer AS lines, sum(links)::integer AS links FROM (
			SELECT n.place, 1 AS notes, 0 AS lines, 0 AS links FROM note n WHERE n.model_id = $1 AND n.thread IS NULL AND n.resolved_at IS NULL AND ${SEES_NOTE('n', '$2')}
			UNION ALL SELECT place, 0, 1, 0 FROM detail_line WHERE model_id = $1
			UNION ALL SELECT place, 0, 0, 1 FROM cell_link WHERE model_id = $1) AS beside GROUP BY place LIMIT 50000`,
		[modelId, reader.branch?.id ?? null]
	);
	const ask = await formAsk(reader, modelId, layout, choices, await draftVersion(pool(), reader, modelId));
	const marks = new Map<number, CellMark>();
	if (found.rows.length > 0) {
		const { cells } = await askEngine(modelId, 'locate', { ...ask, places: found.rows.map(({ place }) => place) });
		found.rows.forEach(({ place: _, ...counts }, index) => {
			for (const cell of cells[index]!) marks.set(cell, { cell, ...counts });
		});
	}
	const notes = await entriesOverFigures(modelId);
	if (notes.length > 0) {
		const { moved } = await askEngine(modelId, 'moved', { ...ask, notes });
		const written = new Intl.NumberFormat(reader.locale, { maximumFractionDigits: 2 });
		for (const { cells, typed, beneath, now } of moved)
			for (const cell of cells)
				marks.set(cell, {
					...(marks.get(cell) ?? { cell, notes: 0, lines: 0, links: 0 }),
					moved: movedInWords(typed, beneath, now, (value) => written.format(value))
				});
	}
	if (results) {
		const named = await resultsInWords(modelId, reader.locale);
		for (const { cell, origin } of (await askEngine(modelId, 'results', ask)).results) {
			const result = named.get(origin);
			if (result) marks.set(cell, { ...(marks.get(cell) ?? { cell, notes: 0, lines: 0, links: 0 }), result });
		}
	}
	return [...marks.values()];
}

/** By origin of results: the runbook that wrote it last, when, and whether something it read has moved since. */
async function resultsInWords(modelId: number, locale: string): Promise<Map<number, { words: string; outOfDate: boolean }>> {
	const found = await pool().query<{ origin: number; name: string; at: Date; outOfDate: boolean }>(
		`SELECT o.id AS origin, b.name, r.at, r.out_of_date AS "outOfDate" FROM origin o
		JOIN runbook b ON b.id = o.runbook_id
		JOIN LATERAL (SELECT at, out_of_date FROM run WHERE runbook_id = b.id AND branch_id IS NULL AND state = 'done' ORDER BY id DESC LIMIT 1) r ON true
		WHERE o.model_id = $1`,
		[modelId]
	);
	const written = new Intl.DateTimeFormat(locale, { dateStyle: 'medium' });
	return new Map(
		found.rows.map(({ origin, name, at, outOfDate }) => [
			origin,
			{
				words: `Result of “${name}”, run on ${written.format(at)}${outOfDate ? '; out of date: what it read has changed since' : ''}`,
				outOfDate
			}
		])
	);
}

/** What has happened beneath an entry since it was typed. */
function movedInWords(typed: number, beneath: number, now: number | null, written: (value: number) => string): string {
	if (Number.isNaN(beneath))
		return `${written(typed)} was typed where nothing stood; ${written(now ?? 0)} was loaded or computed there since`;
	return `${written(typed)} was typed over ${written(beneath)}, which ${now === null ? 'is gone now' : `is ${written(now)} now`}`;
}

/** Entries looked at for what has moved beneath them: the latest of a model. */
const MOST_ENTRIES = 20_000;

/** The last entry of each cell that was typed over a figure, the latest first. */
async function entriesOverFigures(modelId: number): Promise<{ address: number[]; period: number; beneath: number }[]> {
	const found = await pool().query<{ address: number[]; period: number; beneath: number | null; after: number | null }>(
		`SELECT DISTINCT ON (address, period_id) address, period_id AS period, beneath, after
		FROM (SELECT * FROM entry_change WHERE model_id = $1 ORDER BY revision DESC LIMIT ${MOST_ENTRIES}) AS latest
		ORDER BY address, period_id, revision DESC`,
		[modelId]
	);
	return found.rows.flatMap(({ address, period, beneath, after }) =>
		beneath !== null && after !== null ? [{ address, period, beneath }] : []
	);
}

/** Beside what may not be read stands nothing that may. @throws Fault 403 */
export async function requireReadable(person: SignedIn, modelId: number, place: readonly number[]): Promise<void> {
	if (!(await readablePlaces(person, modelId, [place]))[0])
		throw new Fault(403, 'not yours to read', 'You may not read this figure. Ask whoever gives access in this model.');
}

/**
 * A place must name one member of each dimension of the model, the period last, and be for the person to read.
 * @throws Fault 404, 403
 */
export async function requirePlace(person: SignedIn, modelId: number, place: readonly number[]): Promise<void> {
	const dimensionIds = await addressDimensions(pool(), modelId);
	const found = await pool().query<{ fits: boolean }>(
		`SELECT coalesce(bool_and(m.id IS NOT NULL), false) AS fits FROM unnest($1::integer[], $2::integer[]) AS asked (member, dimension)
		LEFT JOIN member m ON m.id = asked.member AND m.dimension_id = asked.dimension`,
		[place.slice(0, -1), dimensionIds]
	);
	const period = await pool().query(
		`SELECT FROM member m JOIN model_dimension md ON md.dimension_id = m.dimension_id AND md.model_id = $2
		JOIN period p ON p.member_id = m.id WHERE m.id = $1`,
		[place.at(-1), modelId]
	);
	if (place.length !== dimensionIds.length + 1 || !found.rows[0]!.fits || period.rowCount === 0) throw notFound('figure');
	await requireReadable(person, modelId, place);
}
