import { z } from 'zod';
import { Dimension, Model, type DimensionDefinition, type FormLayout, type ModelDefinition } from '../../core';
import { pool, transaction, type Database } from '../database';
import { amountsByMember } from '../database/cells';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions, readDimensionDefinition, readModelDefinition } from '../database/definitions';
import { lockCodes, lockDrafts, waitForLoads } from '../database/locks';
import type { AxisPlacing } from '../database/series';
import { countUpStructure } from '../database/structure-version';
import { widenModel } from '../database/widen';
import { formsOf } from '../definition/forms';
import { writeJournal } from '../definition/journal';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel } from './act';
import { startGeneral } from './new-model';

const code = z.string().trim().min(1).max(80);
export const addDimensionSchema = z.object({
	dimension: z.discriminatedUnion('kind', [
		z.object({ kind: z.literal('new'), name: z.string().trim().min(1, 'a name is missing').max(80) }),
		/** One that is there: of another model, or taken out of one. */
		z.object({ kind: z.literal('shared'), code })
	]),
	/** At which of its members the figures go. */
	by: z.discriminatedUnion('kind', [
		/** All at one; by code, the one for what the dimension does not apply to where none is named. */
		z.object({ kind: z.literal('one'), member: code.nullable() }),
		/** At the member whose code or name is what members of a dimension have as an attribute. */
		z.object({ kind: z.literal('attribute'), dimension: code, attribute: z.string().min(1).max(80) }),
		/** By a list: what is at a member goes to another one; by their codes. */
		z.object({ kind: z.literal('map'), dimension: code, lines: z.array(z.object({ from: code, to: code })).max(100_000) })
	])
});
export type DimensionToAdd = z.infer<typeof addDimensionSchema>;

