import type pg from 'pg';
import { z } from 'zod';
import { SOURCE_DATE_FORMATS } from '../../core';
import { pool, transaction } from '../database';
import { Fault, notFound } from '../fault';
import { suspendSchedules } from '../jobs/moments';
import { requirePermission, type SignedIn } from '../session';
import { placeSchema, sourceSchema, type Source } from '../definition/source-schema';
import { readMapLines, readRules, readStoredImport, termsSchema, type StoredImport } from './recipe';
import { writeJournal, type JournalObject } from '../definition/journal';
import { requireSourceModel } from './sources/model';

const name = z.string().trim().min(1, 'A name is needed.').max(120);
const columns = z.array(z.string().min(1).max(500)).min(1).max(12);

const lineSchema = z.object({
	terms: termsSchema,
	member: z.int().nullable(),
	skip: z.boolean().default(false),
	reverseSign: z.boolean().default(false)
});
export type LineToAdd = z.infer<typeof lineSchema>;

const ruleSchema = z.discriminatedUnion('from', [
	/** `map`: an existing map's id, or null for a new one. */
	z.object({
		from: z.literal('column'),
		columns,
		separator: z.string().max(5).default(''),
		label: z.string().max(500).nullable().default(null),
		map: z.int().nullable().default(null)
	}),
	z.object({ from: z.literal('fixed'), member: z.int() }),
	z.object({ from: z.literal('date'), column: z.string().min(1).max(500), format: z.enum(SOURCE_DATE_FORMATS) }),
	z.object({ from: z.literal('headings'), format: z.enum(SOURCE_DATE_FORMATS) }),
	z.object({ from: z.literal('variable'), variable: z.string().max(200) }),
	z.object({ from: z.literal('chosen') })
]);
export type RuleToSet = z.infer<typeof ruleSchema>;

/** Some of the settings: those that are not named stay as they are, whatever they are when nothing is said. */
const { place: _, ...settings } = sourceSchema.shape;
const sourceChangesSchema = z.object(
	Object.fromEntries(Object.entries(settings).map(([key, field]) => [key, field.unwrap().optional()])) as {
		[Key in keyof typeof settings]: z.ZodOptional<ReturnType<(typeof settings)[Key]['unwrap']>>;
	}
);

/** One change of an import or one of its maps. */
export const actSchema = z.discriminatedUnion('act', [
	z.object({ act: z.literal('name'), name, description: z.string().trim().max(500) }),
	z.object({ act: z.literal('source'), source: sourceChangesSchema }),
	z.object({ act: z.literal('place'), place: placeSchema }),
	z.object({ act: z.literal('rule'), dimension: z.int(), rule: ruleSchema }),
	z.object({
		act: z.literal('add lines'),
		map: z.int(),
		lines: z.array(lineSchema).min(1).max(5_000),
		before: z.int().nullable().default(null)
	}),
	z.object({ act: z.literal('change line'), line: z.int(), to: lineSchema }),
	z.object({ act: z.literal('remove lines'), lines: z.array(z.int()).min(1).max(5_000) }),
	z.object({ act: z.literal('replace lines'), map: z.int(), lines: z.array(lineSchema).max(20_000) }),
	z.object({ act: z.literal('name map'), map: z.int(), name })
]);
export type ImportAct = z.infer<typeof actSchema>;

/** Rows the server fetches itself are always written alike. */
const FETCHED: Partial<Source> = {
	delimiter: ',',
	quote: '"',
	encoding: 'utf-8',
	headerRows: 1,
	decimal: '.',
	group: '',
	sheet: '',
	range: ''
};

/**
 * Changes an import or one of its maps: stored at once and journalled.
 * @throws Fault with a sentence where the change makes no sense
 */
export async function editImport(person: SignedIn | undefined, modelId: number, code: string, act: ImportAct): Promise<void> {
	const writer = requirePermission(person, 'data.write');
	if (act.act === 'place' && act.place.kind === 'query') requirePermission(person, 'structure.write');
	if (act.act === 'place') await requireSourceModel(writer.id, act.place);
	await transaction(async (client) => {
		await client.query('SELECT FROM import WHERE model_id = $1 AND code = $2 FOR UPDATE', [modelId, code]);
		const stored = await readStoredImport(client, modelId, code);
		const change = await carryOut(client, modelId, stored, act);
		if (!change) return;
		await writeJournal(client, { person: writer.id, modelId, dimensionId: null, words: change.words, objects: change.objects });
		await client.query('UPDATE import SET version = version + 1 WHERE id = $1', [stored.id]);
		if (act.act !== 'name') await suspendSchedules(client, { table: 'import_schedule', column: 'import_id' }, stored.id, writer.id);
	});
}

