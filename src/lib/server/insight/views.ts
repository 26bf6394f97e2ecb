/** Views of the explorer: forms nobody had to make, each its owner's. */
import { z } from 'zod';
import { askedLayout, figureLayout, memberLayout, VIEW_PREFIX, type FormLayout } from '../../core';
import { readAccessRules, reachedMembers } from '../access';
import { pool, transaction, type Database } from '../database';
import { modelVersions } from '../database/structure-version';
import { membersNamed } from '../definition/layout-members';
import { layoutSchema, selectionSchema } from '../definition/layout-schema';
import { askEngine, type SelectedMembers, type TreeMember } from '../engine';
import { Fault, notFound } from '../fault';
import { openForm, readForm, saveDesign, type FormChoices, type OpenForm } from '../form';
import { requirePermission, type SignedIn } from '../session';
import { axesOf, type InsightAxis } from './axes';

/** Views without a name that one person has at once; the oldest go. */
const MOST_UNNAMED = 40;
const MOST_NAMED = 300;
/** How long a view without a name stays. */
const UNNAMED_DAYS = 30;

export interface ViewCard {
	code: string;
	name: string;
	description: string;
	owner: string;
	mine: boolean;
	shared: boolean;
	changed: string;
}

/** A view as the explorer shows it. */
export interface OpenView {
	opened: OpenForm;
	layout: FormLayout;
	mine: boolean;
	kept: boolean;
	shared: boolean;
	owner: string;
	axes: InsightAxis[];
	/** Names of members (ids) that the layout names, as far as the reader may know them. */
	names: Record<number, string>;
	variables: { name: string; dimension: number | null }[];
	attributes: { dimension: number; name: string }[];
	/** Forms and views whose draft cells go with this one. */
	mayMakeForms: boolean;
}

/** The views somebody sees by name: their own and shared ones. */
export async function listViews(person: SignedIn | undefined, modelId: number): Promise<ViewCard[]> {
	const reader = requirePermission(person, 'form.read');
	const found = await pool().query<Omit<ViewCard, 'changed'> & { changed: Date }>(
		`SELECT f.code, f.name, f.description, p.name AS owner, f.owner_id = $2 AS mine, f.shared, f.changed_at AS changed
		FROM form f JOIN person p ON p.id = f.owner_id WHERE f.model_id = $1 AND f.kept AND (f.owner_id = $2 OR f.shared) ORDER BY lower(f.name), f.id LIMIT 500`,
		[modelId, reader.id]
	);
	return found.rows.map((row) => ({ ...row, changed: row.changed.toISOString() }));
}

export const startViewSchema = z.object({
	/** A figure by its members: one a dimension, the period last. */
	place: z.array(z.int()).min(3).max(41).optional(),
	/** A member (id) to begin at. */
	member: z.int().optional(),
	/** A form or another view to begin from, and what was chosen in it. */
	from: z.string().max(80).optional(),
	choices: z.record(z.string().regex(/^\d+$/), z.int()).default({}),
	/** A layout to begin with. */
	layout: layoutSchema.optional(),
	name: z.string().trim().max(120).default('')
});

/** Begins a view: from a figure, from a form, or with the accounts over the months of a year. */
export async function startView(
	person: SignedIn | undefined,
	modelId: number,
	{ place, member, from, choices, layout, name }: z.infer<typeof startViewSchema>
): Promise<{ code: string }> {
	const reader = requirePermission(person, 'form.read');
	const axes = await axesOf(reader, modelId);
	const start =
		layout ??
		(from !== undefined
			? withChosen(plainLayout((await readForm(reader, modelId, from)).layout), choices)
			: place
				? figureLayout(axes, atPlace(axes, place))
				: member !== undefined
					? memberLayout(axes, await dimensionOf(axes, member), member)
					: askedLayout(axes));
	await refuseFaults(modelId, start);
	return { code: await insertView(reader, modelId, name, start, name !== '') };
}

