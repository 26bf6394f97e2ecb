/** Dimensions that take attributes, hierarchies and members from a package. */
import { mergeMembers, type DimensionState } from '../../core';
import { lockDimensions } from '../database/locks';
import type { JournalObject } from '../definition/journal';
import { writeJournal } from '../definition/journal';
import type { Difference } from '../definition/package-differences';
import type { ModelPackage, PackedDimension } from '../definition/package-format';
import { Fault } from '../fault';
import { changeDimension, dimensionChanged, type HandOverChoice } from '../structure/act';
import { attributeSchema, storeAttribute } from '../structure/attributes';
import { startDimension } from '../structure/new-model';
import { readDimension, type LoadedDimension } from '../structure/read-state';
import { activePeople, withoutLost } from './known-people';
import type { TakingOver } from './taking-over';

/** A leaf with numbers that gets its first children, by codes: who takes them is to be said. */
export interface NumbersBelow {
	dimension: string;
	parent: { code: string; name: string };
	numbers: number;
	children: { code: string; name: string }[];
}

/** Takes over everything chosen of one dimension, or of a list of choices. */
export async function takeOverDimension(taking: TakingOver, key: string, differences: readonly Difference[]): Promise<void> {
	const { packed, client, modelId, scene } = taking;
	const theirs = [...packed.dimensions, ...packed.lists].find((dimension) => dimension.key === key)!;
	const known = scene.dimensions.get(key);
	if (!known) throw new Fault(422, 'not possible', `The list ${theirs.name} is not here: take that over too.`);
	if (theirs.kind === 'period') return renamePeriods(taking, theirs, differences);
	const of = (what: Difference['what']) => differences.filter((difference) => difference.what === what);
	const first = await readDimension(client, modelId, known.code, true);
	const objects: JournalObject[] = [];
	for (const { id, name } of of('attribute'))
		await taking.attempt([id], async () => {
			const wanted = attributeSchema.safeParse(theirs.attributes.find((attribute) => attribute.name === name));
			if (!wanted.success) throw new Fault(422, 'not understood', `The attribute ${name} does not keep its format.`);
			const stored = await storeAttribute(client, first, wanted.data);
			objects.push({ kind: 'attribute', id: stored.id, name, before: stored.before ?? null, after: wanted.data });
		});
	for (const { id, name } of of('hierarchy'))
		await taking.attempt([id], async () => {
			const stored = await client.query<{ id: number }>(
				'INSERT INTO hierarchy (dimension_id, name, main) VALUES ($1, $2, false) RETURNING id',
				[first.id, name]
			);
			objects.push({ kind: 'hierarchy', id: stored.rows[0]!.id, name, before: null, after: { name } });
		});
	if (objects.length > 0) {
		await writeJournal(client, {
			person: taking.person.id,
			modelId,
			dimensionId: first.id,
			words: `Took ${objects.map(({ kind, name }) => `the ${kind} “${name}”`).join(', ')} from the package “${packed.model.name}”`,
			objects
		});
		await dimensionChanged(client, first.id);
	}
	const members = of('member');
	if (members.length > 0) await takeOverMembers(taking, theirs, known.code, members);
}

async function takeOverMembers(
	taking: TakingOver,
	theirs: PackedDimension,
	code: string,
	differences: readonly Difference[]
): Promise<void> {
	const { client, modelId, packed } = taking;
	const loaded = await readDimension(client, modelId, code, true);
	const refuse = (member: string, message: string, more?: NumbersBelow) =>
		taking.refuse(differences.find(({ name }) => name === member)?.id ?? differences[0]!.id, message, more);
	const merged = await mergedState(taking, theirs, loaded, differences);
	if ('faults' in merged) {
		for (const fault of merged.faults) refuse(fault.code, fault.message);
		return;
	}
	try {
		await taking.within(() =>
			changeDimension(
				client,
				taking.person.id,
				modelId,
				loaded,
				{
					words: (diffs) =>
						`Took ${diffs.length === 1 ? 'one member' : `${diffs.length} members`} of “${theirs.name}” from the package “${packed.model.name}”`,
					change: () => merged.next,
					handOver: handOverHere(loaded, taking.wanted.handOver[theirs.key])
				},
				taking.holds
			)
		);
	} catch (error) {
		if (!(error instanceof Fault)) throw error;
		const choice = error.code === 'numbers below' ? (error.details as HandOverChoice) : undefined;
		const parent = choice && merged.next.members.get(choice.parent.id)!;
		refuse(
			choice?.children[0]?.code ?? '',
			error.message,
			choice && {
				dimension: theirs.key,
				parent: { code: parent!.code, name: parent!.name },
				numbers: choice.numbers,
				children: choice.children.map((child) => ({ code: child.code, name: child.name }))
			}
		);
	}
}

