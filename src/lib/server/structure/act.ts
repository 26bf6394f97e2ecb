import type pg from 'pg';
import { isDeepStrictEqual } from 'node:util';
import { diffStates, Model, type DimensionState, type MemberDiff } from '../../core';
import { transaction } from '../database';
import { lockModel } from '../database/change-set';
import { lockDimensions, waitForLoads } from '../database/locks';
import { readModelDefinition } from '../database/definitions';
import { Fault } from '../fault';
import { guardClosed } from '../locks';
import { requirePermission, type SignedIn } from '../session';
import { handOverNumbers } from './hand-over';
import { keepChanged, readDimension, type LoadedDimension } from './read-state';
import { usedAmong, usesToldTo } from './used';
import { writeDiff } from './write-state';
import { countUpStructureOf, structureVersion } from '../database/structure-version';
import { countNumbers } from './count-numbers';
import { modelsKnowing, modelsOf } from '../definition/models';
import { writeJournal, type JournalObject } from '../definition/journal';
import type { Use } from '../definition/naming';

/** What became of an act on the structure. */
export interface ActOutcome {
	/** The change in the journal; null when nothing was different. */
	change: number | null;
	words: string;
	version: number;
	/** Members by what happened to them. */
	added: number;
	changed: number;
	removed: number;
}

/** What the page needs to ask which child takes a leaf's numbers. */
export interface HandOverChoice {
	parent: { id: number; name: string };
	numbers: number;
	children: { id: number; code: string; name: string }[];
}

const needsHandOver = (choice: HandOverChoice) =>
	new Fault(
		409,
		'numbers below',
		`“${choice.parent.name}” holds ${choice.numbers} numbers. A member with others under it holds none of its own: choose which one takes them.`,
		choice
	);

/** What the page needs to ask what shall become of a member that is used. */
export interface UsedMember {
	member: { id: number; name: string };
	uses: Use[];
}

const stillUsed = (used: UsedMember) =>
	new Fault(
		409,
		'still used',
		`“${used.member.name}” is used in ${used.uses.length === 1 ? 'one place' : `${used.uses.length} places`}.`,
		used
	);

/** A dimension after a change that makes or takes away whole hierarchies too. */
export interface WithHierarchies {
	next: DimensionState;
	/** Names of the alternate hierarchies there are then. */
	hierarchies: readonly string[];
	/** What the journal tells of them. */
	objects: readonly JournalObject[];
}

/** A change of a dimension that is to be made. */
export interface DimensionAct {
	/** What the journal says of it. */
	words: (diffs: readonly MemberDiff[]) => string;
	/** The state that shall follow. */
	change: (
		dimension: LoadedDimension,
		client: pg.PoolClient
	) => Promise<DimensionState | WithHierarchies> | DimensionState | WithHierarchies;
	/** By parent (id): the code of the child that takes its numbers. */
	handOver?: Readonly<Record<string, string>>;
	/** What else belongs to the change, with its number in the journal. */
	after?: (client: pg.PoolClient, change: number) => Promise<void>;
}

/**
 * Changes a dimension: all or nothing, in one transaction, journalled, under the locks of every model it belongs to.
 * @param handOver by parent (id): the code of the child that takes its numbers
 * @throws Fault with a sentence where a rule would be broken; 409 with details where the person has to decide
 */
export async function actOnDimension(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	words: DimensionAct['words'],
	change: DimensionAct['change'],
	handOver: Readonly<Record<string, string>> = {},
	after?: DimensionAct['after']
): Promise<ActOutcome> {
	const writer = requirePermission(person, 'structure.write');
	let committed = () => {};
	const outcome = await transaction(async (client) => {
		await lockDimensions(client, [code]);
		const dimension = await readDimension(client, modelId, code);
		const { diffs, hierarchies, version, structure, ...done } = await changeDimension(client, writer.id, modelId, dimension, {
			words,
			change,
			handOver,
			...(after && { after })
		});
		if (done.change !== null)
			committed = () => keepChanged(modelId, { ...dimension, hierarchies: [...hierarchies] }, diffs, version, structure);
		return { ...done, version };
	});
	committed();
	return outcome;
}

