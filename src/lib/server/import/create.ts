import type pg from 'pg';
import { z } from 'zod';
import { Model } from '../../core';
import { pool, transaction } from '../database';
import { readModelDefinition } from '../database/definitions';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { detectKept } from './check';
import { newMap, type RuleToSet } from './edit';
import type { Detected } from './file/detect';
import { keptFile } from './file/keep';
import { sourceSchema } from '../definition/source-schema';
import { countUpStructure } from '../database/structure-version';
import { writeJournal } from '../definition/journal';

export const newImportSchema = z.object({
	name: z.string().trim().min(1, 'A name is needed.').max(120),
	/** A kept file to begin from. */
	file: z.int().nullable().default(null)
});

/** A likely beginning of an import: what a file's columns seem to be. */
interface Guess {
	rules: { dimension: number; rule: RuleToSet; passThrough: boolean }[];
	amountColumns: string[];
}

/**
 * Makes an import, from a file where one is given: how it is written is detected, and columns whose values are codes of
 * members, dates and amounts are proposed. All of it can be corrected.
 */
export async function createImport(
	person: SignedIn | undefined,
	modelId: number,
	{ name, file }: z.infer<typeof newImportSchema>
): Promise<{ code: string }> {
	const writer = requirePermission(person, 'data.write');
	const definition = await readModelDefinition(pool(), modelId);
	if (!definition) throw notFound('model');
	const model = new Model(definition);
	const kept = file === null ? undefined : await keptFile(modelId, file);
	const detected = kept && (await detectKept(person, modelId, kept.id));
	const guess = detected ? guessRules(model, detected) : { rules: fixedRules(model, new Set()), amountColumns: [] };
	return transaction(async (client) => {
		const taken = await client.query('SELECT FROM origin WHERE model_id = $1 AND name = $2', [modelId, name]);
		if (taken.rowCount)
			throw new Fault(422, 'name taken', `There is something called “${name}” in this model already. Choose another name.`);
		const code = await freeCode(client, modelId, name);
		const origin = await client.query<{ id: number }>("INSERT INTO origin (model_id, mode, name) VALUES ($1, 'loads', $2) RETURNING id", [
			modelId,
			name
		]);
		const source = sourceSchema.parse({ ...detected?.settings, amountColumns: guess.amountColumns, sheet: kept?.sheets[0] ?? '' });
		const made = await client.query<{ id: number }>(
			'INSERT INTO import (model_id, origin_id, code, name, source) VALUES ($1, $2, $3, $4, $5) RETURNING id',
			[modelId, origin.rows[0]!.id, code, name, JSON.stringify(source)]
		);
		const id = made.rows[0]!.id;
		for (const each of guess.rules) await insertRule(client, id, name, model, each);
		if (kept) await client.query('UPDATE source_file SET import_id = $2 WHERE id = $1 AND import_id IS NULL', [kept.id, id]);
		// A new origin belongs to what the engine knows of the model.
		await countUpStructure(client, [modelId], 'origins');
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Import ${name} made`,
			objects: [{ kind: 'import', id, name, before: null, after: { code, name, source } }]
		});
		return { code };
	});
}

async function insertRule(
	client: pg.PoolClient,
	importId: number,
	importName: string,
	model: Model,
	{ dimension, rule, passThrough }: Guess['rules'][number]
) {
	const of = model.dimension(dimension)!;
	const map = rule.from === 'column' ? await newMap(client, dimension, `${importName}: ${of.name.toLowerCase()}`) : null;
	if (map !== null && passThrough)
		await client.query(
			`INSERT INTO map_line (map_id, position, member_id, kind, terms) VALUES ($1, 1, NULL, 'pattern', '{"pattern": "*"}')`,
			[map]
		);
	await client.query(
		'INSERT INTO import_rule (import_id, dimension_id, come_from, source_columns, map_id, member_id, date_format) VALUES ($1, $2, $3, $4, $5, $6, $7)',
		[
			importId,
			dimension,
			rule.from,
			rule.from === 'column' ? rule.columns : rule.from === 'date' ? [rule.column] : [],
			map,
			rule.from === 'fixed' ? rule.member : null,
			rule.from === 'date' ? rule.format : null
		]
	);
}

/** Columns by what they hold: codes of members, dates, amounts; what is left gets the unassigned member. */
function guessRules(model: Model, { columns, rows }: Detected): Guess {
	const used = new Set<string>();
	const rules: Guess['rules'] = [];
	const dated = columns.find(({ dates }) => dates.length > 0);
	if (dated) {
		used.add(dated.heading);
		rules.push({
			dimension: model.periods.dimension.id,
			rule: { from: 'date', column: dated.heading, format: dated.dates[0]! },
			passThrough: false
		});
	}
	for (const dimension of model.dimensions) {
		let best: { heading: string; share: number } | undefined;
		for (const [index, { heading }] of columns.entries()) {
			if (used.has(heading)) continue;
			const texts = rows.map((row) => (row[index] ?? '').trim()).filter((text) => text !== '');
			const codes = texts.filter((text) => dimension.ordinalOfCode(text) !== undefined).length;
			const named =
				heading.toLowerCase().includes(dimension.name.toLowerCase()) || dimension.name.toLowerCase().includes(heading.toLowerCase())
					? 0.5
					: 0;
			const share = texts.length === 0 ? 0 : codes / texts.length + named;
			if (share >= 0.5 && share > (best?.share ?? 0)) best = { heading, share };
		}
		if (!best) continue;
		used.add(best.heading);
		rules.push({
			dimension: dimension.id,
			rule: { from: 'column', columns: [best.heading], separator: '', label: null, map: null },
			passThrough: true
		});
	}
	const amounts = columns.filter(({ heading, isAmount }) => isAmount && !used.has(heading));
	const named = amounts.find(({ heading }) => /amount|value|sum|total|betrag|count|quantity/i.test(heading)) ?? amounts.at(-1);
	return {
		rules: [...rules, ...fixedRules(model, new Set(rules.map(({ dimension }) => dimension)))],
		amountColumns: named ? [named.heading] : []
	};
}

/** General dimensions without a column of their own: numbers the breakdown does not apply to. */
function fixedRules(model: Model, said: ReadonlySet<number>): Guess['rules'] {
	return model.dimensions.flatMap((dimension) =>
		dimension.kind === 'general' && dimension.unassigned >= 0 && !said.has(dimension.id)
			? [
					{
						dimension: dimension.id,
						rule: { from: 'fixed' as const, member: dimension.member(dimension.unassigned).id },
						passThrough: false
					}
				]
			: []
	);
}

async function freeCode(client: pg.PoolClient, modelId: number, name: string): Promise<string> {
	const wanted =
		name
			.normalize('NFKD')
			.replace(/\p{M}/gu, '')
			.toLowerCase()
			.replace(/[^a-z0-9]+/g, '-')
			.replace(/^-|-$/g, '')
			.slice(0, 40) || 'import';
	const taken = await client.query<{ code: string }>('SELECT code FROM import WHERE model_id = $1', [modelId]);
	const codes = new Set(taken.rows.map(({ code }) => code));
	let free = wanted;
	for (let number = 2; codes.has(free); number++) free = `${wanted}-${number}`;
	return free;
}