/** The dimension (id) of a member. @throws Fault 404 where it is none of this model's */
async function dimensionOf(axes: readonly InsightAxis[], member: number): Promise<number> {
	const found = await pool().query<{ dimension: number }>('SELECT dimension_id AS dimension FROM member WHERE id = $1', [member]);
	const dimension = found.rows[0]?.dimension;
	if (dimension === undefined || !axes.some(({ id }) => id === dimension)) throw notFound('member');
	return dimension;
}

/** A layout without what belongs to a form alone: its checks, runs and ways of filling. */
function plainLayout({
	version,
	rows,
	columns,
	selectors,
	pinned,
	currencies,
	scale,
	hideEmptyRows,
	hideEmptyColumns
}: FormLayout): FormLayout {
	return {
		version,
		rows,
		columns,
		selectors: selectors.map(({ asks: _, ...selector }) => selector),
		pinned,
		currencies,
		...(scale && { scale }),
		...(hideEmptyRows && { hideEmptyRows }),
		...(hideEmptyColumns && { hideEmptyColumns })
	};
}

const withChosen = (layout: FormLayout, choices: Record<string, number>): FormLayout => ({
	...layout,
	selectors: layout.selectors.map(({ initialVariable, ...selector }) => {
		const chosen = choices[selector.dimension];
		return chosen === undefined ? { ...selector, ...(initialVariable && { initialVariable }) } : { ...selector, initial: chosen };
	})
});

/** The members of a figure by dimension. @throws Fault where they are not of this model */
function atPlace(axes: readonly InsightAxis[], place: readonly number[]): Record<number, number> {
	const inOrder = [...axes.filter(({ kind }) => kind !== 'period'), ...axes.filter(({ kind }) => kind === 'period')];
	if (place.length !== inOrder.length)
		throw new Fault(422, 'not possible', 'This figure is of another model, or of before a dimension came or went.');
	return Object.fromEntries(inOrder.map(({ id }, index) => [id, place[index]!]));
}

async function insertView(owner: SignedIn, modelId: number, name: string, layout: FormLayout, kept: boolean): Promise<string> {
	return transaction(async (client) => {
		// One after another for one person, so that the numbers below hold.
		await client.query('SELECT FROM person WHERE id = $1 FOR UPDATE', [owner.id]);
		await client.query(
			`DELETE FROM form WHERE owner_id = $1 AND model_id = $2 AND NOT kept AND NOT EXISTS (SELECT FROM draft_cell c WHERE c.form_id = form.id)
				AND (changed_at < now() - make_interval(days => $3) OR id NOT IN (SELECT id FROM form WHERE owner_id = $1 AND model_id = $2 AND NOT kept ORDER BY changed_at DESC LIMIT $4))`,
			[owner.id, modelId, UNNAMED_DAYS, MOST_UNNAMED - 1]
		);
		if (kept) await refuseTooMany(client, owner.id, modelId);
		const made = await client.query<{ code: string }>(
			`WITH made AS (SELECT nextval(pg_get_serial_sequence('form', 'id'))::integer AS id)
			INSERT INTO form (id, model_id, code, name, folder, description, layout, owner_id, kept, shared)
			OVERRIDING SYSTEM VALUE SELECT id, $1, $2 || id, $3, '', '', $4, $5, $6, false FROM made RETURNING code`,
			[modelId, VIEW_PREFIX, name || 'A view', JSON.stringify(layout), owner.id, kept]
		);
		return made.rows[0]!.code;
	});
}

async function refuseTooMany(database: Database, owner: number, modelId: number): Promise<void> {
	const { rows } = await database.query<{ count: number }>(
		'SELECT count(*)::integer AS count FROM form WHERE owner_id = $1 AND model_id = $2 AND kept',
		[owner, modelId]
	);
	if (rows[0]!.count >= MOST_NAMED) throw new Fault(422, 'too many', `You keep ${MOST_NAMED} views here. Delete some you do not need.`);
}

