import type pg from 'pg';
import { transaction } from '../database';
import { lockModel } from '../database/change-set';
import { lockCodes, lockDimensions, waitForLoads } from '../database/locks';
import { writeJournal } from '../definition/journal';
import { comparePackages, yearsAdded, type Difference } from '../definition/package-differences';
import type { ModelPackage } from '../definition/package-format';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { refuseBrokenModel } from '../structure/act';
import { addYears } from '../structure/calendar';
import type { Made } from './made';
import { dimensionsByKey, packModel } from './pack';
import { PARTS_AFTER_MEMBERS, PARTS_BEFORE_MEMBERS } from './parts';
import type { Part } from './parts/part';
import { Scene } from './scene';
import { startList, takeOverDimension, wholeOf } from './take-over-members';
import { TakingOver, type Refusal, type ToTakeOver } from './taking-over';
export { takeOverSchema, type Refusal } from './taking-over';

/** What became of a package taken over, or what would. */
export interface TakenOver {
	/** Differences that were, or could be, taken over. */
	taken: number;
	/** Why others cannot; empty when it was done. */
	refused: Refusal[];
	/** What is left out on the way in, in sentences. */
	leftOut: string[];
}

/**
 * Takes differences of a package over into a model: all or nothing, in one transaction, journalled by dimension, and for
 * everything else together.
 * @throws Fault 422 with every refusal in its details, 409 where a difference is not there any more
 */
export async function takeOver(
	person: SignedIn | undefined,
	modelId: number,
	packed: ModelPackage,
	wanted: ToTakeOver
): Promise<TakenOver> {
	const writer = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		const done = await carryOut(client, writer, modelId, packed, wanted, true);
		if (done.refused.length > 0) throw new Fault(422, 'not possible', `Nothing was changed. ${done.refused[0]!.message}`, done);
		return done;
	});
}

/**
 * What taking differences over would come to: carried out and left again. Nothing is changed; saves of the model wait meanwhile.
 * @throws Fault 409 as above
 */
export async function previewTakeOver(
	person: SignedIn | undefined,
	modelId: number,
	packed: ModelPackage,
	wanted: ToTakeOver
): Promise<TakenOver> {
	const writer = requirePermission(person, 'structure.write');
	let found: TakenOver | undefined;
	const nothingStays = new Error('nothing stays');
	await transaction(async (client) => {
		found = await carryOut(client, writer, modelId, packed, wanted, false);
		throw nothingStays;
	}).catch((error: unknown) => {
		if (error !== nothingStays) throw error;
	});
	return found!;
}

/** What one may do besides shaping the structure, by what a difference is about. */
const PERMISSIONS = {
	form: 'form.design',
	view: 'form.design',
	board: 'form.design',
	runbook: 'rule.write',
	import: 'data.write'
} as const;

async function carryOut(
	client: pg.PoolClient,
	person: SignedIn,
	modelId: number,
	packed: ModelPackage,
	wanted: ToTakeOver,
	holds: boolean
): Promise<TakenOver> {
	const known = await dimensionsByKey(client, modelId);
	if (holds) {
		await lockCodes(client);
		await lockDimensions(
			client,
			[...known.values()].map(({ code }) => code)
		);
		await waitForLoads(client, modelId);
		await lockModel(client, modelId);
	}
	const own = await packModel(client, modelId);
	const differences = chosenOf(comparePackages(own, packed), wanted.chosen);
	for (const { what } of differences) if (what in PERMISSIONS) requirePermission(person, PERMISSIONS[what as keyof typeof PERMISSIONS]);
	const taking = new TakingOver(await sceneOf(client, person, modelId), packed, wanted, holds);
	for (const { id, stays } of differences) if (stays !== undefined) taking.refuse(id, stays);
	const able = differences.filter(({ stays }) => stays === undefined);
	for (const part of PARTS_BEFORE_MEMBERS) await putPart(taking, part, own, able);
	for (const { id } of able.filter(({ what }) => what === 'calendar'))
		await taking.attempt([id], () => addYears(client, person.id, modelId, yearsAdded(own.calendar, packed.calendar)!, holds));
	await takeOverStructure(taking, able);
	taking.scene = await sceneOf(client, person, modelId);
	for (const part of PARTS_AFTER_MEMBERS) await putPart(taking, part, own, able);
	// What uses goes before what is used.
	for (const part of PARTS_AFTER_MEMBERS.toReversed()) await removePart(taking, part, own, able);
	if (taking.refused.length === 0) await taking.attempt([''], () => refuseBrokenModel(client, modelId));
	if (taking.objects.length > 0)
		await writeJournal(client, {
			person: person.id,
			modelId,
			dimensionId: null,
			words: `Took ${inWords(able)} from the package “${packed.model.name}”`,
			objects: taking.objects
		});
	const refusedIds = new Set(taking.refused.map(({ id }) => id));
	return {
		taken: differences.filter(({ id }) => !refusedIds.has(id)).length,
		refused: taking.refused,
		leftOut: taking.lostPeople.size > 0 ? [`People who are not here: ${[...taking.lostPeople].join(', ')}.`] : []
	};
}

