import type { FormLayout, ModelDefinition } from '../../core';
import { pool, transaction, type Database } from '../database';
import { amountsByMember } from '../database/cells';
import { holdModel, postChangeSet } from '../database/change-set';
import { addressDimensions, readModelDefinition } from '../database/definitions';
import { lockCodes, lockDimensions } from '../database/locks';
import type { AxisPlacing } from '../database/series';
import { countUpStructure } from '../database/structure-version';
import { widenModel } from '../database/widen';
import { formsOf } from '../definition/forms';
import { writeJournal } from '../definition/journal';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel } from './act';
import { nameOf, planOf, shownAt, type AxisPlan, type DimensionToAdd } from './axis-plan';
import { startGeneral } from './new-model';

/** What adding a dimension would do, or did. */
export interface AddedDimension {
	name: string;
	/** By member of the new dimension: which members' figures go there, some of them by name, and how many cells. */
	goes: { member: string; from: string[]; more: number; cells: number }[];
	/** Members whose figures go to the one for the rest, because the list or the attribute says nothing of them: some by name, and how many more. */
	rest: string[];
	moreRest: number;
	/** Forms that show it at one member, which one, and imports that load to one. */
	forms: number;
	shownAt: string;
	imports: string[];
}

/** What may be said where a dimension is added: dimensions of other models, and what figures may go by. */
export interface DimensionChoices {
	shared: { code: string; name: string; members: number; models: string[] }[];
	by: { code: string; name: string; attributes: string[] }[];
}

export async function dimensionChoices(person: SignedIn | undefined, modelId: number): Promise<DimensionChoices> {
	requirePermission(person, 'structure.write');
	const shared = await pool().query<DimensionChoices['shared'][number]>(
		`SELECT d.code, d.name, (SELECT count(*)::integer FROM member m WHERE m.dimension_id = d.id) AS members,
			ARRAY(SELECT o.name FROM model_dimension x JOIN model o ON o.id = x.model_id WHERE x.dimension_id = d.id ORDER BY o.id) AS models
		FROM dimension d
		WHERE d.kind = 'general' AND NOT EXISTS (SELECT FROM choice_list c WHERE c.dimension_id = d.id)
			AND NOT EXISTS (SELECT FROM model_dimension own WHERE own.dimension_id = d.id AND own.model_id = $1)
		ORDER BY d.name`,
		[modelId]
	);
	const by = await pool().query<DimensionChoices['by'][number]>(
		`SELECT d.code, d.name, ARRAY(SELECT name FROM attribute WHERE dimension_id = d.id ORDER BY id) AS attributes
		FROM model_dimension x JOIN dimension d ON d.id = x.dimension_id WHERE x.model_id = $1 AND d.kind <> 'period' ORDER BY x.position`,
		[modelId]
	);
	return { shared: shared.rows, by: by.rows };
}

/** Names that are told of many. */
const MOST_NAMES = 6;

/** What adding a dimension to a model would do; nothing is changed. @throws Fault where it cannot be added so */
export async function previewDimension(person: SignedIn | undefined, modelId: number, wanted: DimensionToAdd): Promise<AddedDimension> {
	requirePermission(person, 'structure.write');
	const definition = await definitionOf(pool(), modelId);
	return inWords(pool(), definition, await planOf(pool(), definition, wanted));
}

/**
 * Adds a dimension to a model with its figures, its journal and everything that stands at figures: as if it had always been
 * there. Forms show it at one member, imports load to one, until they are changed. Totals over all of it are what they were.
 */
