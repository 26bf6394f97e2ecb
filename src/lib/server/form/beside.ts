import { z } from 'zod';

import { pool, transaction } from '../database';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { askEngine } from '../engine';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { draftVersion, lockDraft } from './draft';
import { formAsk, readForm, type FormChoices } from './open';

/** A figure by its members: one a dimension of the model in address order, the period last. */
export const placeSchema = z.array(z.number().int()).min(3).max(41);

export interface Note {
	id: number;
	person: string;
	at: string;
	text: string;
	mine: boolean;
}

/** A note with its answers. */
export interface NoteThread extends Note {
	answers: Note[];
	resolved: { at: string; person: string } | null;
}

export interface DetailLine {
	label: string;
	amount: number;
	factor: number;
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
}

/** Reads what stands beside a figure. */
export async function readBeside(person: SignedIn | undefined, modelId: number, place: number[]): Promise<Beside> {
	const reader = requirePermission(person, 'form.read');
	const notes = await pool().query<{
		id: number;
		thread: number | null;
		person: string;
		author: number;
		at: Date;
		text: string;
		resolvedAt: Date | null;
		resolvedBy: string | null;
	}>(
		`SELECT n.id, n.thread, p.name AS person, p.id AS author, n.at, n.text, n.resolved_at AS "resolvedAt", r.name AS "resolvedBy"
		FROM note n JOIN person p ON p.id = n.person_id LEFT JOIN person r ON r.id = n.resolved_by
		WHERE n.model_id = $1 AND n.place = $2 ORDER BY n.id LIMIT 500`,
		[modelId, place]
	);
	const plain = ({ id, person: name, author, at, text }: (typeof notes.rows)[number]): Note => ({
		id,
		person: name,
		at: at.toISOString(),
		text,
		mine: author === reader.id
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
	await pool().query(
		`UPDATE note_mention SET seen_at = now() WHERE person_id = $1 AND seen_at IS NULL
			AND note_id IN (SELECT id FROM note WHERE model_id = $2 AND place = $3)`,
		[reader.id, modelId, place]
	);
	const people = await pool().query<{ name: string }>('SELECT name FROM person WHERE active ORDER BY name');
	return {
		threads: notes.rows
			.filter(({ thread }) => thread === null)
			.map((note) => ({
				...plain(note),
				answers: notes.rows.filter(({ thread }) => thread === note.id).map(plain),
				resolved: note.resolvedAt ? { at: note.resolvedAt.toISOString(), person: note.resolvedBy ?? '' } : null
			})),
		lines: lines.rows,
		links: links.rows.map(({ address, at, ...link }) => ({
			...link,
			at: at.toISOString(),
			href: address ?? `/api/forms/files/${link.id}`
		})),
		people: people.rows.map(({ name }) => name)
	};
}

/** The cells of a form beside which something stands. */
export async function markedCells(person: SignedIn | undefined, modelId: number, code: string, choices: FormChoices): Promise<CellMark[]> {
	const reader = requirePermission(person, 'form.read');
	const { layout } = await readForm(reader, modelId, code);
	const found = await pool().query<Omit<CellMark, 'cell'> & { place: number[] }>(
		`SELECT place, sum(notes)::integer AS notes, sum(lines)::integer AS lines, sum(links)::integer AS links FROM (
			SELECT place, 1 AS notes, 0 AS lines, 0 AS links FROM note WHERE model_id = $1 AND thread IS NULL AND resolved_at IS NULL
			UNION ALL SELECT place, 0, 1, 0 FROM detail_line WHERE model_id = $1
			UNION ALL SELECT place, 0, 0, 1 FROM cell_link WHERE model_id = $1) AS beside GROUP BY place LIMIT 50000`,
		[modelId]
	);
	if (found.rows.length === 0) return [];
	const ask = await formAsk(reader, modelId, layout, choices, await draftVersion(pool(), reader.id, modelId));
	const { cells } = await askEngine(modelId, 'locate', { ...ask, places: found.rows.map(({ place }) => place) });
	return found.rows.flatMap(({ place: _, ...counts }, index) => cells[index]!.map((cell) => ({ cell, ...counts })));
}

export const noteSchema = z.object({
	place: placeSchema,
	text: z.string().trim().min(1, 'write something').max(4_000),
	/** The note it answers. */
	thread: z.number().int().optional()
});

/** Writes a note, or an answer to one. People named with an @ are told on their desk. */
export async function writeNote(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	{ place, text, thread }: z.infer<typeof noteSchema>
): Promise<Beside> {
	const writer = requirePermission(person, 'form.read');
	const form = await readForm(writer, modelId, code);
	await requirePlace(modelId, place);
	await transaction(async (client) => {
		if (thread !== undefined) {
			const above = await client.query('SELECT FROM note WHERE id = $1 AND model_id = $2 AND place = $3 AND thread IS NULL', [
				thread,
				modelId,
				place
			]);
			if (above.rowCount === 0) throw notFound('note');
			// An answer opens the matter again.
			await client.query('UPDATE note SET resolved_at = NULL, resolved_by = NULL WHERE id = $1', [thread]);
		}
		const made = await client.query<{ id: number }>(
			'INSERT INTO note (model_id, place, thread, person_id, text, form_id) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
			[modelId, place, thread ?? null, writer.id, text, form.id]
		);
		await client.query(
			`INSERT INTO note_mention (note_id, person_id)
			SELECT $1, id FROM person WHERE active AND id <> $3 AND strpos(lower($2), '@' || lower(name)) > 0`,
			[made.rows[0]!.id, text, writer.id]
		);
	});
	return readBeside(person, modelId, place);
}

export const noteActSchema = z.object({ place: placeSchema, note: z.number().int(), act: z.enum(['resolve', 'open again', 'delete']) });

/** Resolves a thread, opens it again, or deletes a note of one's own. */
export async function actOnNote(
	person: SignedIn | undefined,
	modelId: number,
	{ place, note, act }: z.infer<typeof noteActSchema>
): Promise<Beside> {
	const reader = requirePermission(person, 'form.read');
	const done =
		act === 'delete'
			? await pool().query('DELETE FROM note WHERE id = $1 AND model_id = $2 AND person_id = $3', [note, modelId, reader.id])
			: await pool().query(
					'UPDATE note SET resolved_at = CASE WHEN $3 THEN now() END, resolved_by = CASE WHEN $3 THEN $4::integer END WHERE id = $1 AND model_id = $2 AND thread IS NULL',
					[note, modelId, act === 'resolve', reader.id]
				);
	if (done.rowCount === 0) throw notFound('note of yours');
	return readBeside(person, modelId, place);
}

export const linesSchema = z.object({
	row: z.number().int().min(0),
	column: z.number().int().min(0),
	structure: z.number().int(),
	lines: z.array(z.object({ label: z.string().trim().max(200), amount: z.number().finite(), factor: z.number().finite() })).max(200)
});

/**
 * Keeps the small sum behind a leaf cell; the cell becomes its total at once, as a change set of its own. Without lines
 * the cell keeps its figure.
 * @throws Fault when the person may not write the cell
 */
export async function saveDetailLines(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ row, column, structure, lines }: z.infer<typeof linesSchema>
): Promise<{ revision: number | null }> {
	const writer = requirePermission(person, 'form.enter');
	const form = await readForm(writer, modelId, code);
	const dimensionIds = await addressDimensions(pool(), modelId);
	const total = lines.reduce((sum, { amount, factor }) => sum + amount * factor, 0);
	if (!Number.isFinite(total)) throw new Fault(422, 'not possible', 'These lines add up to more than a number can hold.');
	const asked = await formAsk(writer, modelId, form.layout, choices, 0);
	const revision = await transaction(async (client) => {
		const draft = await lockDraft(client, writer.id, modelId);
		// Nothing can come between: what the cell holds is read at the revision that is the last one here.
		const ask = { ...asked, draftVersion: draft.version, revision: await lockModel(client, modelId) };
		if (ask.structure !== structure)
			throw new Fault(409, 'conflict', 'The structure of the model has changed meanwhile. Look at the cell again, then save its lines.');
		const { place, ...plan } = await askEngine(modelId, 'planCell', { ...ask, row, column, value: total });
		await client.query('DELETE FROM detail_line WHERE model_id = $1 AND place = $2', [modelId, place]);
		if (lines.length === 0) return null;
		await client.query(
			`INSERT INTO detail_line (model_id, place, position, label, amount, factor)
			SELECT $1, $2, x.position, x.label, x.amount, x.factor
			FROM unnest($3::integer[], $4::text[], $5::float8[], $6::float8[]) AS x (position, label, amount, factor)`,
			[
				modelId,
				place,
				lines.map((_, index) => index),
				lines.map(({ label }) => label),
				lines.map(({ amount }) => amount),
				lines.map(({ factor }) => factor)
			]
		);
		// What the person had typed there and not saved is settled by the lines.
		const dropped = await client.query('DELETE FROM draft_cell WHERE draft_id = $1 AND address = $2 AND period_id = $3', [
			draft.id,
			place.slice(0, -1),
			place.at(-1)
		]);
		if (dropped.rowCount) await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1', [draft.id]);
		if (plan.refused.length > 0) throw new Fault(403, 'not allowed', plan.refused[0]!.reason);
		if (plan.cells === 0) return null;
		return postChangeSet(
			client,
			{ modelId, person: writer.id, kind: 'save', through: `${form.name}, detail lines`, cells: plan.cells },
			dimensionIds,
			plan.series,
			plan.entries
		);
	});
	if (revision !== null) await askEngine(modelId, 'ready', { revision });
	return { revision };
}

/** Files beside cells are at most this large. */
export const MOST_LINK_BYTES = 5 * 1024 * 1024;

/** What may be kept beside a cell, by the ending of its name. */
const FILE_TYPES: Record<string, string> = {
	pdf: 'application/pdf',
	png: 'image/png',
	jpg: 'image/jpeg',
	jpeg: 'image/jpeg',
	txt: 'text/plain',
	csv: 'text/csv',
	md: 'text/markdown',
	xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
	docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
	ods: 'application/vnd.oasis.opendocument.spreadsheet',
	odt: 'application/vnd.oasis.opendocument.text'
};

export const linkSchema = z.object({
	place: placeSchema,
	title: z.string().trim().max(200),
	address: z
		.string()
		.trim()
		.max(2_000)
		.refine((address) => /^https?:\/\/[^\s/]+/i.test(address), 'begin the address with https://')
});

/** Attaches a web address to a figure. */
export async function addLink(
	person: SignedIn | undefined,
	modelId: number,
	{ place, title, address }: z.infer<typeof linkSchema>
): Promise<Beside> {
	const writer = requirePermission(person, 'form.enter');
	await requirePlace(modelId, place);
	await pool().query('INSERT INTO cell_link (model_id, place, person_id, title, address) VALUES ($1, $2, $3, $4, $5)', [
		modelId,
		place,
		writer.id,
		title || address,
		address
	]);
	return readBeside(person, modelId, place);
}

/** Keeps a file beside a figure. @throws Fault for kinds and sizes that are not kept */
export async function addFile(
	person: SignedIn | undefined,
	modelId: number,
	place: number[],
	name: string,
	bytes: Buffer
): Promise<Beside> {
	const writer = requirePermission(person, 'form.enter');
	await requirePlace(modelId, place);
	const ending = name.toLowerCase().split('.').at(-1) ?? '';
	const type = FILE_TYPES[ending];
	if (!type)
		throw new Fault(
			422,
			'not possible',
			`Files ending in “.${ending.slice(0, 20)}” are not kept here. Take one of ${Object.keys(FILE_TYPES).join(', ')}.`
		);
	if (bytes.length > MOST_LINK_BYTES)
		throw new Fault(
			413,
			'too large',
			`The file is larger than ${MOST_LINK_BYTES / 1024 / 1024} MB. Put it on a share and attach its address.`
		);
	if (bytes.length === 0) throw new Fault(422, 'empty file', 'The file is empty.');
	await pool().query('INSERT INTO cell_link (model_id, place, person_id, title, file_type, bytes) VALUES ($1, $2, $3, $4, $5, $6)', [
		modelId,
		place,
		writer.id,
		name.slice(0, 200),
		type,
		bytes
	]);
	return readBeside(person, modelId, place);
}

/** A kept file. @throws Fault 404 */
export async function readFile(
	person: SignedIn | undefined,
	modelId: number,
	id: number
): Promise<{ name: string; type: string; bytes: Buffer }> {
	requirePermission(person, 'form.read');
	const found = await pool().query<{ name: string; type: string; bytes: Buffer }>(
		'SELECT title AS name, file_type AS type, bytes FROM cell_link WHERE id = $1 AND model_id = $2 AND bytes IS NOT NULL',
		[id, modelId]
	);
	if (!found.rows[0]) throw notFound('file');
	return found.rows[0];
}

export const linkRemoveSchema = z.object({ place: placeSchema, link: z.number().int() });

/** Takes away a link of one's own. */
export async function removeLink(
	person: SignedIn | undefined,
	modelId: number,
	{ place, link }: z.infer<typeof linkRemoveSchema>
): Promise<Beside> {
	const writer = requirePermission(person, 'form.enter');
	const gone = await pool().query('DELETE FROM cell_link WHERE id = $1 AND model_id = $2 AND person_id = $3', [link, modelId, writer.id]);
	if (gone.rowCount === 0) throw notFound('link of yours');
	return readBeside(person, modelId, place);
}

/**
 * Copies the open notes of the same figures a year earlier onto the figures of a form, those it has already left out.
 * @returns how many were brought over
 */
export async function bringNotes(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices
): Promise<{ notes: number }> {
	const writer = requirePermission(person, 'form.enter');
	const form = await readForm(writer, modelId, code);
	const found = await pool().query<{ place: number[]; text: string; author: string; period: string }>(
		`WITH period_dimension AS (
			SELECT d.id FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id AND d.kind = 'period' WHERE md.model_id = $1
		)
		SELECT n.place[1 : cardinality(n.place) - 1] || later.member_id AS place, n.text, p.name AS author, m.name AS period
		FROM note n JOIN person p ON p.id = n.person_id
		JOIN period earlier ON earlier.member_id = n.place[cardinality(n.place)]
		JOIN member m ON m.id = earlier.member_id
		JOIN period later ON later.level = earlier.level AND later.fiscal_year = earlier.fiscal_year + 1
			AND later.start_date BETWEEN earlier.start_date + interval '358 days' AND earlier.start_date + interval '372 days'
		JOIN member lm ON lm.id = later.member_id AND lm.dimension_id IN (SELECT id FROM period_dimension)
		WHERE n.model_id = $1 AND n.thread IS NULL ORDER BY n.id LIMIT 5000`,
		[modelId]
	);
	if (found.rows.length === 0) return { notes: 0 };
	// Last year's notes stand in last year's scenario: whatever it was, the form's own one takes them.
	const ask = await formAsk(writer, modelId, form.layout, choices, await draftVersion(pool(), writer.id, modelId));
	const dimensionIds = await addressDimensions(pool(), modelId);
	const scenarioAxis = await pool().query<{ id: number }>("SELECT id FROM dimension WHERE id = ANY ($1::integer[]) AND kind = 'scenario'", [
		dimensionIds
	]);
	const axis = dimensionIds.indexOf(scenarioAxis.rows[0]!.id);
	const chosen =
		ask.choices[dimensionIds[axis]!] ?? form.layout.selectors.find(({ dimension }) => dimension === dimensionIds[axis])?.initial;
	const placed = found.rows.map((note) => ({
		...note,
		place: note.place.map((member, index) => (index === axis && chosen !== undefined ? chosen : member))
	}));
	const { cells } = await askEngine(modelId, 'locate', { ...ask, places: placed.map(({ place }) => place) });
	let notes = 0;
	for (const [index, { place, text, author, period }] of placed.entries()) {
		if (cells[index]!.length === 0) continue;
		const words = `From ${period}, ${author}: ${text}`.slice(0, 4_000);
		const made = await pool().query(
			`INSERT INTO note (model_id, place, person_id, text, form_id)
			SELECT $1, $2, $3, $4, $5 WHERE NOT EXISTS (SELECT FROM note WHERE model_id = $1 AND place = $2 AND text = $4)`,
			[modelId, place, writer.id, words, form.id]
		);
		notes += made.rowCount ?? 0;
	}
	return { notes };
}

/** A place must name one member of each dimension of the model, the period last. @throws Fault 404 */
async function requirePlace(modelId: number, place: readonly number[]): Promise<void> {
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
}

/** What people wrote with this person's name in it, not looked at yet. */
export interface Mention {
	note: number;
	text: string;
	person: string;
	at: string;
	form: string | null;
	formName: string | null;
	place: number[];
	words: string;
}

export async function openMentions(person: SignedIn, modelId: number): Promise<Mention[]> {
	const found = await pool().query<Omit<Mention, 'at'> & { at: Date }>(
		`SELECT n.id AS note, n.text, p.name AS person, n.at, f.code AS form, f.name AS "formName", n.place,
			(SELECT string_agg(m.name, ' · ' ORDER BY o) FROM unnest(n.place) WITH ORDINALITY AS x (id, o) JOIN member m ON m.id = x.id) AS words
		FROM note_mention x JOIN note n ON n.id = x.note_id JOIN person p ON p.id = n.person_id LEFT JOIN form f ON f.id = n.form_id
		WHERE x.person_id = $1 AND x.seen_at IS NULL AND n.model_id = $2 ORDER BY n.id DESC LIMIT 20`,
		[person.id, modelId]
	);
	return found.rows.map((row) => ({ ...row, at: row.at.toISOString() }));
}