/** @throws Fault naming what keeps a layout from being shown */
async function refuseFaults(modelId: number, layout: FormLayout): Promise<void> {
	const { faults } = await askEngine(modelId, 'checkLayout', { layout, structure: (await modelVersions(pool(), modelId)).structure });
	if (faults.length > 0) throw new Fault(422, 'cannot be shown', faults[0]!, faults);
}

interface StoredView {
	id: number;
	owner: number;
	ownerName: string;
	kept: boolean;
	shared: boolean;
	layout: FormLayout;
	name: string;
}

/** A view somebody may see. @throws Fault 404 */
async function readView(person: SignedIn, modelId: number, code: string): Promise<StoredView> {
	const found = await pool().query<Omit<StoredView, 'layout'> & { layout: unknown }>(
		`SELECT f.id, f.owner_id AS owner, p.name AS "ownerName", f.kept, f.shared, f.layout, f.name FROM form f JOIN person p ON p.id = f.owner_id
		WHERE f.model_id = $1 AND f.code = $2 AND (f.owner_id = $3 OR f.shared)`,
		[modelId, code, person.id]
	);
	const view = found.rows[0];
	if (!view) throw notFound('view');
	return { ...view, layout: layoutSchema.parse(view.layout) };
}

/** A view with its figures, and what it can be turned by. */
export async function openView(person: SignedIn | undefined, modelId: number, code: string, choices: FormChoices): Promise<OpenView> {
	const reader = requirePermission(person, 'form.read');
	const view = await readView(reader, modelId, code);
	const [opened, axes, variables, attributes] = await Promise.all([
		openForm(reader, modelId, code, choices, { empty: true }),
		axesOf(reader, modelId),
		pool().query<OpenView['variables'][number]>(
			'SELECT v.name, m.dimension_id AS dimension FROM variable v JOIN member m ON m.id = v.member_id WHERE v.model_id = $1 ORDER BY v.name',
			[modelId]
		),
		pool().query<OpenView['attributes'][number]>(
			'SELECT a.dimension_id AS dimension, a.name FROM attribute a JOIN model_dimension md ON md.dimension_id = a.dimension_id WHERE md.model_id = $1 ORDER BY a.name',
			[modelId]
		)
	]);
	return {
		opened,
		layout: view.layout,
		mine: view.owner === reader.id,
		kept: view.kept,
		shared: view.shared,
		owner: view.ownerName,
		axes,
		names: await namesFor(reader, modelId, axes, [...membersNamed(view.layout)]),
		variables: variables.rows,
		attributes: attributes.rows,
		mayMakeForms: reader.permissions.includes('form.design')
	};
}

/** The names of members (ids), of those whom the reader may learn of. */
export async function namesFor(
	person: SignedIn,
	modelId: number,
	axes: readonly InsightAxis[],
	members: readonly number[]
): Promise<Record<number, string>> {
	const found = await pool().query<{ id: number; name: string; dimension: number }>(
		'SELECT id, name, dimension_id AS dimension FROM member WHERE id = ANY ($1)',
		[[...members, ...axes.map(({ top }) => top)]]
	);
	const names: Record<number, string> = {};
	for (const { id: dimension } of axes) {
		const ofThis = found.rows.filter((row) => row.dimension === dimension);
		const seen = await reachedMembers(
			person,
			modelId,
			dimension,
			ofThis.map(({ id }) => id)
		);
		ofThis.forEach(({ id, name }, index) => {
			if (seen[index]) names[id] = name;
		});
	}
	return names;
}

export const changeViewSchema = z.object({ code: z.string().max(80), layout: layoutSchema });

/**
 * Turns a view. Another one's stays as it is: who turns it gets a copy of their own.
 * @returns the view's code, another one where it was copied
 * @throws Fault 422 saying why it could not be shown; then it stays as it was
 */
