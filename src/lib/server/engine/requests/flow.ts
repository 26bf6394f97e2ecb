import {
	flowOf,
	isTranslated,
	periodWeight,
	rateUse,
	translationFactors,
	type FlowLink,
	type FlowNode,
	type FollowedCell,
	type LineTrace,
	type Model
} from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';
import { StandingTraces, type PeriodTrace } from './kept-traces';
import type { TraceNode } from './trace';

/** A step whose results are shown, or several that were solved together. */
export interface FlowStep {
	name: string;
	/** By origin (id) of its results: the runs (ids) that kept how it shared out, the newest first. */
	origins: { id: number; runs: number[] }[];
}

export interface FlowAsk {
	revision: number;
	structure: number;
	steps: FlowStep[];
	/** A period (id), of a leaf or a year; null for the first year there is. */
	period: number | null;
	/** By dimension (id) on which nothing changes: the member (id) that is looked at. */
	slice: Record<number, number>;
}

/** A place in the picture. */
export interface PictureNode extends Omit<FlowNode, 'members' | 'shown'> {
	name: string;
	/** The figure that stands for it, to be traced; null where no member of the model is just that. */
	figure: TraceNode | null;
}

/** How amounts flowed through the steps of a runbook. */
export interface FlowPicture {
	nodes: PictureNode[];
	links: FlowLink[];
	/** The names of the stages, from the first. */
	stages: string[];
	period: number;
	periods: { id: number; name: string }[];
	/** Dimensions on which nothing changes, with the members one can look at. */
	slice: { dimension: number; name: string; member: number; members: { id: number; name: string; depth: number }[] }[];
	/** All amounts are in it, at the scenarios' rates; null for quantities. */
	currency: string | null;
	/** Whether a rate is missing, so that something is left out. */
	incomplete: boolean;
}

/** Places that are told apart in each stage. */
const MOST_NODES = 12;

/** How what the steps share out flows, as it stands now: by the newest run of each step and period. */
export async function flow(engine: ModelEngine, ask: FlowAsk): Promise<FlowPicture> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const standing = new StandingTraces(
		engine,
		ask.steps.flatMap(({ origins }) => origins)
	);
	const stages: { step: string; traces: PeriodTrace[] }[] = [];
	for (const { name, origins } of ask.steps) {
		const traces: PeriodTrace[] = [];
		for (const origin of origins) traces.push(...(await standing.of(origin)));
		if (traces.length > 0) stages.push({ step: name, traces });
	}
	const all = stages.flatMap(({ traces }) => traces);
	if (all.length === 0) throw new EngineFault('Nothing has been shared out yet. Run the runbook first.');
	const periods = periodsOf(model, all);
	const period = periods.find(({ id }) => id === ask.period) ?? periods[0];
	if (!period) throw new EngineFault('The periods it was shared out in are not there any more.');
	const changed = new Set(all.flatMap(({ trace }) => trace.changed));
	const slice = sliceOf(
		model,
		all.map(({ trace }) => trace),
		changed,
		ask.slice
	);
	const leaves = model.periods.range(model.periods.dimension.ordinal(period.id)!);
	const counted = new CountedCells(model, slice, leaves);
	const within = new Set<number>();
	for (let leaf = leaves.from; leaf <= leaves.to; leaf++) within.add(periodId(model, leaf));
	const { nodes, links } = flowOf(
		stages.map(({ step, traces }) => ({
			step,
			traces: traces.map(({ trace, periods: own }) => ({ trace, periods: new Set([...own].filter((each) => within.has(each))) }))
		})),
		(cell) => counted.unit(cell),
		MOST_NODES
	);
	return {
		nodes: nodes.map(({ members, shown, ...node }) => ({
			...node,
			name: nameOf(model, shown, node.count),
			figure: figureOf(model, members, slice, period.id)
		})),
		links,
		stages: stages.map(({ step }) => step),
		period: period.id,
		periods,
		slice,
		currency: counted.hasMoney ? model.definition.reportingCurrency : null,
		incomplete: counted.isIncomplete
	};
}

