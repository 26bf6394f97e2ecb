import { isDeepStrictEqual } from 'node:util';
import type pg from 'pg';
import { z } from 'zod';
import { Dimension, type FormLayout } from '../../core';
import { pool, transaction, type Database } from '../database';
import { amountsByMember, createCellTable, dropCellTableAside, putCellTableBack, setCellTableAside } from '../database/cells';
import { holdModel, numberChangeSet, postChangeSet, PreparedChangeSet } from '../database/change-set';
import { addressDimensions, readDimensionDefinition, readModelDefinition } from '../database/definitions';
import { lockDimensions } from '../database/locks';
import { narrowPlaces, restorePlaces, type KeptPlaces } from '../database/narrow';
import { countUpStructure, modelVersions, structureVersion } from '../database/structure-version';
import { formsOf } from '../definition/forms';
import { layoutSchema } from '../definition/layout-schema';
import { writeJournal } from '../definition/journal';
import { askRunner, type CollapsedAnswer, type EffectLine } from '../engine';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel } from './act';
import { narrowLayouts, refuseNamed } from './dimension-uses';

export const takeOutSchema = z.object({ dimension: z.string().min(1).max(80) });

/** What taking a dimension out of a model would do, or did. */
export interface TakenOut {
	name: string;
	/** Cells with something in them, before and after. */
	cells: number;
	becameEntries: number;
	weighed: number;
	emptied: number;
	moved: EffectLine[];
	/** Forms in which it is chosen, pinned or one part among others; imports that say where it comes from. */
	forms: string[];
	imports: string[];
}

/** The last dimension that was taken out and can be put back. */
export interface Returnable {
	id: number;
	name: string;
	at: string;
	person: string | null;
}

/** Layouts, rules of imports and places, as they were. */
interface Kept extends KeptPlaces {
	layouts: { id: number; was: FormLayout; becomes: FormLayout }[];
	rules: Record<string, unknown>[];
}

const SLICE = 20_000;

/** What taking a dimension out would do; nothing is changed. @throws Fault where it cannot go */
export async function previewTakeOut(person: SignedIn | undefined, modelId: number, code: string): Promise<TakenOut> {
	requirePermission(person, 'structure.write');
	const { definition, dimension } = await dimensionToTake(pool(), modelId, code);
	const layouts = await narrowLayouts(pool(), modelId, dimension.id);
	await refuseNamed(pool(), definition, dimension.id);
	const collapsed = await askRunner(modelId, 'collapsed', {
		...(await modelVersions(pool(), modelId)),
		dimension: dimension.id,
		preview: true
	});
	return inWords(pool(), modelId, dimension, layouts, collapsed);
}

/**
 * Takes a dimension out of a model: each cell holds what its members came to together. The journal of before stays as it
 * was written; what it led to is written anew as one change set. It can be put back until something else is written.
 */