/** What became of a change within a transaction, and what there is after it. */
export interface DimensionChanged extends ActOutcome {
	/** With the ids that new members were given. */
	diffs: readonly MemberDiff[];
	hierarchies: readonly string[];
	structure: number;
}

/**
 * Changes a dimension within the caller's transaction, which holds the dimension.
 * @param dimension as it stands in this transaction
 * @param holds false only to look at what would come of it: nothing is waited for, and the caller rolls back
 * @throws Fault as `actOnDimension`
 */
export async function changeDimension(
	client: pg.PoolClient,
	person: number,
	modelId: number,
	dimension: LoadedDimension,
	{ words, change, handOver = {}, after }: DimensionAct,
	holds = true
): Promise<DimensionChanged> {
	if (dimension.state.kind === 'period')
		throw new Fault(422, 'not possible', 'Periods are made by the calendar. Extend it or rename them there.');
	const changed = await change(dimension, client);
	const { next, hierarchies, objects } =
		'next' in changed ? changed : { next: changed, hierarchies: dimension.hierarchies, objects: [] as const };
	const diffs = diffStates(dimension.state, next);
	if (diffs.length === 0 && objects.length === 0)
		return {
			change: null,
			words: 'Nothing to change.',
			version: dimension.version,
			added: 0,
			changed: 0,
			removed: 0,
			diffs,
			hierarchies: dimension.hierarchies,
			structure: 0
		};
	if (holds) {
		const models = await modelsKnowing(client, dimension.id);
		for (const { id } of models) await waitForLoads(client, id);
		for (const { id } of models) await lockModel(client, id);
	}
	await refuseUsed(client, person, dimension, diffs);
	const moves = await numbersToMove(client, dimension, next, diffs, handOver);
	const both = { ...dimension, hierarchies: [...new Set([...dimension.hierarchies, ...hierarchies])] };
	const began = hierarchies.filter((name) => !dimension.hierarchies.includes(name));
	await client.query('INSERT INTO hierarchy (dimension_id, name, main) SELECT $1, name, false FROM unnest($2::text[]) AS n (name)', [
		dimension.id,
		began
	]);
	const stored = await writeDiff(client, both, diffs);
	await client.query('DELETE FROM hierarchy WHERE dimension_id = $1 AND NOT main AND NOT (name = ANY ($2::text[]))', [
		dimension.id,
		hierarchies
	]);
	const idOfCode = new Map(stored.flatMap(({ after: member }) => (member ? [[member.code, member.id] as const] : [])));
	for (const { from, childCode, childId } of moves)
		await handOverNumbers(
			client,
			person,
			dimension.id,
			from,
			idOfCode.get(childCode) ?? childId,
			`${dimension.state.members.get(from)!.name} got its first child`
		);
	const sentence = words(stored);
	const id = await writeJournal(client, {
		person,
		modelId,
		dimensionId: dimension.id,
		words: sentence,
		objects: [
			...objects,
			...stored.map(({ id: member, before, after: now }) => ({
				kind: 'member' as const,
				id: member,
				name: (now ?? before)!.name,
				before,
				after: now
			}))
		]
	});
	await after?.(client, id);
	const version = await dimensionChanged(client, dimension.id);
	if (mayBreakModels(dimension, diffs)) await refuseBrokenModels(client, dimension.id);
	if (holds && mayMoveFigures(diffs))
		for (const { id: model } of await modelsOf(client, dimension.id)) await guardClosed(client, model, sentence);
	return {
		change: id,
		words: sentence,
		version,
		added: stored.filter(({ before }) => !before).length,
		changed: stored.filter((diff) => diff.before && diff.after).length,
		removed: stored.filter((diff) => !diff.after).length,
		diffs: stored,
		hierarchies,
		structure: await structureVersion(client, modelId)
	};
}