const periodId = (model: Model, leaf: number): number => model.periods.dimension.member(model.periods.leaf(leaf).ordinal).id;

/** Years first, then the leaf periods in which something was shared out. */
function periodsOf(model: Model, traces: readonly PeriodTrace[]): { id: number; name: string }[] {
	const { dimension } = model.periods;
	const shared = new Set(traces.flatMap(({ periods }) => [...periods]));
	const leaves = model.periods.leaves.flatMap(({ ordinal, fiscalYear }) =>
		shared.has(dimension.member(ordinal).id) ? [{ ordinal, fiscalYear }] : []
	);
	const years = new Set<number>();
	for (const { ordinal } of leaves) for (const above of dimension.tree.ancestors(ordinal)) years.add(above);
	return [...[...years].sort((one, other) => one - other), ...leaves.map(({ ordinal }) => ordinal)].map((ordinal) => {
		const { id, name } = dimension.member(ordinal);
		return { id, name };
	});
}

/** Of each dimension on which nothing changes: the member that is looked at, as asked or as it holds most. */
function sliceOf(
	model: Model,
	traces: readonly LineTrace[],
	changed: ReadonlySet<number>,
	asked: Readonly<Record<number, number>>
): FlowPicture['slice'] {
	return model.dimensions.flatMap((dimension, axis) => {
		if (changed.has(dimension.id)) return [];
		const found = new Set<number>();
		for (const { dimensions, cells } of traces) {
			const at = dimensions.indexOf(dimension.id);
			for (let cell = 0; at >= 0 && cell < cells.group.length; cell++) found.add(cells.members[cell * dimensions.length + at]!);
		}
		const leaves = [...found].flatMap((id) => dimension.ordinal(id) ?? []);
		if (leaves.length === 0) return [];
		const shown = new Set(leaves.flatMap((leaf) => [leaf, ...dimension.tree.ancestors(leaf)]));
		// Scenarios are no parts of one another.
		const members = [...shown].filter((ordinal) => axis !== model.scenarioAxis || dimension.isLeaf(ordinal));
		const depth = (ordinal: number) => dimension.tree.ancestors(ordinal).length;
		const pick = dimension.ordinal(asked[dimension.id] ?? -1);
		const common = commonOf(dimension, new Set(leaves));
		const member = pick !== undefined && members.includes(pick) ? pick : axis === model.scenarioAxis ? leaves[0]! : (common ?? leaves[0]!);
		return [
			{
				dimension: dimension.id,
				name: model.definition.dimensions.find(({ id }) => id === dimension.id)!.name,
				member: dimension.member(member).id,
				members: inOrder(dimension, members).map((ordinal) => ({
					id: dimension.member(ordinal).id,
					name: dimension.member(ordinal).name,
					depth: depth(ordinal)
				}))
			}
		];
	});
}

/** Members as their hierarchy has them. */
function inOrder(dimension: Model['dimensions'][number], ordinals: readonly number[]): number[] {
	const wanted = new Set(ordinals);
	const ordered: number[] = [];
	const walk = (ordinal: number) => {
		if (wanted.has(ordinal)) ordered.push(ordinal);
		for (const child of dimension.tree.children(ordinal)) walk(child);
	};
	for (const root of dimension.tree.roots()) walk(root);
	return [...new Set(ordered)];
}

/** The lowest member that has all of some leaves beneath it, or is the only one; undefined where there is none. */
function commonOf(dimension: Model['dimensions'][number], leaves: ReadonlySet<number>): number | undefined {
	const [first, ...others] = leaves;
	if (first === undefined) return undefined;
	const chains = others.map((leaf) => new Set([leaf, ...dimension.tree.ancestors(leaf)]));
	return [first, ...dimension.tree.ancestors(first)].find((each) => chains.every((chain) => chain.has(each)));
}