interface Change {
	words: string;
	objects: JournalObject[];
}

async function carryOut(client: pg.PoolClient, modelId: number, stored: StoredImport, act: ImportAct): Promise<Change | undefined> {
	const ofImport = (words: string, before: unknown, after: unknown): Change => ({
		words: `${stored.name}: ${words}`,
		objects: [{ kind: 'import', id: stored.id, name: stored.name, before, after }]
	});
	switch (act.act) {
		case 'name':
			await client.query('UPDATE import SET name = $2, description = $3 WHERE id = $1', [stored.id, act.name, act.description]);
			return ofImport('renamed', { name: stored.name, description: stored.description }, { name: act.name, description: act.description });
		case 'source': {
			const source = sourceSchema.parse({ ...stored.source, ...act.source });
			await client.query('UPDATE import SET source = $2 WHERE id = $1', [stored.id, JSON.stringify(source)]);
			return ofImport('how it is read and loaded', stored.source, source);
		}
		case 'place': {
			const fetched = act.place.kind === 'query' || act.place.kind === 'model' || act.place.kind === 'ledger';
			// A ledger and a model say what currency an amount is in: read as the receiver's own, several would be added up.
			const inCurrencies = act.place.kind === 'model' || act.place.kind === 'ledger';
			const source = sourceSchema.parse({
				...stored.source,
				...(fetched ? FETCHED : {}),
				...(inCurrencies && { currencyColumn: stored.source.currencyColumn ?? 'Currency' }),
				place: act.place
			});
			await client.query('UPDATE import SET source = $2 WHERE id = $1', [stored.id, JSON.stringify(source)]);
			return ofImport('where rows come from', stored.source.place, source.place);
		}
		case 'rule':
			return ofImport(
				'where a dimension comes from',
				await ruleOf(client, modelId, stored.id, act.dimension),
				await setRule(client, modelId, stored, act)
			);
		default:
			return editMap(client, modelId, stored, act);
	}
}

async function ruleOf(client: pg.PoolClient, modelId: number, importId: number, dimension: number): Promise<unknown> {
	const rule = (await readRules(client, modelId, importId)).find((each) => each.dimension === dimension);
	// The lines are the map's, and journalled with it.
	return rule && { ...rule, lines: undefined };
}

async function setRule(
	client: pg.PoolClient,
	modelId: number,
	stored: StoredImport,
	{ dimension, rule }: Extract<ImportAct, { act: 'rule' }>
): Promise<RuleToSet> {
	const found = await client.query<{ code: string; name: string; kind: string }>(
		'SELECT d.code, d.name, d.kind FROM model_dimension m JOIN dimension d ON d.id = m.dimension_id WHERE m.model_id = $1 AND d.id = $2',
		[modelId, dimension]
	);
	const of = found.rows[0];
	if (!of) throw notFound('dimension');
	if ((rule.from === 'date' || rule.from === 'headings') && of.kind !== 'period')
		throw new Fault(422, 'not possible', 'Only periods come from dates.');
	if (rule.from === 'fixed') await requireMember(client, dimension, rule.member);
	let map: number | null = null;
	if (rule.from === 'column') {
		map = rule.map;
		if (map === null) map = await newMap(client, dimension, `${stored.name}: ${of.name.toLowerCase()}`);
		else await requireMap(client, modelId, map, dimension);
	}
	await client.query(
		`INSERT INTO import_rule (import_id, dimension_id, come_from, source_columns, separator, label_column, variable, map_id, member_id, date_format)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
		ON CONFLICT (import_id, dimension_id) DO UPDATE SET come_from = $3, source_columns = $4, separator = $5, label_column = $6, variable = $7, map_id = $8,
			member_id = $9, date_format = $10`,
		[
			stored.id,
			dimension,
			rule.from,
			rule.from === 'column' ? rule.columns : rule.from === 'date' ? [rule.column] : [],
			rule.from === 'column' ? rule.separator : '',
			rule.from === 'column' ? rule.label : null,
			rule.from === 'variable' ? rule.variable : null,
			map,
			rule.from === 'fixed' ? rule.member : null,
			rule.from === 'date' || rule.from === 'headings' ? rule.format : null
		]
	);
	return rule;
}

/** A new map whose name is not taken yet. @returns its id */
export async function newMap(client: pg.PoolClient, dimension: number, wanted: string): Promise<number> {
	const taken = await client.query<{ name: string }>('SELECT name FROM map WHERE starts_with(name, $1)', [wanted]);
	const names = new Set(taken.rows.map((row) => row.name));
	let free = wanted;
	for (let number = 2; names.has(free); number++) free = `${wanted} ${number}`;
	const made = await client.query<{ id: number }>('INSERT INTO map (dimension_id, name) VALUES ($1, $2) RETURNING id', [dimension, free]);
	return made.rows[0]!.id;
}

