import {
	divide,
	FigureTotal,
	followBack,
	followForward,
	isTranslated,
	isValue,
	rateUse,
	Reader,
	standingOrigins,
	translationFactors,
	Translator,
	type BranchLayer,
	type Cube,
	type Followed,
	type FollowedCell,
	type Given,
	type LineTrace,
	type Link,
	type Model
} from '../../../core';
import { toOrdinals } from '../addresses';
import { EngineFault } from '../fault';
import type { BranchVersion } from '../../database/branch-series';
import type { ModelEngine } from '../model-engine';
import { inCopy } from './in-copy';
import { StandingTraces, type PeriodTrace } from './kept-traces';

/** A part of the model that is looked into. */
export interface TraceNode {
	/** Members (ids) in the order of the model's dimensions, and a period (id). */
	members: number[];
	period: number;
}

/** An origin, and the step whose results stand under it. */
export interface TracedOrigin {
	id: number;
	name: string;
	mode: string;
	step: string | null;
	/** The runs (ids) that kept how they shared out under it, the newest first. */
	runs: number[];
	/** Where it is of a step: the origins (ids) of that step and of those beneath it in its runbook. */
	from: number[];
}

export interface TraceAsk {
	revision: number;
	structure: number;
	/** The branch it is looked at in; the plan where none is named. */
	branch?: BranchVersion | undefined;
	node: TraceNode;
	origins: TracedOrigin[];
	/** The origin (id) one came by: back, that by which it left; forward, that by which it arrived. Null at the beginning. */
	by: number | null;
	/** The part of it that is followed; null for all. */
	amount: number | null;
}

/** Where a part of a figure comes from. */
export interface TraceSource {
	kind: 'entry' | 'load' | 'result' | 'live' | 'pool' | 'taken out' | 'receiver' | 'stays';
	/** The origin, or the step. */
	name: string;
	line: string;
	/** Of a pool: where it is. */
	where: string;
	/** What came from there, and what of it belongs to the part that is followed. */
	amount: number;
	part: number;
	/** Of a pool: what it shared out in all, by what. */
	of: number | null;
	by: string;
	weight: number | null;
	weights: number | null;
	/** The origin (id) it came by. */
	origin: number;
	/** Of a pool: where to look next. */
	node: TraceNode | null;
}

export interface TraceBack {
	/** What is looked into, in words. */
	where: string;
	/** All amounts are in it, at the scenario's rates; null for quantities. */
	currency: string | null;
	/** Whether a rate is missing, so that something is left out. */
	incomplete: boolean;
	total: number;
	amount: number;
	sources: TraceSource[];
	/** Whether it is a single cell, whose rows in files can be asked for. */
	isCell: boolean;
}

/** Pools that are told of one figure. */
const MOST_SOURCES = 300;

/** Where the amount of a part of the model comes from: what was typed and loaded there, and what steps brought. */
export async function traceBack(engine: ModelEngine, ask: TraceAsk): Promise<TraceBack> {
	await engine.reach(ask.revision);
	const { layer, kept } = await keptOf(engine, ask);
	return inCopy(engine.cube, layer, () => backFrom(engine, ask, kept));
}

function backFrom(engine: ModelEngine, { node, origins, by, amount }: TraceAsk, kept: KeptOf): TraceBack {
	const { model } = engine;
	const figure = new TracedFigure(engine, node);
	const isLater = new Set(origins.find(({ id }) => id === by)?.from ?? (by === null ? [] : [by]));
	const { amounts, live } = figure.byOrigin(isLater);
	const sources: Omit<TraceSource, 'part'>[] = [];
	for (const [id, total] of amounts) {
		const origin = origins.find((each) => each.id === id);
		const links = origin ? alongTraces(kept, origin, figure.followed, followBack) : [];
		for (const link of links) sources.push(poolSource(model, node, origin!, link));
		const rest = links.reduce((left, link) => left - link.amount, total);
		if (Math.abs(rest) < 1e-6 * Math.max(1, Math.abs(total))) continue;
		sources.push(plainSource(kindOf(origin, links.length > 0), origin?.step ?? origin?.name ?? '', rest, id));
	}
	if (live !== 0) sources.push(plainSource('live', '', live, 0));
	const total = [...amounts.values()].reduce((sum, each) => sum + each, live);
	const told = sources.sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount)).slice(0, MOST_SOURCES);
	const parts = partsOf(
		told.map((source) => source.amount),
		total,
		amount
	);
	return {
		...figure.head(),
		total,
		amount: amount ?? total,
		sources: told.map((source, at) => ({ ...source, part: parts[at]! }))
	};
}