export async function changeView(
	person: SignedIn | undefined,
	modelId: number,
	{ code, layout }: z.infer<typeof changeViewSchema>
): Promise<{ code: string }> {
	const reader = requirePermission(person, 'form.read');
	const view = await readView(reader, modelId, code);
	await refuseFaults(modelId, layout);
	if (view.owner !== reader.id) return { code: await insertView(reader, modelId, view.name, layout, false) };
	await pool().query('UPDATE form SET layout = $2, changed_at = now() WHERE id = $1', [view.id, JSON.stringify(layout)]);
	return { code };
}

export const keepViewSchema = z.object({
	code: z.string().max(80),
	name: z.string().trim().min(1, 'give the view a name').max(120),
	description: z.string().trim().max(500).default(''),
	shared: z.boolean()
});

/** Keeps a view by a name; shared, everybody who reads the model sees it, with the figures they may read. */
export async function keepView(
	person: SignedIn | undefined,
	modelId: number,
	{ code, name, description, shared }: z.infer<typeof keepViewSchema>
): Promise<void> {
	const owner = requirePermission(person, 'form.read');
	const view = await readView(owner, modelId, code);
	if (view.owner !== owner.id)
		throw new Fault(403, 'not yours', `This view is ${view.ownerName}’s. Turn it, and the copy is yours to keep.`);
	if (!view.kept) await refuseTooMany(pool(), owner.id, modelId);
	await pool().query('UPDATE form SET name = $2, description = $3, shared = $4, kept = true, changed_at = now() WHERE id = $1', [
		view.id,
		name,
		description,
		shared
	]);
}

export const viewOnly = z.object({ code: z.string().max(80) });

/** Deletes a view of one's own; what was typed in it and not saved stays in the draft. */
export async function dropView(person: SignedIn | undefined, modelId: number, { code }: z.infer<typeof viewOnly>): Promise<void> {
	const owner = requirePermission(person, 'form.read');
	const gone = await pool().query('DELETE FROM form WHERE model_id = $1 AND code = $2 AND owner_id = $3', [modelId, code, owner.id]);
	if (!gone.rowCount) throw notFound('view');
}

export const asFormSchema = z.object({ code: z.string().max(80), name: z.string().trim().min(1, 'give the form a name').max(120) });

/** Makes a form of a view: what people fill in from then on. */
export async function viewAsForm(
	person: SignedIn | undefined,
	modelId: number,
	{ code, name }: z.infer<typeof asFormSchema>
): Promise<{ code: string }> {
	const maker = requirePermission(person, 'form.design');
	const { layout } = await readView(maker, modelId, code);
	return saveDesign(maker, modelId, null, { name, folder: '', description: '', instructions: '', roles: [], layout, version: 0 });
}

export const selectSchema = z.object({ dimension: z.int(), selection: selectionSchema, chosen: z.int().optional() });

/** The members a selection gives today, of those the reader may learn of. */
export async function selectForView(
	person: SignedIn | undefined,
	modelId: number,
	{ dimension, selection, chosen }: z.infer<typeof selectSchema>
): Promise<SelectedMembers> {
	const reader = requirePermission(person, 'form.read');
	const [rules, { structure }] = await Promise.all([readAccessRules(reader, modelId), modelVersions(pool(), modelId)]);
	return askEngine(modelId, 'select', { dimension, selection, chosen, structure, rules });
}

export const branchSchema = z.object({ dimension: z.int(), of: z.int().nullable() });

/** The members under one, or at the top, of those the reader may learn of. */
export async function membersForView(
	person: SignedIn | undefined,
	modelId: number,
	{ dimension, of }: z.infer<typeof branchSchema>
): Promise<{ members: TreeMember[] }> {
	const reader = requirePermission(person, 'form.read');
	const [rules, { structure }] = await Promise.all([readAccessRules(reader, modelId), modelVersions(pool(), modelId)]);
	return askEngine(modelId, 'branch', { dimension, of, structure, rules });
}