function nameOf(model: Model, shown: FlowNode['shown'], count: number): string {
	if (shown.length === 0) return `${count} others`;
	const names = shown.flatMap(({ dimension, member }) => {
		const own = model.dimension(dimension);
		const ordinal = own?.ordinal(member);
		if (own && ordinal === own.unassigned) return [];
		return [ordinal === undefined ? 'a member that is not there any more' : own!.member(ordinal).name];
	});
	return names.join(', ') || 'not assigned';
}

/** The figure of a place: the members that have just its cells beneath them; null where there are none such. */
function figureOf(model: Model, members: FlowNode['members'], slice: FlowPicture['slice'], period: number): TraceNode | null {
	const found: number[] = [];
	for (const dimension of model.dimensions) {
		const looked = slice.find((each) => each.dimension === dimension.id)?.member;
		if (looked !== undefined) {
			found.push(looked);
			continue;
		}
		const ordinals = [...(members.get(dimension.id) ?? [])].map((id) => dimension.ordinal(id));
		if (ordinals.includes(undefined)) return null;
		const common = commonOf(dimension, new Set(ordinals as number[]));
		if (common === undefined) return null;
		found.push(dimension.member(common).id);
	}
	return { members: found, period };
}

/** What cells count for: by the members that are looked at, their account's behaviour over time, and the rate of their currency. */
class CountedCells {
	isIncomplete = false;
	hasMoney = false;
	readonly #model: Model;
	readonly #range: { from: number; to: number };
	readonly #weights: ReadonlyMap<number, ReadonlyMap<number, number>>;
	readonly #leafOf: ReadonlyMap<number, number>;

	constructor(model: Model, slice: FlowPicture['slice'], range: { from: number; to: number }) {
		this.#model = model;
		this.#range = range;
		this.#weights = new Map(
			slice.map(({ dimension: id, member }) => {
				const dimension = model.dimension(id)!;
				const counted = new Map<number, number>();
				dimension.eachWeightedLeaf(dimension.ordinal(member)!, (leaf, weight) => counted.set(dimension.member(leaf).id, weight));
				return [id, counted];
			})
		);
		this.#leafOf = new Map(model.periods.leaves.map((_, leaf) => [periodId(model, leaf), leaf]));
	}

	unit({ members, dimensions, period, currency }: FollowedCell): number {
		const model = this.#model;
		const leaf = this.#leafOf.get(period);
		if (leaf === undefined) return 0;
		let weight = 1;
		for (const [dimension, counted] of this.#weights) {
			const at = dimensions.indexOf(dimension);
			if (at >= 0) weight *= counted.get(members[at]!) ?? 0;
		}
		if (weight === 0) return 0;
		const ordinalAt = (axis: number): number | undefined => {
			const dimension = model.dimensions[axis];
			const at = dimension ? dimensions.indexOf(dimension.id) : -1;
			return at < 0 ? undefined : dimension!.ordinal(members[at]!);
		};
		const account = ordinalAt(model.accountAxis);
		const facts = account === undefined ? undefined : model.account(account);
		const scenario = ordinalAt(model.scenarioAxis);
		const span = scenario === undefined ? undefined : model.scenario(scenario)?.span;
		weight *= periodWeight(facts?.timeBehaviour ?? 'flow', leaf, {
			from: Math.max(this.#range.from, span?.from ?? 0),
			to: Math.min(this.#range.to, span?.to ?? this.#range.to)
		});
		if (weight === 0) return 0;
		if (!facts || !isTranslated(facts)) return weight;
		this.hasMoney = true;
		const { reportingCurrency } = model.definition;
		const entity = ordinalAt(model.entityAxis);
		const local = currency ?? (entity === undefined ? reportingCurrency : model.currencyOf(entity));
		if (local === reportingCurrency) return weight;
		const rate =
			scenario === undefined
				? Number.NaN
				: translationFactors(model, local, reportingCurrency, (at) => model.rateSetAt(scenario, at), rateUse(facts))[leaf]!;
		if (rate === rate) return weight * rate;
		this.isIncomplete = true;
		return 0;
	}
}