function kindOf(origin: TracedOrigin | undefined, hasLinks: boolean): TraceSource['kind'] {
	if (hasLinks || (origin?.step && origin.mode === 'adds')) return 'taken out';
	return origin?.mode === 'entry' ? 'entry' : origin?.mode === 'loads' ? 'load' : 'result';
}

const plainSource = (kind: TraceSource['kind'], name: string, amount: number, origin: number): Omit<TraceSource, 'part'> => ({
	kind,
	name,
	line: '',
	where: '',
	amount,
	of: null,
	by: '',
	weight: null,
	weights: null,
	origin,
	node: null
});

/** What of each source belongs to the part that is followed; to the cent, where all have one sign. */
function partsOf(amounts: readonly number[], total: number, amount: number | null): number[] {
	if (amount === null || amount === total) return [...amounts];
	const sizes = Float64Array.from(amounts, Math.abs);
	if (total === 0 || sizes.every((size) => size === 0)) return amounts.map(() => 0);
	if (amounts.some((each) => Math.sign(each) !== Math.sign(total))) return amounts.map((each) => (each * amount) / total);
	const parts = new Float64Array(sizes.length);
	divide(amount, sizes, 2, parts);
	return [...parts];
}

/** A figure that is traced: which cells count in it, with what, all in the reporting currency. */
class TracedFigure {
	readonly followed: Followed;
	readonly #model: Model;
	readonly #cube: Cube;
	readonly #node: TraceNode;
	readonly #members: Int32Array;
	readonly #total: FigureTotal;
	readonly #ordinals: ReadonlyMap<number, number>[];
	readonly #leafOf = new Map<number, number>();
	#isIncomplete = false;

	/** @throws EngineFault where a member of it is gone */
	constructor({ model, cube }: ModelEngine, node: TraceNode) {
		this.#model = model;
		this.#cube = cube;
		this.#node = node;
		const members = toOrdinals(model, node.members);
		const period = model.periods.dimension.ordinal(node.period);
		if (!members || node.members.length !== model.dimensions.length || period === undefined)
			throw new EngineFault('A member of this figure is not there any more.');
		this.#members = members;
		const range = model.periods.range(period);
		this.#total = new FigureTotal(
			new Reader(cube),
			{ members, range },
			new Translator(model, model.definition.reportingCurrency, undefined)
		);
		const weights = model.dimensions.map((dimension, axis) => {
			const counted = new Map<number, number>();
			dimension.eachWeightedLeaf(members[axis]!, (leaf, weight) => weight !== 0 && counted.set(dimension.member(leaf).id, weight));
			return counted;
		});
		this.#ordinals = model.dimensions.map(({ members: all }) => new Map(all.map(({ id }, ordinal) => [id, ordinal])));
		for (let leaf = range.from; leaf <= range.to; leaf++)
			this.#leafOf.set(model.periods.dimension.member(model.periods.leaf(leaf).ordinal).id, leaf);
		this.followed = {
			weights: new Map(model.dimensions.map(({ id }, axis) => [id, weights[axis]!])),
			periods: new Set(this.#leafOf.keys()),
			unit: (cell) => this.#unit(cell, weights)
		};
	}

