import { deflateSync, inflateSync } from 'node:zlib';
import { deserialize, serialize } from 'node:v8';
import {
	divide,
	followBack,
	followForward,
	standingOrigins,
	type Cube,
	type Followed,
	type LineTrace,
	type Link,
	type Model
} from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';

/** How the lines of one step were shared out, for keeping. */
export const packTraces = (traces: readonly LineTrace[]): Uint8Array => new Uint8Array(deflateSync(serialize(traces)));

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
	node: TraceNode;
	origins: TracedOrigin[];
	/** The origin (id) one came by: back, that by which it left; forward, that by which it arrived. Null at the beginning. */
	by: number | null;
	/** The part of it that is followed; null for all. */
	amount: number | null;
}

/** Where a part of a figure comes from. */
export interface TraceSource {
	kind: 'entry' | 'load' | 'result' | 'pool' | 'taken out' | 'receiver' | 'stays';
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
	total: number;
	amount: number;
	sources: TraceSource[];
	/** Whether it is a single cell, whose rows in files can be asked for. */
	isCell: boolean;
}

/** Pools that are told of one figure. */
const MOST_SOURCES = 300;
/** Packed traces that are kept at hand. */
const MOST_KEPT = 40;
const kept = new Map<string, LineTrace[]>();

/** Where the amount of a part of the model comes from: what was typed and loaded there, and what steps brought. */
export async function traceBack(engine: ModelEngine, { revision, node, origins, by, amount }: TraceAsk): Promise<TraceBack> {
	await engine.reach(revision);
	const { model, cube } = engine;
	const followed = followedOf(model, node);
	const isLater = new Set(origins.find(({ id }) => id === by)?.from ?? (by === null ? [] : [by]));
	const byOrigin = amountsByOrigin(model, cube, followed, isLater);
	const sources: Omit<TraceSource, 'part'>[] = [];
	for (const [id, total] of byOrigin) {
		const origin = origins.find((each) => each.id === id);
		const links = origin && origin.runs.length > 0 ? await alongTraces(engine, origin, followed, followBack) : [];
		for (const link of links) sources.push(poolSource(model, node, origin!, link));
		const rest = links.reduce((left, link) => left - link.amount, total);
		if (Math.abs(rest) < 1e-6 * Math.max(1, Math.abs(total))) continue;
		const kind =
			links.length > 0 || (origin?.step && origin.mode === 'adds')
				? 'taken out'
				: origin?.mode === 'entry'
					? 'entry'
					: origin?.mode === 'loads'
						? 'load'
						: 'result';
		sources.push({
			kind,
			name: origin?.step ?? origin?.name ?? '',
			line: '',
			where: '',
			amount: rest,
			of: null,
			by: '',
			weight: null,
			weights: null,
			origin: id,
			node: null
		});
	}
	const total = [...byOrigin.values()].reduce((sum, each) => sum + each, 0);
	const told = sources.sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount)).slice(0, MOST_SOURCES);
	const parts = partsOf(
		told.map((source) => source.amount),
		total,
		amount
	);
	const isCell = followed.periods.size === 1 && [...followed.weights.values()].every(({ size }) => size === 1);
	return {
		where: whereOf(model, node),
		total,
		amount: amount ?? total,
		isCell,
		sources: told.map((source, at) => ({ ...source, part: parts[at]! }))
	};
}

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

function followedOf(model: Model, { members, period }: TraceNode): Followed {
	const weights = new Map(
		model.dimensions.map((dimension, axis) => {
			const ordinal = dimension.ordinal(members[axis] ?? -1);
			if (ordinal === undefined) throw new EngineFault('A member of this figure is not there any more.');
			const counted = new Map<number, number>();
			dimension.eachWeightedLeaf(ordinal, (leaf, weight) => weight !== 0 && counted.set(dimension.member(leaf).id, weight));
			return [dimension.id, counted] as const;
		})
	);
	const ordinal = model.periods.dimension.ordinal(period);
	if (ordinal === undefined) throw new EngineFault('The period of this figure is not there any more.');
	const { from, to } = model.periods.range(ordinal);
	const periods = new Set<number>();
	for (let leaf = from; leaf <= to; leaf++) periods.add(model.periods.dimension.member(model.periods.leaf(leaf).ordinal).id);
	return { weights, periods };
}

/** What stands in a part of the model, by origin. O(series of its scenarios). */
function amountsByOrigin(model: Model, cube: Cube, { weights, periods }: Followed, later: ReadonlySet<number>): Map<number, number> {
	const counts = model.dimensions.map(({ id, members }) => Float64Array.from(members, (member) => weights.get(id)!.get(member.id) ?? 0));
	const isFollowed = model.periods.leaves.map(({ ordinal }) => periods.has(model.periods.dimension.member(ordinal).id));
	const amounts = new Map<number, number>();
	const address = new Int32Array(model.dimensions.length);
	for (const { year, block } of cube.store.blocks())
		each: for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			let times = 1;
			for (let axis = 0; axis < address.length; axis++) if ((times *= counts[axis]![address[axis]!]!) === 0) continue each;
			for (let position = 0; position < block.width; position++) {
				const leaf = model.periods.at(year, position)?.index;
				if (leaf === undefined || !isFollowed[leaf]) continue;
				const contributions = cube.contributions(address, year, position).filter(({ origin }) => !later.has(origin));
				const standing = standingOrigins(model, address[model.accountAxis]!, contributions);
				for (const { origin, value } of contributions)
					if (standing.has(origin) && value === value) amounts.set(origin, (amounts.get(origin) ?? 0) + times * value);
			}
		}
	return amounts;
}