async function editMap(
	client: pg.PoolClient,
	modelId: number,
	stored: StoredImport,
	act: Extract<ImportAct, { act: 'add lines' | 'change line' | 'remove lines' | 'replace lines' | 'name map' }>
): Promise<Change> {
	const mapId = 'map' in act ? act.map : await mapOfLines(client, act.act === 'change line' ? [act.line] : act.lines);
	const map = await requireMap(client, modelId, mapId);
	const before = (await readMapLines(client, [mapId])).get(mapId)!;
	switch (act.act) {
		case 'name map': {
			const taken = await client.query('SELECT FROM map WHERE name = $1 AND id <> $2', [act.name, mapId]);
			if (taken.rowCount) throw new Fault(422, 'name taken', `There is a map called “${act.name}” already.`);
			await client.query('UPDATE map SET name = $2 WHERE id = $1', [mapId, act.name]);
			break;
		}
		case 'add lines': {
			const at = act.before === null ? -1 : before.findIndex(({ id }) => id === act.before);
			await addLines(client, map, act.lines, at < 0 ? undefined : at);
			break;
		}
		case 'replace lines':
			await client.query('DELETE FROM map_line WHERE map_id = $1', [mapId]);
			await addLines(client, map, act.lines, undefined);
			break;
		case 'change line':
			await requireMembers(client, map, [act.to]);
			await client.query('UPDATE map_line SET kind = $2, terms = $3, member_id = $4, skip = $5, reverse_sign = $6 WHERE id = $1', [
				act.line,
				...lineValues(act.to)
			]);
			break;
		case 'remove lines':
			await client.query('DELETE FROM map_line WHERE map_id = $1 AND id = ANY ($2)', [mapId, act.lines]);
			break;
		default:
			act satisfies never;
	}
	const after = (await readMapLines(client, [mapId])).get(mapId)!;
	const big = before.length > 500 || after.length > 500;
	return {
		words: `${stored.name}: map ${map.name}, ${act.act}`,
		objects: [
			{
				kind: 'map',
				id: mapId,
				name: map.name,
				before: big ? { lines: before.length } : before,
				after: big ? { lines: after.length } : after
			}
		]
	};
}

interface MapHead {
	id: number;
	name: string;
	dimension: number;
}

async function addLines(client: pg.PoolClient, map: MapHead, lines: readonly LineToAdd[], at: number | undefined): Promise<void> {
	await requireMembers(client, map, lines);
	const places = await client.query<{ position: number }>('SELECT position FROM map_line WHERE map_id = $1 ORDER BY position', [map.id]);
	const positions = places.rows.map(({ position }) => position);
	const from = at === undefined ? (positions.at(-1) ?? 0) : (positions[at - 1] ?? positions[0]! - 1);
	const to = at === undefined ? from + lines.length + 1 : positions[at]!;
	const values = lines.map(lineValues);
	await client.query(
		`INSERT INTO map_line (map_id, position, kind, terms, member_id, skip, reverse_sign)
		SELECT $1, $2::double precision + ($3::double precision - $2::double precision) * n / ($4::integer + 1), k, t::jsonb, m, s, r
		FROM unnest($5::text[], $6::text[], $7::integer[], $8::boolean[], $9::boolean[]) WITH ORDINALITY AS x (k, t, m, s, r, n)`,
		[
			map.id,
			from,
			to,
			lines.length,
			values.map(([kind]) => kind),
			values.map(([, terms]) => terms),
			values.map(([, , member]) => member),
			values.map(([, , , skip]) => skip),
			values.map(([, , , , reverse]) => reverse)
		]
	);
}

function lineValues({ terms, member, skip, reverseSign }: LineToAdd): [string, string, number | null, boolean, boolean] {
	const { kind, ...rest } = terms;
	return [kind, JSON.stringify(rest), skip ? null : member, skip, reverseSign];
}

/** Members must belong to the map's dimension and be leaves; only a pattern may pass codes through. */
async function requireMembers(client: pg.PoolClient, map: MapHead, lines: readonly LineToAdd[]): Promise<void> {
	const loose = lines.find(({ terms, member, skip }) => member === null && !skip && terms.kind !== 'pattern');
	if (loose) throw new Fault(422, 'no member', 'Say which member the line leads to, or that its rows are left out.');
	if (lines.some(({ terms }) => terms.kind === 'joint' && terms.conditions.some(({ pattern }) => pattern.trim() === '')))
		throw new Fault(422, 'not complete', 'A condition of this line has no value yet. Fill it in, or take the condition off.');
	const members = [...new Set(lines.flatMap(({ member }) => (member === null ? [] : [member])))];
	const found = await client.query<{ id: number; name: string; parent: boolean }>(
		`SELECT m.id, m.name, EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id) AS parent
		FROM member m WHERE m.dimension_id = $1 AND m.id = ANY ($2)`,
		[map.dimension, members]
	);
	if (found.rows.length < members.length) throw new Fault(422, 'no member', 'A line leads to a member this dimension does not have.');
	const parent = found.rows.find((member) => member.parent);
	if (parent)
		throw new Fault(422, 'not a leaf', `${parent.name} has others under it, so it holds no numbers of its own. Choose one of those.`);
}