	head(): Pick<TraceBack, 'where' | 'currency' | 'incomplete' | 'isCell'> {
		const { weights, periods } = this.followed;
		const accounts = weights.get(this.#model.accounts.id)!;
		const isMoney = [...accounts.keys()].some((id) => {
			const facts = this.#model.account(this.#model.accounts.ordinal(id)!);
			return facts !== undefined && isTranslated(facts);
		});
		return {
			where: whereOf(this.#model, this.#node),
			currency: isMoney ? this.#model.definition.reportingCurrency : null,
			incomplete: this.#isIncomplete,
			isCell: periods.size === 1 && [...weights.values()].every(({ size }) => size === 1)
		};
	}

	/** What stands in it, by origin, and what live formulas compute. O(series of the cube). @param later origins that do not count */
	byOrigin(later: ReadonlySet<number>): { amounts: Map<number, number>; live: number } {
		const model = this.#model;
		const { store } = this.#cube;
		const isHere = model.dimensions.map((dimension, axis) => {
			const found = new Uint8Array(dimension.members.length);
			dimension.eachWeightedLeaf(this.#members[axis]!, (leaf, weight) => weight !== 0 && (found[leaf] = 1));
			return found;
		});
		const amounts = new Map<number, number>();
		const address = new Int32Array(model.dimensions.length);
		for (const { year, block } of store.blocks())
			for (let series = 0; series < block.count; series++) {
				block.readAddress(series, address);
				if (isHere.some((found, axis) => found[address[axis]!] === 0)) continue;
				for (let position = 0; position < block.width; position++) {
					const weight = this.#weight(address, year, position);
					if (weight === 0) continue;
					const contributions = this.#cube.contributions(address, year, position).filter(({ origin }) => !later.has(origin));
					const standing = standingOrigins(model, address[model.accountAxis]!, contributions);
					for (const { origin, value } of contributions)
						if (standing.has(origin) && isValue(value)) amounts.set(origin, (amounts.get(origin) ?? 0) + weight * value);
				}
			}
		return { amounts, live: this.#total.live() };
	}

	/** What a stored cell counts with, its currency included; 0 where it does not, or a formula computes it. */
	#weight(address: Int32Array, year: number, position: number): number {
		const model = this.#model;
		const leaf = model.periods.at(year, position)?.index;
		if (leaf === undefined || model.live.hides(address[model.accountAxis]!, address[model.scenarioAxis]!, leaf)) return 0;
		const weight = this.#total.weight(address, year, position);
		return weight === 0 ? 0 : weight * this.#known(this.#total.rate(address, year, position));
	}

	/** A rate, 0 where it is missing: what lacks one is left out, and said. */
	#known(rate: number): number {
		if (isValue(rate)) return rate;
		this.#isIncomplete = true;
		return 0;
	}

	/** What a unit at a cell of a trace comes to, its weights apart. */
	#unit({ members, dimensions, period, currency }: FollowedCell, weights: readonly ReadonlyMap<number, number>[]): number {
		const model = this.#model;
		const leaf = this.#leafOf.get(period);
		if (leaf === undefined) return 0;
		const address = new Int32Array(model.dimensions.length);
		let product = 1;
		for (const [axis, { id }] of model.dimensions.entries()) {
			const at = dimensions.indexOf(id);
			// Of a dimension that the model got since, or a member that is gone, any that counts stands for it.
			const member = at >= 0 && weights[axis]!.has(members[at]!) ? members[at]! : weights[axis]!.keys().next().value!;
			address[axis] = this.#ordinals[axis]!.get(member)!;
			product *= weights[axis]!.get(member)!;
		}
		const { fiscalYear, position } = model.periods.leaf(leaf);
		const weight = this.#total.weight(address, fiscalYear, position);
		if (weight === 0) return 0;
		const rate = currency === null ? this.#total.rate(address, fiscalYear, position) : this.#between(address, leaf, currency);
		return (weight / product) * this.#known(rate);
	}

	/** What one unit of a currency is worth in the reporting one, as the account at an address is translated. */
	#between(address: Int32Array, leaf: number, currency: string): number {
		const model = this.#model;
		const facts = model.account(address[model.accountAxis]!);
		if (!facts || !isTranslated(facts) || currency === model.definition.reportingCurrency) return 1;
		const scenario = address[model.scenarioAxis]!;
		const setAt = (at: number) => model.rateSetAt(scenario, at);
		return translationFactors(model, currency, model.definition.reportingCurrency, setAt, rateUse(facts))[leaf]!;
	}
}

/** By origin (id) how it shared out, by the newest run of each period whose results stand. */
type KeptOf = ReadonlyMap<number, PeriodTrace[]>;

/** What was kept of the origins in the periods of a figure, and the branch they are looked at in. */
async function keptOf(engine: ModelEngine, { branch, node, origins }: TraceAsk): Promise<{ layer: BranchLayer | undefined; kept: KeptOf }> {
	const { model, cube } = engine;
	const layer = branch && (await engine.branchOf(branch));
	const standing = inCopy(cube, layer, () => new StandingTraces(engine, origins));
	const period = model.periods.dimension.ordinal(node.period);
	const kept = new Map<number, PeriodTrace[]>();
	if (period === undefined) return { layer, kept };
	const { from, to } = model.periods.range(period);
	const within = new Set<number>();
	for (let leaf = from; leaf <= to; leaf++) within.add(model.periods.dimension.member(model.periods.leaf(leaf).ordinal).id);
	for (const origin of origins) if (origin.runs.length > 0) kept.set(origin.id, await standing.of(origin, within));
	return { layer, kept };
}

