import { z } from 'zod';
import type { FormLayout } from '../../core';
import { readAccessRules } from '../access';
import { pool, type Database } from '../database';
import { askEngine, type FormAnswer, type FormAsk } from '../engine';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { draftVersion, stepsLeft } from './draft';
import { layoutSchema } from './layout-schema';

/** What the reader chose: members by dimension id, and a currency. */
export const choicesSchema = z.object({
	members: z.record(z.string().regex(/^\d+$/), z.number().int()).default({}),
	currency: z
		.string()
		.regex(/^([A-Z]{3}|local)$/)
		.optional()
});
export type FormChoices = z.infer<typeof choicesSchema>;

export interface OpenForm {
	code: string;
	name: string;
	description: string;
	form: FormAnswer;
	steps: { undo: boolean; redo: boolean };
	/** The last change set: who and when. */
	saved: { revision: number; at: string; person: string | null; through: string } | null;
}

/** A form with its figures as this person sees them, their draft included. */
export async function openForm(person: SignedIn | undefined, modelId: number, code: string, choices: FormChoices): Promise<OpenForm> {
	const reader = requirePermission(person, 'form.read');
	const stored = await readForm(modelId, code);
	const version = await draftVersion(pool(), reader.id, modelId);
	const form = await askEngine(modelId, 'form', await formAsk(reader, modelId, stored.layout, choices, version));
	return {
		code,
		name: stored.name,
		description: stored.description,
		form,
		steps: await stepsLeft(pool(), reader.id, modelId),
		saved: await lastSaved(pool(), modelId)
	};
}

/** What the engine needs to know to open a form for a person. */
export async function formAsk(
	person: SignedIn,
	modelId: number,
	layout: FormLayout,
	choices: FormChoices,
	version: number
): Promise<FormAsk> {
	const versions = await pool().query<{ revision: number; structure: number }>(
		'SELECT revision, structure_version AS structure FROM model WHERE id = $1',
		[modelId]
	);
	return {
		person: person.id,
		rules: await readAccessRules(person, modelId),
		draftVersion: version,
		layout,
		choices: Object.fromEntries(Object.entries(choices.members).map(([dimension, member]) => [Number(dimension), member])),
		currency: choices.currency,
		revision: versions.rows[0]?.revision ?? 0,
		structure: versions.rows[0]?.structure ?? 0
	};
}

/** A stored form. @throws Fault 404 */
export async function readForm(modelId: number, code: string): Promise<{ name: string; description: string; layout: FormLayout }> {
	const found = await pool().query<{ name: string; description: string; layout: unknown }>(
		'SELECT name, description, layout FROM form WHERE model_id = $1 AND code = $2',
		[modelId, code]
	);
	const form = found.rows[0];
	if (!form) throw notFound('form');
	return { ...form, layout: layoutSchema.parse(form.layout) };
}

async function lastSaved(database: Database, modelId: number): Promise<OpenForm['saved']> {
	const found = await database.query<{ revision: number; at: Date; person: string | null; through: string }>(
		'SELECT c.revision, c.at, p.name AS person, c.through FROM change_set c LEFT JOIN person p ON p.id = c.person_id WHERE c.model_id = $1 ORDER BY c.revision DESC LIMIT 1',
		[modelId]
	);
	const last = found.rows[0];
	return last ? { ...last, at: last.at.toISOString() } : null;
}