export async function addDimension(
	person: SignedIn | undefined,
	modelId: number,
	wanted: DimensionToAdd
): Promise<AddedDimension & { code: string }> {
	const writer = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		await lockCodes(client);
		// Their members stay as they are meanwhile, also for other models they belong to.
		await lockDimensions(
			client,
			[wanted.dimension, wanted.by].flatMap((each) => (each.kind === 'shared' ? each.code : 'dimension' in each ? each.dimension : []))
		);
		await holdModel(client, modelId);
		const definition = await definitionOf(client, modelId);
		const plan = await planOf(client, definition, wanted);
		const outcome = await inWords(client, definition, plan);
		const before = await addressDimensions(client, modelId);
		const ids = plan.known ? new Map(plan.known.members.map((member) => [member.code, member.id])) : undefined;
		const made = ids ? { id: plan.known!.id, code: plan.known!.code, ids } : await startGeneral(client, plan.name, plan.leaves);
		const placing: AxisPlacing = {
			by: plan.by && before.indexOf(plan.by.definition.id),
			members: new Map([...(plan.by?.goes ?? [])].map(([member, goes]) => [member, made.ids.get(goes)!])),
			otherwise: made.ids.get(plan.otherwise)!
		};
		const shown = made.ids.get(shownAt(plan))!;
		await client.query(
			'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, $2, max(position) + 1 FROM model_dimension WHERE model_id = $1',
			[modelId, made.id]
		);
		await widenModel(client, modelId, placing, shown);
		for (const form of await formsOf(client, modelId, 'all')) {
			const layout: FormLayout = { ...form.layout, pinned: [...form.layout.pinned, { dimension: made.id, member: shown }] };
			await client.query('UPDATE form SET layout = $2 WHERE id = $1', [form.id, JSON.stringify(layout)]);
		}
		await client.query(
			`INSERT INTO import_rule (import_id, dimension_id, come_from, member_id)
			SELECT id, $2, 'fixed', $3 FROM import WHERE model_id = $1`,
			[modelId, made.id, placing.otherwise]
		);
		await refuseBrokenModel(client, modelId);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: made.id,
			words: `Added the dimension “${plan.name}” to ${definition.name}`,
			objects: [{ kind: 'dimension', id: made.id, name: plan.name, before: null, after: { by: wanted.by, ...outcome } }]
		});
		// What was worked out on the addresses of before is worked out again.
		await postChangeSet(
			client,
			{ modelId, person: writer.id, kind: 'structure', through: `Dimension ${plan.name}`, cells: 0 },
			await addressDimensions(client, modelId),
			[]
		);
		await countUpStructure(client, [modelId], 'definition');
		return { ...outcome, code: made.code };
	});
}

async function definitionOf(database: Database, modelId: number): Promise<ModelDefinition> {
	const definition = await readModelDefinition(database, modelId);
	if (!definition) throw new Fault(404, 'not found', 'There is no such model.');
	return definition;
}

async function inWords(database: Database, definition: ModelDefinition, plan: AxisPlan): Promise<AddedDimension> {
	const cells = await amountsByMember(database, definition.id, plan.by?.definition.id);
	const groups = new Map<string, { from: string[]; cells: number }>();
	for (const [member, count] of cells) {
		const goes = (member === null ? undefined : plan.by?.goes.get(member)) ?? plan.otherwise;
		const group = groups.get(goes) ?? { from: [], cells: 0 };
		group.cells += count;
		const name = plan.by?.definition.members.find(({ id }) => id === member)?.name;
		if (name !== undefined) group.from.push(name);
		groups.set(goes, group);
	}
	const imports = await database.query<{ name: string }>('SELECT name FROM import WHERE model_id = $1 ORDER BY name', [definition.id]);
	return {
		name: plan.name,
		goes: [...groups]
			.map(([member, { from, cells: count }]) => ({
				member: nameOf(plan, member),
				from: from.slice(0, MOST_NAMES),
				more: Math.max(0, from.length - MOST_NAMES),
				cells: count
			}))
			.sort((one, other) => other.cells - one.cells),
		rest: plan.rest.slice(0, MOST_NAMES),
		moreRest: Math.max(0, plan.rest.length - MOST_NAMES),
		forms: (await formsOf(database, definition.id, 'all')).length,
		shownAt: nameOf(plan, shownAt(plan)),
		imports: imports.rows.map(({ name }) => name)
	};
}