export async function takeOutDimension(person: SignedIn | undefined, modelId: number, code: string): Promise<TakenOut> {
	const writer = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		await lockDimensions(client, [code]);
		const revision = await holdModel(client, modelId);
		const { definition, dimension } = await dimensionToTake(client, modelId, code);
		await refuseDrafts(client, modelId);
		await refuseBranches(client, modelId);
		const layouts = await narrowLayouts(client, modelId, dimension.id);
		await refuseNamed(client, definition, dimension.id);
		const structure = await structureVersion(client, modelId);
		const collapsed = await askRunner(modelId, 'collapsed', { revision, structure, dimension: dimension.id, preview: false });
		const outcome = await inWords(client, modelId, dimension, layouts, collapsed);
		const before = await addressDimensions(client, modelId);
		const { rows } = await client.query<{ position: number; journal: number }>(
			`SELECT d.position, m.journal_from AS journal FROM model_dimension d JOIN model m ON m.id = d.model_id
			WHERE d.model_id = $1 AND d.dimension_id = $2`,
			[modelId, dimension.id]
		);
		const kept: Kept = {
			...(await narrowPlaces(client, modelId, before.indexOf(dimension.id))),
			layouts: layouts.map(({ id, was, becomes }) => ({ id, was, becomes })),
			rules: (
				await client.query<{ rule: Record<string, unknown> }>(
					`DELETE FROM import_rule r USING import i WHERE i.id = r.import_id AND i.model_id = $1 AND r.dimension_id = $2
					RETURNING to_jsonb(r) AS rule`,
					[modelId, dimension.id]
				)
			).rows.map(({ rule }) => rule)
		};
		for (const { id, becomes } of layouts) await client.query('UPDATE form SET layout = $2 WHERE id = $1', [id, JSON.stringify(becomes)]);
		await forgetTyping(client, modelId);
		await client.query('DELETE FROM model_dimension WHERE model_id = $1 AND dimension_id = $2', [modelId, dimension.id]);
		await forgetEarlier(client, modelId);
		const taken = await client.query<{ id: number }>(
			`INSERT INTO dimension_taken_out (model_id, dimension_id, person_id, revision, journal_from, position, kept)
			VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id`,
			[modelId, dimension.id, writer.id, revision + 1, rows[0]!.journal, rows[0]!.position, JSON.stringify(kept)]
		);
		await setCellTableAside(client, modelId, taken.rows[0]!.id);
		const after = definition.dimensions.filter(({ id, kind }) => id !== dimension.id && kind !== 'period');
		await createCellTable(client, modelId, after);
		await client.query('UPDATE model SET journal_from = $2 WHERE id = $1', [modelId, revision]);
		await client.query('INSERT INTO model_shape (model_id, until, dimensions) VALUES ($1, $2, $3)', [modelId, revision, before]);
		const prepared = new PreparedChangeSet(
			client,
			modelId,
			after.map(({ id }) => id),
			await numberChangeSet(client)
		);
		for (let from = 0; from < collapsed.series.length; from += SLICE)
			await prepared.write(
				collapsed.series.slice(from, from + SLICE).map((series) => ({
					...series,
					before: new Float64Array(series.amounts.length).fill(Number.NaN),
					stampsBefore: new Float64Array(series.amounts.length)
				})),
				true
			);
		await prepared.post({ modelId, person: writer.id, kind: 'structure', through: `${dimension.name} taken out`, cells: outcome.cells });
		await refuseBrokenModel(client, modelId);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Took the dimension “${dimension.name}” out of ${definition.name}`,
			objects: [{ kind: 'dimension', id: dimension.id, name: dimension.name, before: { position: rows[0]!.position }, after: outcome }]
		});
		await countUpStructure(client, [modelId], 'definition');
		return outcome;
	});
}

/** The dimension that can be put back; null when there is none, or something has been written since. */
export async function returnableDimension(person: SignedIn | undefined, modelId: number): Promise<Returnable | null> {
	requirePermission(person, 'structure.write');
	const found = await pool().query<{ id: number; name: string; at: Date; person: string | null }>(
		`SELECT t.id, d.name, t.at, p.name AS person FROM dimension_taken_out t JOIN model m ON m.id = t.model_id AND m.revision = t.revision
		JOIN dimension d ON d.id = t.dimension_id LEFT JOIN person p ON p.id = t.person_id
		WHERE t.model_id = $1 AND t.put_back_at IS NULL ORDER BY t.id DESC LIMIT 1`,
		[modelId]
	);
	const [last] = found.rows;
	return last ? { ...last, at: last.at.toISOString() } : null;
}

/** Puts the dimension back that was taken out last, with every cell, layout and place as it was. @throws Fault 409 where something has been written since */
export async function putDimensionBack(person: SignedIn | undefined, modelId: number): Promise<{ name: string }> {
	const writer = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		const revision = await holdModel(client, modelId);
		const found = await client.query<{
			id: number;
			dimension: number;
			revision: number;
			journal: number;
			position: number;
			kept: Kept;
			name: string;
		}>(
			`SELECT t.id, t.dimension_id AS dimension, t.revision, t.journal_from AS journal, t.position, t.kept, d.name
			FROM dimension_taken_out t JOIN dimension d ON d.id = t.dimension_id
			WHERE t.model_id = $1 AND t.put_back_at IS NULL ORDER BY t.id DESC LIMIT 1 FOR UPDATE OF t`,
			[modelId]
		);
		const taken = found.rows[0];
		if (!taken) throw new Fault(404, 'not found', 'No dimension has been taken out of this model.');
		if (taken.revision !== revision)
			throw new Fault(
				409,
				'written since',
				`Something has been written since “${taken.name}” was taken out, so it cannot be put back as it was.`
			);
		await refuseDrafts(client, modelId);
		await forgetTyping(client, modelId);
		await client.query('INSERT INTO model_dimension (model_id, dimension_id, position) VALUES ($1, $2, $3)', [
			modelId,
			taken.dimension,
			taken.position
		]);
		const dimensions = await client.query<{ id: number; code: string }>(
			`SELECT d.id, d.code FROM model_dimension m JOIN dimension d ON d.id = m.dimension_id
			WHERE m.model_id = $1 AND d.kind <> 'period' ORDER BY m.position`,
			[modelId]
		);
		await putCellTableBack(client, modelId, taken.id, dimensions.rows);
		await refuseMembersGone(client, modelId, taken);
		// What it led to is no more: the journal of before says again what stands.
		await client.query(
			'DELETE FROM block_change b USING change_set c WHERE b.model_id = $1 AND c.model_id = $1 AND c.revision = $2 AND c.number = b.change_set',
			[modelId, revision]
		);
		await client.query('UPDATE model SET journal_from = $2 WHERE id = $1', [modelId, taken.journal]);
		await client.query('DELETE FROM model_shape WHERE model_id = $1 AND until = $2', [modelId, revision - 1]);
		const { top, rest } = await topOf(client, taken.dimension);
		await restorePlaces(client, modelId, taken.kept, { axis: dimensions.rows.findIndex(({ id }) => id === taken.dimension), member: top });
		await restoreLayouts(client, modelId, taken.kept, { dimension: taken.dimension, member: top });
		await client.query('INSERT INTO import_rule SELECT * FROM jsonb_populate_recordset(NULL::import_rule, $1::jsonb)', [
			JSON.stringify(taken.kept.rules)
		]);
		// Imports that were made since load to the member for the rest.
		await client.query(
			`INSERT INTO import_rule (import_id, dimension_id, come_from, member_id) SELECT id, $2, 'fixed', $3 FROM import i
			WHERE model_id = $1 AND NOT EXISTS (SELECT FROM import_rule r WHERE r.import_id = i.id AND r.dimension_id = $2)`,
			[modelId, taken.dimension, rest]
		);
		await client.query('UPDATE dimension_taken_out SET put_back_at = now() WHERE id = $1', [taken.id]);
		await refuseBrokenModel(client, modelId);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Put the dimension “${taken.name}” back`,
			objects: [{ kind: 'dimension', id: taken.dimension, name: taken.name, before: null, after: { position: taken.position } }]
		});
		await postChangeSet(
			client,
			{ modelId, person: writer.id, kind: 'structure', through: `${taken.name} put back`, cells: 0 },
			dimensions.rows.map(({ id }) => id),
			[]
		);
		await countUpStructure(client, [modelId], 'definition');
		return { name: taken.name };
	});
}