async function requireMember(client: pg.PoolClient, dimension: number, member: number): Promise<void> {
	const found = await client.query('SELECT FROM member WHERE dimension_id = $1 AND id = $2', [dimension, member]);
	if (!found.rowCount) throw notFound('member');
}

/** A map of a dimension of the model. @throws Fault 404 */
async function requireMap(client: pg.PoolClient, modelId: number, id: number, dimension?: number): Promise<MapHead> {
	const found = await client.query<MapHead>(
		`SELECT m.id, m.name, m.dimension_id AS dimension FROM map m JOIN model_dimension d ON d.dimension_id = m.dimension_id AND d.model_id = $2
		WHERE m.id = $1 AND ($3::integer IS NULL OR m.dimension_id = $3) FOR UPDATE OF m`,
		[id, modelId, dimension ?? null]
	);
	if (!found.rows[0]) throw notFound('map');
	return found.rows[0];
}

async function mapOfLines(client: pg.PoolClient, lines: readonly number[]): Promise<number> {
	const found = await client.query<{ map: number }>('SELECT DISTINCT map_id AS map FROM map_line WHERE id = ANY ($1)', [lines]);
	if (found.rows.length !== 1)
		throw new Fault(
			409,
			'changed meanwhile',
			'This line is not there any more: somebody else has changed the map. It is shown as it is now.'
		);
	return found.rows[0]!.map;
}

/** Removes an import that holds no loaded amounts. @throws Fault while a batch of it is loaded */
export async function removeImport(person: SignedIn | undefined, modelId: number, code: string): Promise<void> {
	const writer = requirePermission(person, 'data.write');
	await transaction(async (client) => {
		const stored = await dropImport(client, modelId, code);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Import ${stored.name} removed`,
			objects: [{ kind: 'import', id: stored.id, name: stored.name, before: stored, after: null }]
		});
	});
}

/** Takes an import away within the caller's transaction; its origin stays for the journal. @throws Fault as `removeImport` */
export async function dropImport(client: pg.PoolClient, modelId: number, code: string): Promise<StoredImport> {
	const stored = await readStoredImport(client, modelId, code);
	const standing = await client.query(`SELECT FROM cells_${Math.trunc(modelId)} WHERE origin_id = $1 LIMIT 1`, [stored.origin]);
	if (standing.rowCount)
		throw new Fault(422, 'still used', `${stored.name} has loaded amounts that stand in the model. Take its batches back first.`);
	const running = await client.query("SELECT FROM batch WHERE import_id = $1 AND state = 'running'", [stored.id]);
	if (running.rowCount) throw new Fault(409, 'still used', 'A load of this import is under way. Wait for it, or cancel it.');
	await client.query('UPDATE batch SET file_id = NULL, rejects_of = NULL WHERE import_id = $1', [stored.id]);
	await client.query('DELETE FROM source_file WHERE import_id = $1', [stored.id]);
	await client.query('DELETE FROM import WHERE id = $1', [stored.id]);
	await client.query('UPDATE origin SET name = name || $2 WHERE id = $1', [stored.origin, ` (removed ${stored.id})`]);
	return stored;
}

/** The journal's last changes of an import and the maps it goes through. */
export async function importHistory(
	person: SignedIn | undefined,
	modelId: number,
	code: string
): Promise<{ id: number; at: string; person: string | null; words: string }[]> {
	requirePermission(person, 'data.read');
	const stored = await readStoredImport(pool(), modelId, code);
	const found = await pool().query<{ id: number; at: Date; person: string | null; words: string }>(
		`SELECT DISTINCT c.id, c.at, p.name AS person, c.words FROM structure_change c JOIN structure_change_object o ON o.change_id = c.id
		LEFT JOIN person p ON p.id = c.person_id
		WHERE (o.kind = 'import' AND o.object_id = $1) OR (o.kind = 'map' AND o.object_id IN (SELECT map_id FROM import_rule WHERE import_id = $1))
		ORDER BY c.id DESC LIMIT 20`,
		[stored.id]
	);
	return found.rows.map(({ at, ...change }) => ({ ...change, at: at.toISOString() }));
}