async function mergedState(
	taking: TakingOver,
	theirs: PackedDimension,
	loaded: LoadedDimension,
	differences: readonly Difference[]
): Promise<ReturnType<typeof mergeMembers> & { next?: DimensionState }> {
	const chosen = (kinds: readonly Difference['kind'][]) =>
		new Set(differences.filter(({ kind }) => kinds.includes(kind)).map(({ name }) => name));
	const taken = chosen(['added', 'changed']);
	const people = await activePeople(taking.client);
	const others = theirs.members.map((member) =>
		taken.has(member.code) ? { ...member, facts: factsHere(taking, withoutLost(member.facts, people, taking.lostPeople)) } : member
	);
	// What arrives together may name one another.
	const { lookups } = loaded;
	const withArriving = loaded.state.kind === 'account' ? { ...lookups, accounts: new Set([...lookups.accounts, ...taken]) } : lookups;
	return mergeMembers(loaded.state, others, { members: taken, retire: chosen(['missing']) }, loaded.hierarchies, withArriving);
}

/** A dimension that choices come from has a key in the package and a code here. */
function factsHere({ scene }: TakingOver, facts: Readonly<Record<string, string | number | boolean>>) {
	const { choiceDimension } = facts;
	if (typeof choiceDimension !== 'string') return facts;
	return { ...facts, choiceDimension: scene.dimensions.get(choiceDimension)?.code ?? choiceDimension };
}

/** Who takes numbers, by the parent's id instead of its code. */
function handOverHere({ state }: LoadedDimension, byCode: Readonly<Record<string, string>> = {}): Record<string, string> {
	const idOf = new Map([...state.members.values()].map(({ code, id }) => [code, id]));
	return Object.fromEntries(
		Object.entries(byCode).flatMap(([parent, child]) => {
			const id = idOf.get(parent);
			return id === undefined ? [] : [[String(id), child]];
		})
	);
}

async function renamePeriods(taking: TakingOver, theirs: PackedDimension, differences: readonly Difference[]): Promise<void> {
	const { client, modelId, packed, scene } = taking;
	const { id: dimension, ids } = scene.dimensions.get(theirs.key)!;
	const objects: JournalObject[] = [];
	for (const { name: code } of differences.filter(({ what }) => what === 'member')) {
		const { name } = theirs.members.find((member) => member.code === code)!;
		const id = ids.get(code)!;
		const before = await client.query<{ name: string }>('SELECT name FROM member WHERE id = $1 FOR UPDATE', [id]);
		await client.query('UPDATE member SET name = $2 WHERE id = $1', [id, name]);
		objects.push({ kind: 'calendar', id, name, before: before.rows[0]!, after: { name } });
	}
	if (objects.length === 0) return;
	await writeJournal(client, {
		person: taking.person.id,
		modelId,
		dimensionId: dimension,
		words: `Took the names of ${objects.length === 1 ? 'a period' : `${objects.length} periods`} from the package “${packed.model.name}”`,
		objects
	});
	await dimensionChanged(client, dimension);
}

/** Makes a list of choices of the package, still without choices: they are taken over like members. */
export async function startList({ client, modelId }: TakingOver, { name }: PackedDimension): Promise<{ id: number; code: string }> {
	const made = await startDimension(client, name, 'general', []);
	await client.query('INSERT INTO choice_list (dimension_id, model_id) VALUES ($1, $2)', [made.id, modelId]);
	await lockDimensions(client, [made.code]);
	return made;
}

/** All of a list that is not here yet, as differences of its own. */
export const wholeOf = ({ key, hierarchies, attributes, members }: ModelPackage['lists'][number], part: string): Difference[] =>
	(
		[
			['attribute', attributes.map(({ name }) => name)],
			['hierarchy', hierarchies],
			['member', members.map(({ code }) => code)]
		] as const
	).flatMap(([what, names]) =>
		names.map((name): Difference => ({ id: `list of choices||${key}`, part, what, of: key, name, kind: 'added', change: '' }))
	);