const alongTraces = <Found>(
	kept: KeptOf,
	origin: TracedOrigin,
	followed: Followed,
	follow: (trace: LineTrace, followed: Followed) => Found[]
): Found[] => (kept.get(origin.id) ?? []).flatMap(({ trace, periods }) => follow(trace, { ...followed, periods }));

/** Where the amount of a part of the model went: to the receivers of each step that shared it out, and what stays of it. */
export async function traceForward(engine: ModelEngine, ask: TraceAsk): Promise<TraceBack> {
	await engine.reach(ask.revision);
	const { layer, kept } = await keptOf(engine, ask);
	return inCopy(engine.cube, layer, () => forwardFrom(engine, ask, kept));
}

function forwardFrom(engine: ModelEngine, { node, origins, by, amount }: TraceAsk, kept: KeptOf): TraceBack {
	const { model } = engine;
	const figure = new TracedFigure(engine, node);
	const arrived = origins.find(({ id }) => id === by);
	// Steps above the one it came by had run before.
	const isBefore = (origin: TracedOrigin) => arrived !== undefined && origin.from.includes(arrived.id);
	const targets: TraceSource[] = [];
	let followedOn = 0;
	for (const origin of origins) {
		if (origin.runs.length === 0 || isBefore(origin)) continue;
		const given = alongTraces(kept, origin, figure.followed, followForward);
		if (given.length === 0) continue;
		// What stood there when the step shared it out: what is followed is part of that.
		const { amounts, live } = figure.byOrigin(new Set(origin.from));
		const stood = [...amounts.values()].reduce((sum, each) => sum + each, live);
		for (const each of given) {
			const part = amount === null ? each.amount : stood === 0 ? 0 : (each.amount * amount) / stood;
			followedOn += part;
			targets.push({ ...cellSource('receiver', model, node, origin, each), part });
		}
	}
	const total = amount ?? followedOn;
	const told = targets.sort((one, other) => Math.abs(other.part) - Math.abs(one.part)).slice(0, MOST_SOURCES);
	const stays = total - followedOn;
	if (Math.abs(stays) > 0.005) told.push({ ...plainSource('stays', '', stays, 0), part: stays });
	return { ...figure.head(), total, amount: total, isCell: false, sources: told };
}

/** Members by the dimensions the model has now; on one that it got since, those of what is followed. */
const membersToday = (
	model: Model,
	node: TraceNode,
	{ members, dimensions }: { members: readonly number[]; dimensions: readonly number[] }
): number[] => model.dimensions.map(({ id }, axis) => members[dimensions.indexOf(id)] ?? node.members[axis]!);

const BASES = { even: 'evenly', fixed: 'by fixed shares', driver: 'by', standard: 'at standard for' } as const;

const poolSource = (model: Model, node: TraceNode, origin: TracedOrigin, link: Link): Omit<TraceSource, 'part'> => ({
	...cellSource('pool', model, node, origin, link),
	of: link.of,
	weight: link.weight ?? null,
	weights: link.weights ?? null
});

/** A cell that a step's sharing out leads to, to be looked into next. */
function cellSource(
	kind: 'pool' | 'receiver',
	model: Model,
	node: TraceNode,
	origin: TracedOrigin,
	cell: Given
): Omit<TraceSource, 'part'> {
	const { line, basis, drivers, amount } = cell;
	const next = { members: membersToday(model, node, cell), period: node.period };
	return {
		...plainSource(kind, origin.step ?? origin.name, amount, origin.id),
		line,
		where: whereOf(model, next, node),
		by: `${BASES[basis]}${drivers.length > 0 ? ` ${drivers.join(' plus ')}` : ''}`,
		node: next
	};
}

/** A part of the model in words; where another one is known, only what differs from it. */
export function whereOf(model: Model, { members, period }: TraceNode, from?: TraceNode): string {
	const named = model.dimensions.flatMap((dimension, axis) => {
		const ordinal = dimension.ordinal(members[axis]!);
		// A member that was deleted since.
		if (ordinal === undefined) return ['a member that is not there any more'];
		return ordinal === dimension.unassigned || from?.members[axis] === members[axis] ? [] : [dimension.member(ordinal).name];
	});
	const of = from ? undefined : model.periods.dimension.ordinal(period);
	return [...named, ...(of === undefined ? [] : [model.periods.dimension.member(of).name])].join(', ');
}
