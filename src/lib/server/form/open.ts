import { z } from 'zod';
import type { FormLayout } from '../../core';
import { readAccessRules } from '../access';
import { pool, type Database } from '../database';
import { askEngine, type FormAnswer, type FormAsk, type FormWindow } from '../engine';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { draftElsewhere, draftVersion, OF_BRANCH, stepsLeft } from './draft';
import { branchVersion } from '../database/branch-series';
import { layoutSchema } from '../definition/layout-schema';
import { modelVersions } from '../database/structure-version';

/** What the reader chose: members by dimension id, and a currency. */
export const choicesSchema = z.object({
	members: z.record(z.string().regex(/^\d+$/), z.number().int()).default({}),
	currency: z
		.string()
		.regex(/^([A-Z]{3}|local)$/)
		.optional()
});
export type FormChoices = z.infer<typeof choicesSchema>;

/** The choices an address holds: `d12=345` for dimension 12, `in=EUR` for the currency. */
export function readChoices(parameters: URLSearchParams): FormChoices {
	const members = Object.fromEntries(
		[...parameters]
			.filter(([name, value]) => /^d\d+$/.test(name) && /^\d{1,9}$/.test(value))
			.map(([name, value]) => [name.slice(1), Number(value)])
	);
	const parsed = choicesSchema.safeParse({ members, currency: parameters.get('in') ?? undefined });
	return parsed.success ? parsed.data : { members: {} };
}

export interface OpenForm {
	code: string;
	name: string;
	description: string;
	instructions: string;
	form: FormAnswer;
	steps: { undo: boolean; redo: boolean };
	/** The last change set: who and when. */
	saved: { revision: number; at: string; person: string | null; through: string } | null;
	/** When the person last changed their draft of this model; null without one. */
	draftSince: string | null;
	/** What else the draft holds, by the form it was typed in. */
	elsewhere: { code: string; name: string; cells: number }[];
}

/** Forms with more cells than this come with their first rows only; the page asks for others as it shows them. */
const WHOLE_FORM = 60_000;

/** A form with its figures as this person sees them, their draft included. */
export async function openForm(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	window?: FormWindow
): Promise<OpenForm> {
	const reader = requirePermission(person, 'form.read');
	const stored = await readForm(reader, modelId, code);
	const version = await draftVersion(pool(), reader, modelId);
	const ask = await formAsk(reader, modelId, stored.layout, choices, version);
	const form = await askEngine(modelId, 'form', { ...ask, form: stored.id, window: { most: WHOLE_FORM, ...window } });
	return {
		code,
		name: stored.name,
		description: stored.description,
		instructions: stored.instructions,
		form,
		steps: await stepsLeft(pool(), reader, modelId, stored.id),
		// Of who reads a part: what others did is not theirs to know.
		saved: reader.readsPart ? null : await lastSaved(pool(), modelId),
		draftSince: form.draftSize > 0 ? await draftSince(pool(), reader, modelId) : null,
		elsewhere: form.draftSize > form.draftHere ? await draftElsewhere(pool(), reader, modelId, stored.id) : []
	};
}

/** What the engine needs to know to open a form for a person. */
export async function formAsk(
	person: SignedIn,
	modelId: number,
	layout: FormLayout | Promise<FormLayout>,
	choices: FormChoices,
	version: number
): Promise<FormAsk> {
	// All at once: a person waits for this with every figure.
	const [known, rules, versions, branch] = await Promise.all([
		layout,
		readAccessRules(person, modelId),
		modelVersions(pool(), modelId),
		person.branch && branchVersion(pool(), person.branch.id)
	]);
	return {
		person: person.id,
		rules,
		draftVersion: version,
		layout: known,
		choices: Object.fromEntries(Object.entries(choices.members).map(([dimension, member]) => [Number(dimension), member])),
		currency: choices.currency,
		branch,
		...versions
	};
}

/** Rows of a form that a page asks for, and what it has. */
export const windowSchema = z.object({
	frame: z.string().max(100).optional(),
	rows: z.array(z.number().int().min(0)).max(2_000).optional(),
	empty: z.boolean().optional(),
	moment: z.string().max(60).optional()
});

/** A stored form, as far as the person sees it: forms may be for some roles only. @throws Fault 404 */
export async function readForm(
	person: SignedIn,
	modelId: number,
	code: string
): Promise<{ id: number; name: string; description: string; instructions: string; layout: FormLayout }> {
	const found = await pool().query<{ id: number; name: string; description: string; instructions: string; layout: unknown }>(
		`SELECT id, name, description, instructions, layout FROM form WHERE model_id = $1 AND code = $2 AND ${SEEN_BY('$3', '$4')}`,
		[modelId, code, person.id, person.permissions.includes('form.design')]
	);
	const form = found.rows[0];
	if (!form) throw notFound('form');
	return { ...form, layout: await withFirstChoices(modelId, layoutSchema.parse(form.layout)) };
}

/** The layout with the members that variables name today as first choices. */
async function withFirstChoices(modelId: number, layout: FormLayout): Promise<FormLayout> {
	if (layout.selectors.every(({ initialVariable }) => initialVariable === undefined)) return layout;
	const found = await pool().query<{ name: string; member: number }>(
		'SELECT name, member_id AS member FROM variable WHERE model_id = $1 AND member_id IS NOT NULL',
		[modelId]
	);
	const named = new Map(found.rows.map(({ name, member }) => [name, member]));
	return {
		...layout,
		selectors: layout.selectors.map((part) => ({ ...part, initial: named.get(part.initialVariable ?? '') ?? part.initial }))
	};
}

/**
 * The condition under which a person (parameter) sees a form: one of its roles, or they make forms (parameter). A view of the
 * explorer is its owner's, and everybody's when it is shared.
 */
export const SEEN_BY = (person: string, designs: string): string =>
	`CASE WHEN owner_id IS NOT NULL THEN owner_id = ${person} OR shared
		ELSE ${designs} OR roles = '{}' OR EXISTS (SELECT FROM person_role r
			WHERE r.person_id = ${person} AND r.role_id = ANY (form.roles) AND (r.model_id IS NULL OR r.model_id = form.model_id)) END`;

async function draftSince(database: Database, { id, branch }: SignedIn, modelId: number): Promise<string | null> {
	const found = await database.query<{ at: Date }>(`SELECT changed_at AS at FROM draft WHERE ${OF_BRANCH}`, [
		id,
		modelId,
		branch?.id ?? null
	]);
	return found.rows[0]?.at.toISOString() ?? null;
}

async function lastSaved(database: Database, modelId: number): Promise<OpenForm['saved']> {
	const found = await database.query<{ revision: number; at: Date; person: string | null; through: string }>(
		'SELECT c.revision, c.at, doer(c.person_id, c.acting_id) AS person, c.through FROM change_set c WHERE c.model_id = $1 ORDER BY c.revision DESC LIMIT 1',
		[modelId]
	);
	const last = found.rows[0];
	return last ? { ...last, at: last.at.toISOString() } : null;
}