/** The member above the most leaves, and the one that takes what says nothing of the dimension. */
async function topOf(client: pg.PoolClient, dimension: number): Promise<{ top: number; rest: number }> {
	const { rows } = await client.query<{ code: string }>('SELECT code FROM dimension WHERE id = $1', [dimension]);
	const found = new Dimension((await readDimensionDefinition(client, rows[0]!.code))!);
	const leaves = (root: number) => found.tree.leaves(root).length;
	const top = found.tree.roots().reduce((best, root) => (leaves(root) > leaves(best) ? root : best));
	const rest = found.unassigned >= 0 ? found.unassigned : found.tree.leaves(top)[0]!;
	return { top: found.member(top).id, rest: found.member(rest).id };
}

/** Layouts as they were; those that were changed or made since show the dimension at its top. */
async function restoreLayouts(
	client: pg.PoolClient,
	modelId: number,
	{ layouts }: Kept,
	pinned: { dimension: number; member: number }
): Promise<void> {
	for (const { id, layout } of await formsOf(client, modelId, 'all')) {
		const known = layouts.find((each) => each.id === id);
		const isAsLeft = known && isDeepStrictEqual(layoutSchema.parse(known.becomes), layout);
		const next = isAsLeft ? known.was : { ...layout, pinned: [...layout.pinned, pinned] };
		await client.query('UPDATE form SET layout = $2 WHERE id = $1', [id, JSON.stringify(next)]);
	}
}

/** @throws Fault 409 where a member that held figures has been deleted since: another model may have the dimension too */
async function refuseMembersGone(
	client: pg.PoolClient,
	modelId: number,
	{ dimension, name }: { dimension: number; name: string }
): Promise<void> {
	const held = await amountsByMember(client, modelId, dimension);
	const there = await client.query<{ id: number }>('SELECT id FROM member WHERE dimension_id = $1', [dimension]);
	const ids = new Set(there.rows.map(({ id }) => id));
	if ([...held.keys()].some((member) => member !== null && !ids.has(member)))
		throw new Fault(
			409,
			'written since',
			`Members of “${name}” that held figures have been deleted since, so it cannot be put back as it was.`
		);
}