/** Follows how a step's origin shared out, by the newest run of each period. */
async function alongTraces<Found>(
	engine: ModelEngine,
	origin: TracedOrigin,
	followed: Followed,
	follow: (trace: LineTrace, followed: Followed) => Found[]
): Promise<Found[]> {
	const open = new Set(followed.periods);
	const found: Found[] = [];
	for (const run of origin.runs) {
		if (open.size === 0) break;
		const traces = await tracesOf(engine, run, origin.id);
		const own = new Set<number>();
		for (const { sharings } of traces) for (const period of sharings.period) if (open.has(period)) own.add(period);
		for (const trace of traces) found.push(...follow(trace, { weights: followed.weights, periods: own }));
		for (const period of own) open.delete(period);
	}
	return found;
}

/** Where the amount of a part of the model went: to the receivers of each step that shared it out, and what stays of it. */
export async function traceForward(engine: ModelEngine, { revision, node, origins, by, amount }: TraceAsk): Promise<TraceBack> {
	await engine.reach(revision);
	const { model, cube } = engine;
	const followed = followedOf(model, node);
	const arrived = origins.find(({ id }) => id === by);
	// Steps above the one it came by had run before.
	const isBefore = (origin: TracedOrigin) => arrived !== undefined && origin.from.includes(arrived.id);
	const targets: TraceSource[] = [];
	let followedOn = 0;
	for (const origin of origins) {
		if (origin.runs.length === 0 || isBefore(origin)) continue;
		const given = await alongTraces(engine, origin, followed, followForward);
		if (given.length === 0) continue;
		// What stood there when the step shared it out: what is followed is part of that.
		const stood = [...amountsByOrigin(model, cube, followed, new Set(origin.from)).values()].reduce((sum, each) => sum + each, 0);
		for (const each of given) {
			const { line, basis, drivers, amount: got } = each;
			const members = membersToday(model, node, each);
			const part = amount === null ? got : stood === 0 ? 0 : (got * amount) / stood;
			followedOn += part;
			targets.push({
				kind: 'receiver',
				name: origin.step ?? origin.name,
				line,
				where: whereOf(model, { members, period: node.period }, node),
				amount: got,
				part,
				of: null,
				by: `${BASES[basis]}${drivers.length > 0 ? ` ${drivers.join(' plus ')}` : ''}`,
				weight: null,
				weights: null,
				origin: origin.id,
				node: { members, period: node.period }
			});
		}
	}
	const total = amount ?? followedOn;
	const told = targets.sort((one, other) => Math.abs(other.part) - Math.abs(one.part)).slice(0, MOST_SOURCES);
	const stays = total - followedOn;
	if (Math.abs(stays) > 0.005)
		told.push({
			kind: 'stays',
			name: '',
			line: '',
			where: '',
			amount: stays,
			part: stays,
			of: null,
			by: '',
			weight: null,
			weights: null,
			origin: 0,
			node: null
		});
	return { where: whereOf(model, node), total, amount: total, isCell: false, sources: told };
}

async function tracesOf({ database }: ModelEngine, run: number, origin: number): Promise<LineTrace[]> {
	const key = `${run} ${origin}`;
	const known = kept.get(key);
	if (known) return known;
	const found = await database.query<{ trace: Buffer }>('SELECT trace FROM run_trace WHERE run_id = $1 AND origin_id = $2', [run, origin]);
	const traces = found.rows[0] ? (deserialize(inflateSync(found.rows[0].trace)) as LineTrace[]) : [];
	kept.set(key, traces);
	for (const oldest of kept.keys()) {
		if (kept.size <= MOST_KEPT) break;
		kept.delete(oldest);
	}
	return traces;
}

/** Members by the dimensions the model has now; on one that it got since, those of what is followed. */
const membersToday = (
	model: Model,
	node: TraceNode,
	{ members, dimensions }: { members: readonly number[]; dimensions: readonly number[] }
): number[] => model.dimensions.map(({ id }, axis) => members[dimensions.indexOf(id)] ?? node.members[axis]!);

const BASES = { even: 'evenly', fixed: 'by fixed shares', driver: 'by', standard: 'at standard for' } as const;

function poolSource(model: Model, node: TraceNode, origin: TracedOrigin, link: Link): Omit<TraceSource, 'part'> {
	const { line, basis, drivers, amount, of, weight, weights } = link;
	const members = membersToday(model, node, link);
	return {
		kind: 'pool',
		name: origin.step ?? origin.name,
		line,
		where: whereOf(model, { members, period: node.period }, node),
		amount,
		of,
		by: `${BASES[basis]}${drivers.length > 0 ? ` ${drivers.join(' plus ')}` : ''}`,
		weight: weight ?? null,
		weights: weights ?? null,
		origin: origin.id,
		node: { members, period: node.period }
	};
}

/** A part of the model in words; where another one is known, only what differs from it. */
function whereOf(model: Model, { members, period }: TraceNode, from?: TraceNode): string {
	const named = model.dimensions.flatMap((dimension, axis) => {
		const ordinal = dimension.ordinal(members[axis]!);
		// A member that was deleted since.
		if (ordinal === undefined) return ['a member that is not there any more'];
		return ordinal === dimension.unassigned || from?.members[axis] === members[axis] ? [] : [dimension.member(ordinal).name];
	});
	const of = from ? undefined : model.periods.dimension.ordinal(period);
	return [...named, ...(of === undefined ? [] : [model.periods.dimension.member(of).name])].join(', ');
}
