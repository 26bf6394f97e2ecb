/** Settings of allocations that are kept in one place, and the steps that follow them. */
import type pg from 'pg';
import { z } from 'zod';
import { withPreset, type PresetSettings, type Step } from '../../core';
import { pool, transaction, type Database } from '../database';
import { writeJournal } from '../definition/journal';
import { Fault, notFound } from '../fault';
import { suspendSchedules } from '../jobs/moments';
import { requirePermission, type SignedIn } from '../session';
import { requireConsent } from './consent';
import { presetSettingsSchema } from './schema';

export interface Preset {
	id: number;
	name: string;
	settings: PresetSettings;
	version: number;
}

/** A step that follows a preset, and what it says itself. */
export interface PresetUse {
	runbook: number;
	name: string;
	step: string;
	own: string[];
}

/** The presets of a model, by name. */
export async function presetsOf(database: Database, modelId: number): Promise<Preset[]> {
	const found = await database.query<Preset>(
		'SELECT id, name, settings, version FROM allocation_preset WHERE model_id = $1 ORDER BY name',
		[modelId]
	);
	return found.rows;
}

export const presetSchema = z.object({
	/** Null for a new one. */
	id: z.number().int().nullable(),
	name: z.string().trim().min(1, 'give the preset a name').max(200),
	settings: presetSettingsSchema,
	/** The version it was made from. */
	version: z.number().int().default(0)
});

/** The steps that follow a preset: all that changing it would change. @throws Fault 404 */
export async function usesOfPreset(person: SignedIn | undefined, modelId: number, id: number): Promise<{ uses: PresetUse[] }> {
	requirePermission(person, 'rule.read');
	await requirePreset(pool(), modelId, id);
	const found = await pool().query<PresetUse>(
		`SELECT b.id AS runbook, b.name, s.name AS step, ARRAY(SELECT jsonb_array_elements_text(s.definition #> '{preset,own}')) AS own
		${FOLLOWING} ORDER BY b.name, s.position`,
		[modelId, id]
	);
	return { uses: found.rows };
}

const FOLLOWING = `FROM runbook_step s JOIN runbook b ON b.id = s.runbook_id
	WHERE b.model_id = $1 AND s.kind = 'allocation' AND (s.definition #>> '{preset,id}')::integer = $2`;

async function requirePreset(database: Database, modelId: number, id: number): Promise<Preset> {
	const found = (await presetsOf(database, modelId)).find((preset) => preset.id === id);
	if (!found) throw notFound('preset');
	return found;
}

/**
 * Makes a preset, or changes one and with it all steps that follow it.
 * @throws Fault 409 when it was changed meanwhile or there is one of that name; 403 where a step of a runbook that runs with somebody else's rights would change
 */
export async function savePreset(
	person: SignedIn | undefined,
	modelId: number,
	{ id, name, settings, version }: z.infer<typeof presetSchema>
): Promise<{ presets: Preset[]; id: number; changed: number }> {
	const writer = requirePermission(person, 'rule.write');
	const saved = await transaction(async (client) => {
		const before = id === null ? undefined : await requirePreset(client, modelId, id);
		const kept = await client
			.query<{ id: number }>(
				before
					? 'UPDATE allocation_preset SET name = $2, settings = $3, version = version + 1 WHERE model_id = $1 AND id = $4 AND version = $5 RETURNING id'
					: 'INSERT INTO allocation_preset (model_id, name, settings) VALUES ($1, $2, $3) RETURNING id',
				[modelId, name, JSON.stringify(settings), ...(before ? [before.id, version] : [])]
			)
			.catch((error: unknown) => {
				if ((error as { code?: string }).code === '23505')
					throw new Fault(409, 'conflict', `There is a preset “${name}” already. Choose another name.`);
				throw error;
			});
		const row = kept.rows[0];
		if (!row) throw new Fault(409, 'conflict', 'Somebody else has changed this preset meanwhile. Reload the page and look at it again.');
		const changed = before ? await follow(client, writer, modelId, row.id, settings as PresetSettings) : 0;
		const words = before
			? `Changed the preset “${name}”, and ${changed === 1 ? 'one step that follows' : `${changed} steps that follow`} it`
			: `Made the preset “${name}”`;
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words,
			objects: [{ kind: 'preset', id: row.id, name, before: before ?? null, after: { name, settings } }]
		});
		return { id: row.id, changed };
	});
	return { presets: await presetsOf(pool(), modelId), ...saved };
}

/** Gives steps that follow a preset what it says now. @returns how many changed */
async function follow(client: pg.PoolClient, writer: SignedIn, modelId: number, id: number, settings: PresetSettings): Promise<number> {
	const found = await client.query<{ step: number; runbook: number; runsAs: number | null; definition: object }>(
		`SELECT s.id AS step, b.id AS runbook, b.runs_as AS "runsAs", s.definition ${FOLLOWING} FOR UPDATE OF s, b`,
		[modelId, id]
	);
	const touched = new Map<number, number | null>();
	let changed = 0;
	for (const { step, runbook, runsAs, definition } of found.rows) {
		const next = withPreset(definition as Step & { kind: 'allocation' }, settings);
		if (JSON.stringify(next) === JSON.stringify(definition)) continue;
		await client.query('UPDATE runbook_step SET definition = $2 WHERE id = $1', [step, JSON.stringify(next)]);
		touched.set(runbook, runsAs);
		changed++;
	}
	for (const [runbook, runsAs] of touched) {
		await requireConsent(writer, runsAs);
		await client.query('UPDATE runbook SET version = version + 1 WHERE id = $1', [runbook]);
		await suspendSchedules(client, { table: 'runbook_schedule', column: 'runbook_id' }, runbook, writer.id);
	}
	return changed;
}

/** Takes a preset away; steps that followed it keep what they have. @throws Fault 404 */
export async function deletePreset(person: SignedIn | undefined, modelId: number, id: number): Promise<{ presets: Preset[] }> {
	const writer = requirePermission(person, 'rule.write');
	await transaction(async (client) => {
		const before = await requirePreset(client, modelId, id);
		const freed = await client.query<{ id: number }>(
			`WITH following AS (SELECT s.id, b.id AS runbook ${FOLLOWING}), freed AS (
				UPDATE runbook_step SET definition = definition - 'preset' WHERE id IN (SELECT id FROM following)
			) UPDATE runbook SET version = version + 1 WHERE id IN (SELECT runbook FROM following) RETURNING id`,
			[modelId, id]
		);
		await client.query('DELETE FROM allocation_preset WHERE id = $1', [id]);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Took away the preset “${before.name}”${freed.rowCount ? ', which steps followed' : ''}`,
			objects: [{ kind: 'preset', id, name: before.name, before, after: null }]
		});
	});
	return { presets: await presetsOf(pool(), modelId) };
}