/** Counts a change of a dimension, and of every model it belongs to. @returns the dimension's version */
export async function dimensionChanged(client: pg.PoolClient, dimensionId: number): Promise<number> {
	await countUpStructureOf(client, dimensionId);
	const found = await client.query<{ version: number }>('UPDATE dimension SET version = version + 1 WHERE id = $1 RETURNING version', [
		dimensionId
	]);
	return found.rows[0]!.version;
}

/** Every model of a dimension must still be one. @throws Fault with the core's sentence */
export async function refuseBrokenModels(client: pg.PoolClient, dimensionId: number): Promise<void> {
	for (const { id } of await modelsOf(client, dimensionId)) await refuseBrokenModel(client, id);
}

/** A model must still be one after a change. @throws Fault with the core's sentence */
export async function refuseBrokenModel(client: pg.PoolClient, modelId: number): Promise<void> {
	const definition = await readModelDefinition(client, modelId);
	try {
		if (definition) new Model(definition);
	} catch (error) {
		throw new Fault(422, 'not possible', `This would break ${definition!.name}: ${(error as Error).message}`);
	}
}

/**
 * Whether a change could leave a model that is none: facts of accounts and the like, a second path in an alternate
 * hierarchy, a formula's fixed place that is no leaf any more. A sound tree of a general dimension is proven by its own check.
 */
const mayBreakModels = (dimension: LoadedDimension, diffs: readonly MemberDiff[]): boolean =>
	dimension.hierarchies.length > 0 ||
	diffs.some(
		({ before, after }) =>
			!after ||
			(before && before.parent !== after.parent) ||
			(dimension.state.kind === 'general' ? before?.facts.balance !== after.facts.balance : before?.facts !== after.facts)
	);

/** Whether a change could move figures that are there: a member elsewhere in the tree, with another weight, with other facts. */
const mayMoveFigures = (diffs: readonly MemberDiff[]): boolean =>
	diffs.some(
		({ before, after }) =>
			before && after && (before.parent !== after.parent || before.weight !== after.weight || !isDeepStrictEqual(before.facts, after.facts))
	);

async function refuseUsed(client: pg.PoolClient, person: number, dimension: LoadedDimension, diffs: readonly MemberDiff[]): Promise<void> {
	const removed = diffs.filter(({ after }) => !after);
	if (removed.length === 0) return;
	const used = await usedAmong(
		client,
		dimension.id,
		removed.map(({ id }) => id)
	);
	const first = removed.find(({ id }) => used.has(id));
	if (first)
		throw stillUsed({ member: { id: first.id, name: first.before!.name }, uses: await usesToldTo(client, person, dimension.id, first.id) });
}

/** Leaves with numbers that get their first child, and the child that takes them. */
async function numbersToMove(
	client: pg.PoolClient,
	dimension: LoadedDimension,
	next: DimensionState,
	diffs: readonly MemberDiff[],
	handOver: Readonly<Record<string, string>>
): Promise<{ from: number; childCode: string; childId: number }[]> {
	const hadChildren = new Set([...dimension.state.members.values()].map(({ parent }) => parent));
	const fresh = new Set(
		diffs.flatMap(({ before, after }) => (after && after.parent !== null && before?.parent !== after.parent ? [after.parent] : []))
	);
	const moves: { from: number; childCode: string; childId: number }[] = [];
	for (const parent of fresh) {
		if (hadChildren.has(parent) || parent < 0) continue;
		let numbers = 0;
		for (const { id } of await modelsOf(client, dimension.id)) numbers += await countNumbers(client, id, dimension.id, [parent]);
		if (numbers === 0) continue;
		const children = [...next.members.values()].filter((member) => member.parent === parent);
		const chosen = children.find(({ code }) => code === handOver[parent]);
		if (!chosen)
			throw needsHandOver({
				parent: { id: parent, name: next.members.get(parent)!.name },
				numbers,
				children: children.slice(0, 200).map(({ id, code, name }) => ({ id, code, name }))
			});
		moves.push({ from: parent, childCode: chosen.code, childId: chosen.id });
	}
	return moves;
}
