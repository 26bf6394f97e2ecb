import { z } from 'zod';
import { readablePlaces } from '../access';
import { pool, transaction } from '../database';
import { seesBranch, SEES_BRANCH, SEES_NOTE } from '../database/branch-series';
import { addressDimensions } from '../database/definitions';
import { askEngine } from '../engine';
import { notFound } from '../fault';
import { personById, requireBranchOpen, requirePermission, type SignedIn } from '../session';
import { placeSchema, readBeside, requirePlace, requireReadable, type Beside } from './beside';
import { draftVersion } from './draft';
import { formAsk, readForm, type FormChoices } from './open';

export const noteSchema = z.object({
	place: placeSchema,
	text: z.string().trim().min(1, 'write something').max(4_000),
	/** The note it answers. */
	thread: z.number().int().optional()
});

/** Writes a note, or an answer to one. People named with an @ are told on their desk and by a message, where they may read the figure. */
export async function writeNote(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	{ place, text, thread }: z.infer<typeof noteSchema>
): Promise<Beside> {
	const writer = requirePermission(person, 'form.read');
	if (writer.branch) requireBranchOpen(writer);
	const branch = writer.branch?.id ?? null;
	const form = await readForm(writer, modelId, code);
	await requirePlace(writer, modelId, place);
	const named = await transaction(async (client) => {
		if (thread !== undefined) {
			const above = await client.query(
				`SELECT FROM note n WHERE n.id = $1 AND n.model_id = $2 AND n.place = $3 AND n.thread IS NULL AND ${SEES_NOTE('n', '$4')}`,
				[thread, modelId, place, branch]
			);
			if (above.rowCount === 0) throw notFound('note');
			// An answer opens the matter again; the plan's stays as it is while one plays through something else.
			await client.query('UPDATE note SET resolved_at = NULL, resolved_by = NULL WHERE id = $1 AND branch_id IS NOT DISTINCT FROM $2', [
				thread,
				branch
			]);
		}
		const made = await client.query<{ id: number }>(
			'INSERT INTO note (model_id, place, thread, person_id, text, form_id, branch_id) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id',
			[modelId, place, thread ?? null, writer.id, text, form.id, branch]
		);
		const mentioned = await client.query<{ id: number }>(
			`INSERT INTO note_mention (note_id, person_id)
			SELECT $1, id FROM person WHERE active AND id <> $3 AND strpos(lower($2), '@' || lower(name)) > 0 RETURNING person_id AS id`,
			[made.rows[0]!.id, text, writer.id]
		);
		return mentioned.rows.map(({ id }) => id);
	});
	await tellNamed(writer, modelId, { code, name: form.name }, { place, text, named });
	return readBeside(person, modelId, place);
}

/** A message to those who are named in a note and may read the figure it stands beside. */
async function tellNamed(
	writer: SignedIn,
	modelId: number,
	form: { code: string; name: string },
	{ place, text, named }: { place: number[]; text: string; named: readonly number[] }
): Promise<void> {
	for (const id of named) {
		const reader = await personById(id, modelId);
		if (!reader.permissions.includes('form.read') || !(await readablePlaces(reader, modelId, [place]))[0]) continue;
		if (writer.branch && !(await seesBranch(pool(), writer.branch.id, reader))) continue;
		await pool().query("INSERT INTO message (person_id, model_id, kind, subject, body, path) VALUES ($1, $2, 'mention', $3, $4, $5)", [
			id,
			modelId,
			`${writer.name} wrote to you on ${form.name}`,
			text,
			`/forms/${form.code}?note=${place.join('.')}`
		]);
	}
}

/** The condition under which a note is a matter of where one is: of the plan with merged branches, or of a branch. */
const OF_HERE = (branch: string): string =>
	`(branch_id IS NOT DISTINCT FROM ${branch} OR branch_id IN (SELECT id FROM branch WHERE state = 'merged'))`;

export const noteActSchema = z.object({ place: placeSchema, note: z.number().int(), act: z.enum(['resolve', 'open again', 'delete']) });

/** Resolves a thread, opens it again, or deletes a note of one's own. */
export async function actOnNote(
	person: SignedIn | undefined,
	modelId: number,
	{ place, note, act }: z.infer<typeof noteActSchema>
): Promise<Beside> {
	const reader = requirePermission(person, 'form.read');
	await requireReadable(reader, modelId, place);
	const branch = reader.branch?.id ?? null;
	const done =
		act === 'delete'
			? await pool().query(`DELETE FROM note WHERE id = $1 AND model_id = $2 AND person_id = $3 AND place = $4 AND ${OF_HERE('$5')}`, [
					note,
					modelId,
					reader.id,
					place,
					branch
				])
			: await pool().query(
					`UPDATE note SET resolved_at = CASE WHEN $3 THEN now() END, resolved_by = CASE WHEN $3 THEN $4::integer END
					WHERE id = $1 AND model_id = $2 AND thread IS NULL AND place = $5 AND ${OF_HERE('$6')}`,
					[note, modelId, act === 'resolve', reader.id, place, branch]
				);
	if (done.rowCount === 0) throw notFound('note of yours');
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
		WHERE n.model_id = $1 AND n.thread IS NULL AND n.branch_id IS NULL ORDER BY n.id LIMIT 5000`,
		[modelId]
	);
	if (found.rows.length === 0) return { notes: 0 };
	const seen = await readablePlaces(
		writer,
		modelId,
		found.rows.map(({ place }) => place)
	);
	// Last year's notes stand in last year's scenario: whatever it was, the form's own one takes them.
	const ask = await formAsk(writer, modelId, form.layout, choices, await draftVersion(pool(), writer, modelId));
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
		if (cells[index]!.length === 0 || !seen[index]) continue;
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
	/** The branch (id) it was written in; null in the plan. */
	branch: number | null;
}

export async function openMentions(person: SignedIn, modelId: number): Promise<Mention[]> {
	const found = await pool().query<Omit<Mention, 'at'> & { at: Date }>(
		`SELECT n.id AS note, n.text, p.name AS person, n.at, f.code AS form, f.name AS "formName", n.place, n.branch_id AS branch,
			(SELECT string_agg(m.name, ' · ' ORDER BY o) FROM unnest(n.place) WITH ORDINALITY AS x (id, o) JOIN member m ON m.id = x.id) AS words
		FROM note_mention x JOIN note n ON n.id = x.note_id JOIN person p ON p.id = n.person_id LEFT JOIN form f ON f.id = n.form_id
		WHERE x.person_id = $1 AND x.seen_at IS NULL AND n.model_id = $2 AND (n.branch_id IS NULL OR ${SEES_BRANCH('n.branch_id', '$1', '$3')}) ORDER BY n.id DESC LIMIT 20`,
		[person.id, modelId, person.permissions.includes('branch.merge')]
	);
	const seen = await readablePlaces(
		person,
		modelId,
		found.rows.map(({ place }) => place)
	);
	return found.rows.filter((_, index) => seen[index]).map((row) => ({ ...row, at: row.at.toISOString() }));
}
