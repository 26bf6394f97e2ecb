import { z } from 'zod';
import { Dimension, Model, type DimensionDefinition, type ModelDefinition } from '../../core';
import type { Database } from '../database';
import { readDimensionDefinition } from '../database/definitions';
import { Fault } from '../fault';

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

/** Codes of members that are made from texts. */
const LONGEST_CODE = 40;
const MOST_MADE = 5_000;

/** A dimension to be added, and at which of its members each figure goes. */
export interface AxisPlan {
	name: string;
	/** The dimension as it is, or the members it is made with. */
	known: Dimension | undefined;
	leaves: { code: string; name: string }[];
	/** The dimension that decides, and by its members (ids) the code they go to. */
	by: { definition: DimensionDefinition; goes: Map<number, string> } | undefined;
	otherwise: string;
	rest: string[];
}

/** What was wanted, made ready. @throws Fault with a sentence where it cannot be added so */
export async function planOf(database: Database, definition: ModelDefinition, wanted: DimensionToAdd): Promise<AxisPlan> {
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
export function nameOf({ name, known, leaves }: AxisPlan, wanted: string): string {
	if (known) return known.member(known.ordinalOfCode(wanted)!).name;
	const made = leaves.find((leaf) => leaf.code === wanted);
	return made?.name ?? (wanted === 'ALL' ? `All: ${name}` : `No ${name.toLowerCase()}`);
}

/** The member at which forms show the dimension: where all figures are, or the top above them. */
export function shownAt(plan: AxisPlan): string {
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
	const counts = new Map<number, number>();
	plan.known.eachWeightedLeaf(top, (leaf, weight) => counts.set(leaf, weight));
	const other = targets.find((each) => counts.get(each) !== 1);
	if (other !== undefined)
		throw new Fault(
			422,
			'not possible',
			`${plan.known.member(other).name} does not simply add to ${plan.known.member(top).name}: totals would be others. Let its weight be 1 first.`
		);
	return plan.known.member(top).code;
}