/** What adding a dimension would do, or did. */
export interface AddedDimension {
	name: string;
	/** By member of the new dimension: which members' figures go there, some of them by name, and how many cells. */
	goes: { member: string; from: string[]; more: number; cells: number }[];
	/** Members whose figures go to the one for the rest, because the list or the attribute says nothing of them. */
	rest: string[];
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

/** Codes of members that are made from texts. */
const LONGEST_CODE = 40;
const MOST_MADE = 5_000;
const MOST_NAMES = 6;

interface AxisPlan {
	name: string;
	/** The dimension as it is, or the members it is made with. */
	known: Dimension | undefined;
	leaves: { code: string; name: string }[];
	/** The dimension that decides, and by its members (ids) the code they go to. */
	by: { definition: DimensionDefinition; goes: Map<number, string> } | undefined;
	otherwise: string;
	rest: string[];
}

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
		await waitForLoads(client, modelId);
		await lockDrafts(client, modelId);
		await lockModel(client, modelId);
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
		for (const form of await formsOf(client, modelId)) {
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

async function planOf(database: Database, definition: ModelDefinition, wanted: DimensionToAdd): Promise<AxisPlan> {
	const { dimension, by } = wanted;
	const known = dimension.kind === 'shared' ? await sharedDimension(database, definition, dimension.code) : undefined;
	if (dimension.kind === 'new') {
		const taken = definition.dimensions.find(({ name }) => name.toLowerCase() === dimension.name.toLowerCase());
		if (taken) throw new Fault(422, 'not possible', `The model has a dimension ${taken.name} already. Choose another name.`);
	}
	const base = { name: known?.name ?? (dimension as { name: string }).name, known, leaves: [], rest: [] };
	const none = known ? known.members.find(({ unassigned }) => unassigned)?.code : 'NONE';
	const needsNone = () =>
		new Fault(422, 'not possible', `${base.name} has no member for what it does not apply to: say for every member where its figures go.`);
	if (by.kind === 'one') {
		const member = by.member ?? none;
		if (member === undefined)
			throw new Fault(
				422,
				'not possible',
				`${base.name} has no member for what it does not apply to: name the one that takes the figures.`
			);
		if (known) leafOf(known, member);
		else if (member !== none)
			throw new Fault(422, 'not possible', 'A new dimension has no members yet: the figures go to the one for the rest.');
		return { ...base, by: undefined, otherwise: member };
	}
	const deciding = definition.dimensions.find(({ code: each }) => each === by.dimension);
	if (!deciding || deciding.kind === 'period') throw new Fault(422, 'not possible', `The model has no dimension ${by.dimension} to go by.`);
	const goes = new Map<number, string>();
	const leaves = new Map<string, { code: string; name: string }>();
	const own = new Dimension(deciding);
	if (by.kind === 'attribute') {
		if (!(deciding.attributes ?? []).some(({ name }) => name === by.attribute))
			throw new Fault(422, 'not possible', `${deciding.name} has no attribute “${by.attribute}”.`);
		for (const [ordinal, member] of own.members.entries()) {
			if (!own.isLeaf(ordinal)) continue;
			const value = [ordinal, ...own.tree.ancestors(ordinal)]
				.map((each) => own.attribute(by.attribute, each))
				.find((each) => each !== undefined);
			if (value === undefined) continue;
			const text = String(value).trim();
			const found = known ? memberCalled(known, text) : madeFor(leaves, text);
			if (found !== undefined) goes.set(member.id, found);
		}
	} else {
		for (const { from, to } of by.lines) {
			const ordinal = own.ordinalOfCode(from);
			if (ordinal === undefined) throw new Fault(422, 'not possible', `${deciding.name} has no member ${from}.`);
			const target = known ? leafOf(known, to) : madeFor(leaves, to);
			for (const leaf of own.leavesOf(ordinal)) {
				const member = own.member(leaf).id;
				const before = goes.get(member);
				if (before !== undefined && before !== target)
					throw new Fault(422, 'not possible', `${own.member(leaf).name} would go to ${before} and to ${target}. Name it once.`);
				goes.set(member, target);
			}
		}
	}
	if (leaves.size > MOST_MADE)
		throw new Fault(
			422,
			'not possible',
			`This would make ${leaves.size} members; ${MOST_MADE} are the most. Make the dimension from a list instead.`
		);
	const rest = own.members.flatMap((member, ordinal) => (own.isLeaf(ordinal) && !goes.has(member.id) ? [member.name] : []));
	if (none === undefined && rest.length > 0) throw needsNone();
	const otherwise = none ?? [...goes.values()][0]!;
	const plan = { ...base, leaves: [...leaves.values()], by: { definition: deciding, goes }, otherwise, rest };
	refuseParted(definition, own, plan);
	return plan;
}

/** A dimension that is there already, as one of the core. @throws Fault where it cannot join */
async function sharedDimension(database: Database, definition: ModelDefinition, wanted: string): Promise<Dimension> {
	if (definition.dimensions.some((each) => each.code === wanted))
		throw new Fault(422, 'not possible', 'The model has this dimension already.');
	const found = await readDimensionDefinition(database, wanted);
	if (found?.kind !== 'general') throw new Fault(422, 'not possible', `There is no breakdown ${wanted}.`);
	return new Dimension(found);
}

function leafOf(dimension: Dimension, wanted: string): string {
	const ordinal = dimension.ordinalOfCode(wanted);
	if (ordinal === undefined) throw new Fault(422, 'not possible', `${dimension.name} has no member ${wanted}.`);
	if (!dimension.isLeaf(ordinal))
		throw new Fault(422, 'not possible', `${dimension.member(ordinal).name} has members under it: figures stand at those.`);
	return wanted;
}

/** The leaf with a code or name, small and large letters alike. */
function memberCalled(dimension: Dimension, text: string): string | undefined {
	const wanted = text.toLowerCase();
	const found = dimension.members.find((member, ordinal) => dimension.isLeaf(ordinal) && member.code.toLowerCase() === wanted);
	return (found ?? dimension.members.find((member, ordinal) => dimension.isLeaf(ordinal) && member.name.toLowerCase() === wanted))?.code;
}

/** The member that is made for a text; the same one for the same text. */
function madeFor(leaves: Map<string, { code: string; name: string }>, text: string): string {
	const key = text.toLowerCase();
	const known = leaves.get(key);
	if (known) return known.code;
	const taken = new Set(['ALL', 'NONE', ...[...leaves.values()].map((leaf) => leaf.code)]);
	const short =
		text
			.toUpperCase()
			.replaceAll(/[^A-Z0-9]+/g, '-')
			.replaceAll(/^-|-$/g, '')
			.slice(0, LONGEST_CODE) || 'MEMBER';
	let free = short;
	for (let number = 2; taken.has(free); number++) free = `${short}-${number}`;
	leaves.set(key, { code: free, name: text });
	return free;
}

/**
 * What is read beside a figure is looked for at the same member of the new dimension. @throws Fault where the two would go
 * apart, so that nothing would be found: operands of formulas per leaf, what weighs a price, the scenario another continues
 */
function refuseParted(definition: ModelDefinition, own: Dimension, plan: AxisPlan): void {
	const model = new Model(definition);
	const axis = model.dimensions.findIndex(({ id }) => id === own.id);
	const codeAt = (ordinal: number) => plan.by!.goes.get(own.member(ordinal).id) ?? plan.otherwise;
	const codes = new Set(own.members.flatMap((_, ordinal) => (own.isLeaf(ordinal) ? [codeAt(ordinal)] : [])));
	if (codes.size < 2) return;
	const parted = (reads: string, ordinal: number) =>
		new Fault(
			422,
			'not possible',
			`${reads} ${own.member(ordinal).name}, which goes to ${nameOf(plan, codeAt(ordinal))}: where it goes elsewhere it would find nothing. Let all figures go to one member, or go by another dimension.`
		);
	for (const { account, operands } of model.live.ordered)
		for (const { account: read, fixed } of operands) {
			const name = model.accounts.member(account).name;
			for (const place of fixed) if (place.axis === axis) throw parted(`The formula of ${name} reads at`, place.ordinal);
			if (axis === model.accountAxis && codeAt(read) !== codeAt(account)) throw parted(`The formula of ${name} reads`, read);
		}
	if (axis === model.accountAxis)
		for (const { member, weight } of definition.accounts) {
			const [weighed, weigher] = [model.accounts.ordinal(member), typeof weight === 'number' ? model.accounts.ordinal(weight) : undefined];
			if (weighed !== undefined && weigher !== undefined && codeAt(weighed) !== codeAt(weigher))
				throw parted(`${own.member(weighed).name} is weighed by`, weigher);
		}
	if (axis === model.scenarioAxis)
		for (const { member, continuesFrom } of definition.scenarios) {
			const [later, before] = [member, continuesFrom].map((id) => (id === null ? undefined : model.scenarios.ordinal(id)));
			if (later !== undefined && before !== undefined && codeAt(later) !== codeAt(before))
				throw parted(`${own.member(later).name} continues from`, before);
		}
}

/** The name a member has, or will have when it is made. */
function nameOf({ name, known, leaves }: AxisPlan, wanted: string): string {
	if (known) return known.member(known.ordinalOfCode(wanted)!).name;
	const made = leaves.find((leaf) => leaf.code === wanted);
	return made?.name ?? (wanted === 'ALL' ? `All: ${name}` : `No ${name.toLowerCase()}`);
}

/** The member at which forms show the dimension: where all figures are, or the top above them. */
function shownAt(plan: AxisPlan): string {
	if (!plan.by) return plan.otherwise;
	if (!plan.known) return 'ALL';
	const { tree } = plan.known;
	const targets = [...new Set([...plan.by.goes.values(), plan.otherwise])].map((each) => plan.known!.ordinalOfCode(each)!);
	const top = tree.roots().find((root) => targets.every((each) => tree.isUnder(each, root)));
	if (top === undefined)
		throw new Fault(
			422,
			'not possible',
			`${plan.name} has no member above all of these, so forms could not show the whole. Put them under one first.`
		);
	return plan.known.member(top).code;
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
		rest: plan.rest,
		forms: (await formsOf(database, definition.id)).length,
		shownAt: nameOf(plan, shownAt(plan)),
		imports: imports.rows.map(({ name }) => name)
	};
}