function chosenOf(differences: readonly Difference[], chosen: readonly string[]): Difference[] {
	const wanted = new Set(chosen);
	const found = differences.filter(({ id }) => wanted.has(id));
	if (found.length < wanted.size)
		throw new Fault(409, 'conflict', 'The model was changed meanwhile: a difference you chose is not there any more. Compare again.');
	return found;
}

/** Keys, codes and names of a model as it stands in the transaction. */
async function sceneOf(client: pg.PoolClient, person: SignedIn, modelId: number): Promise<Scene> {
	const dimensions = new Map<string, Made>();
	for (const [key, { id, code, kind }] of await dimensionsByKey(client, modelId)) {
		const members = await client.query<{ id: number; code: string }>('SELECT id, code FROM member WHERE dimension_id = $1', [id]);
		dimensions.set(key, { id, code, kind, ids: new Map(members.rows.map((member) => [member.code, member.id])) });
	}
	const named = async (text: string, values: unknown[]) =>
		(await client.query<{ id: number; name: string }>(text, values)).rows.map(({ id, name }) => [name, { id, name }] as const);
	const origins = await named('SELECT id, name FROM origin WHERE model_id = $1', [modelId]);
	return new Scene(client, person, modelId, {
		dimensions,
		rateSets: new Map(await named('SELECT id, name FROM rate_set', [])),
		origins: new Map(origins.map(([name, { id }]) => [name, id]))
	});
}

async function putPart(taking: TakingOver, part: Part, own: ModelPackage, differences: readonly Difference[]): Promise<void> {
	const [ours, theirs] = [own, taking.packed].map((each) => new Map(part.items(each).map((item) => [part.nameOf(item), item])));
	for (const { id, name, kind } of differences.filter(({ what, kind: how }) => what === part.what && how !== 'missing'))
		await taking.attempt([id], async () => {
			const after = theirs!.get(name)!;
			const written = await part.put(taking.scene, after, kind === 'added');
			taking.objects.push({ ...written, name, before: ours!.get(name) ?? null, after });
		});
}

async function removePart(taking: TakingOver, part: Part, own: ModelPackage, differences: readonly Difference[]): Promise<void> {
	const ours = new Map(part.items(own).map((item) => [part.nameOf(item), item]));
	for (const { id, name } of differences.filter(({ what, kind }) => what === part.what && kind === 'missing'))
		await taking.attempt([id], async () => {
			const before = ours.get(name)!;
			const written = await part.remove!(taking.scene, before);
			taking.objects.push({ ...written, name, before, after: null });
		});
}

/** Lists first, since accounts choose from them; accounts before scenarios, which may be about them. */
const ORDER = ['period', 'general', 'entity', 'account', 'scenario'];

async function takeOverStructure(taking: TakingOver, differences: readonly Difference[]): Promise<void> {
	const { packed, client, person, modelId } = taking;
	const all = [...differences];
	for (const { id, name: key, part } of differences.filter(({ what }) => what === 'list of choices'))
		await taking.attempt([id], async () => {
			const list = packed.lists.find((each) => each.key === key)!;
			const made = await startList(taking, list);
			taking.objects.push({ kind: 'dimension', id: made.id, name: list.name, before: null, after: { name: list.name } });
			(taking.scene.dimensions as Map<string, Made>).set(key, { ...made, kind: 'general', ids: new Map() });
			all.push(...wholeOf(list, part));
		});
	const within = all.filter(({ what }) => what === 'attribute' || what === 'hierarchy' || what === 'member');
	const turnOf = (key: string) => ORDER.indexOf(taking.scene.dimensions.get(key)?.kind ?? 'general');
	const keys = [...new Set(within.map(({ of }) => of))].sort((one, other) => turnOf(one) - turnOf(other));
	for (const key of keys) {
		const own = within.filter(({ of }) => of === key);
		await taking.attempt(
			own.map(({ id }) => id),
			() => takeOverDimension(taking, key, own)
		);
		// A calendar may have got years, and what comes later may name members that came now.
		taking.scene = await sceneOf(client, person, modelId);
	}
}

/** “2 forms, the import …” without the members, which the journal tells by dimension. */
function inWords(differences: readonly Difference[]): string {
	const about = differences.filter(({ what }) => !['member', 'attribute', 'hierarchy', 'calendar'].includes(what));
	if (about.length <= 4) return about.map(({ what, name }) => `${what} “${name}”`).join(', ');
	return `${about.length} definitions`;
}