async function dimensionToTake(database: Database, modelId: number, code: string) {
	const definition = await readModelDefinition(database, modelId);
	const dimension = definition?.dimensions.find((each) => each.code === code);
	if (!definition || !dimension) throw new Fault(404, 'not found', `The model has no dimension ${code}.`);
	if (dimension.kind !== 'general')
		throw new Fault(422, 'not possible', `${dimension.name} cannot go: a model without ${KINDS[dimension.kind] ?? 'it'} is none.`);
	return { definition, dimension };
}
const KINDS: Record<string, string> = {
	account: 'accounts',
	period: 'periods',
	scenario: 'scenarios',
	entity: 'the currencies of its entities'
};

async function refuseDrafts(client: pg.PoolClient, modelId: number): Promise<void> {
	const found = await client.query<{ names: string[] | null }>(
		`SELECT array_agg(DISTINCT p.name ORDER BY p.name) AS names FROM draft d JOIN person p ON p.id = d.person_id
		WHERE d.model_id = $1 AND EXISTS (SELECT FROM draft_cell c WHERE c.draft_id = d.id)`,
		[modelId]
	);
	const names = found.rows[0]?.names;
	if (names?.length)
		throw new Fault(
			409,
			'unsaved entries',
			`${names.slice(0, 5).join(', ')}${names.length > 5 ? ` and ${names.length - 5} more` : ''} ${names.length === 1 ? 'has' : 'have'} unsaved entries in this model. They must be saved or discarded first.`
		);
}

/** What branches hold is meant against addresses with the dimension; adding it up would say what nobody typed. */
async function refuseBranches(client: pg.PoolClient, modelId: number): Promise<void> {
	const found = await client.query<{ name: string }>(
		`SELECT name FROM branch b WHERE model_id = $1 AND state <> 'dropped'
			AND EXISTS (SELECT FROM branch_series s WHERE s.branch_id = b.id AND cardinality(array_remove(s.versions, NULL)) > 0) ORDER BY name`,
		[modelId]
	);
	const names = found.rows.map(({ name }) => `“${name}”`);
	if (names.length > 0)
		throw new Fault(
			409,
			'branches',
			`${names.slice(0, 5).join(', ')}${names.length > 5 ? ` and ${names.length - 5} more` : ''} ${names.length === 1 ? 'holds' : 'hold'} changes of figures. Merge or drop ${names.length === 1 ? 'it' : 'them'} first.`
		);
}

/** Undo, what was discarded and what is tried are of the addresses of before. */
async function forgetTyping(client: pg.PoolClient, modelId: number): Promise<void> {
	for (const table of ['draft_step', 'draft_discarded', 'draft_trial_cell'])
		await client.query(`DELETE FROM ${table} WHERE draft_id IN (SELECT id FROM draft WHERE model_id = $1)`, [modelId]);
	await client.query(
		'UPDATE draft SET version = version + 1, trial = NULL, trial_version = NULL, trial_revision = NULL WHERE model_id = $1',
		[modelId]
	);
	await client.query('DELETE FROM figure_moved WHERE model_id = $1', [modelId]);
}

/** What was taken out before this cannot be put back any more: its cells need not be kept. */
async function forgetEarlier(client: pg.PoolClient, modelId: number): Promise<void> {
	const found = await client.query<{ id: number }>('SELECT id FROM dimension_taken_out WHERE model_id = $1 AND put_back_at IS NULL', [
		modelId
	]);
	for (const { id } of found.rows) await dropCellTableAside(client, modelId, id);
}

async function inWords(
	database: Database,
	modelId: number,
	dimension: { id: number; name: string },
	layouts: readonly { name: string; was: FormLayout; becomes: FormLayout }[],
	{ cells, becameEntries, weighed, emptied, moved }: CollapsedAnswer
): Promise<TakenOut> {
	const imports = await database.query<{ name: string }>(
		'SELECT i.name FROM import i JOIN import_rule r ON r.import_id = i.id WHERE i.model_id = $1 AND r.dimension_id = $2 ORDER BY i.name',
		[modelId, dimension.id]
	);
	return {
		name: dimension.name,
		cells,
		becameEntries,
		weighed,
		emptied,
		moved,
		forms: layouts.filter(({ was, becomes }) => JSON.stringify(was) !== JSON.stringify(becomes)).map(({ name }) => name),
		imports: imports.rows.map(({ name }) => name)
	};
}
