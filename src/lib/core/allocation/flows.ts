import { LuDecomposition, Matrix } from 'ml-matrix';

/** Nodes that pass parts of what they hold on to one another. */
export class Flows {
	/** By node: to whom, and which part of what it holds. */
	readonly next: Map<number, number>[] = [];

	add(from: number, to: number, part: number): void {
		const own = (this.next[from] ??= new Map());
		own.set(to, (own.get(to) ?? 0) + part);
	}
}

/** Nodes that serve one another. */
export interface Ring {
	/** Nodes one after another, the first once. */
	path: number[];
	/** What of an amount that leaves the first never comes back to it, 0 to 1: the least of all its nodes. */
	wayOut: number;
}

export interface SolvedFlows {
	/** By node: its own and all that comes to it, however often it went round. */
	gross: Float64Array;
	rings: Ring[];
	/** By node: what of its gross began at which node. */
	firsts: ReadonlyMap<number, number>[] | undefined;
}

/** A ring in which what comes in goes round for ever, or which is too large. */
export class RingFault extends Error {
	constructor(
		readonly why: 'no way out' | 'too large',
		readonly path: number[]
	) {
		super(why);
	}
}

/** A way out below this is binary dust. */
const NONE = 1e-9;
/** Most nodes of one ring: its matrix has their square. */
const MOST_NODES = 1_000;

/**
 * What each node passes on in all, when all pass parts of what they hold at once: gross = own + Σ parts of the gross of
 * others. Rings (Tarjan's strongly connected components) are solved one after another in the order in which they feed each
 * other, each by LU decomposition with partial pivoting; what stands in no ring is a sum. O(nodes + parts + Σ ring³).
 * @param own what begins at each node
 * @param wantsFirsts whether it is wanted where what passes began
 * @throws RingFault
 */
export function solveFlows(own: Float64Array, { next }: Flows, wantsFirsts: boolean, breathe: () => void): SolvedFlows {
	const gross = own.slice();
	const firsts = wantsFirsts ? Array.from(own, (amount, node) => new Map<number, number>(amount === 0 ? [] : [[node, amount]])) : undefined;
	const rings: Ring[] = [];
	for (const component of componentsOf(own.length, next).reverse()) {
		breathe();
		const [only] = component;
		if (component.length > 1 || next[only!]?.has(only!)) rings.push(solveRing(component, next, gross, firsts));
		const within = new Set(component);
		for (const node of component)
			for (const [to, part] of next[node] ?? []) {
				if (within.has(to)) continue;
				gross[to]! += part * gross[node]!;
				if (firsts) for (const [first, amount] of firsts[node]!) addTo(firsts[to]!, first, part * amount);
			}
	}
	return { gross, rings, firsts };
}

/** Solves one ring: what came in so far becomes what passes in all. */
function solveRing(
	ring: readonly number[],
	next: readonly (ReadonlyMap<number, number> | undefined)[],
	gross: Float64Array,
	firsts: Map<number, number>[] | undefined
): Ring {
	const size = ring.length;
	if (size > MOST_NODES) throw new RingFault('too large', ring.slice(0, 3));
	const place = new Map(ring.map((node, at) => [node, at]));
	const system = Matrix.eye(size);
	ring.forEach((node, from) => {
		for (const [to, part] of next[node] ?? []) {
			const at = place.get(to);
			if (at !== undefined) system.set(at, from, system.get(at, from) - part);
		}
	});
	const decomposed = new LuDecomposition(system);
	if (decomposed.isSingular()) throw new RingFault('no way out', pathFrom(ring[0]!, place, next));
	// How often what begins at one node passes another.
	const passes = decomposed.solve(Matrix.eye(size));
	let narrowest = 0;
	for (let at = 1; at < size; at++) if (passes.get(at, at) > passes.get(narrowest, narrowest)) narrowest = at;
	const wayOut = 1 / passes.get(narrowest, narrowest);
	if (!(wayOut > NONE)) throw new RingFault('no way out', pathFrom(ring[narrowest]!, place, next));
	const came = ring.map((node) => gross[node]!);
	const begun = firsts && ring.map((node) => firsts[node]!);
	ring.forEach((node, at) => {
		gross[node] = came.reduce((sum, amount, from) => sum + passes.get(at, from) * amount, 0);
		if (!firsts || !begun) return;
		const all = new Map<number, number>();
		begun.forEach((amounts, from) => {
			for (const [first, amount] of amounts) addTo(all, first, passes.get(at, from) * amount);
		});
		firsts[node] = all;
	});
	return { path: pathFrom(ring[narrowest]!, place, next), wayOut };
}

const addTo = (amounts: Map<number, number>, key: number, amount: number): unknown => amounts.set(key, (amounts.get(key) ?? 0) + amount);

/** A way round, along the largest parts. */
function pathFrom(
	start: number,
	within: ReadonlyMap<number, number>,
	next: readonly (ReadonlyMap<number, number> | undefined)[]
): number[] {
	const path = [start];
	for (;;) {
		let [largest, most] = [start, 0];
		for (const [to, part] of next[path.at(-1)!] ?? []) if (within.has(to) && Math.abs(part) > most) [largest, most] = [to, Math.abs(part)];
		const known = path.indexOf(largest);
		if (known >= 0) return path.slice(known);
		path.push(largest);
	}
}

/** Strongly connected components, those that are fed first (Tarjan 1972, without recursion). */
function componentsOf(count: number, next: readonly (ReadonlyMap<number, number> | undefined)[]): number[][] {
	const found: number[][] = [];
	const order = new Int32Array(count).fill(-1);
	const lowest = new Int32Array(count);
	const isOpen = new Uint8Array(count);
	const open: number[] = [];
	let seen = 0;
	for (let root = 0; root < count; root++) {
		if (order[root] !== -1) continue;
		const walk: { node: number; rest: Iterator<number> }[] = [];
		const enter = (node: number) => {
			order[node] = lowest[node] = seen++;
			open.push(node);
			isOpen[node] = 1;
			walk.push({ node, rest: (next[node] ?? new Map<number, number>()).keys() });
		};
		enter(root);
		while (walk.length > 0) {
			const { node, rest } = walk.at(-1)!;
			const step = rest.next();
			if (!step.done) {
				const to = step.value;
				if (order[to] === -1) enter(to);
				else if (isOpen[to]) lowest[node] = Math.min(lowest[node]!, order[to]!);
				continue;
			}
			walk.pop();
			const above = walk.at(-1)?.node;
			if (above !== undefined) lowest[above] = Math.min(lowest[above]!, lowest[node]!);
			if (lowest[node] !== order[node]) continue;
			const component = open.splice(open.lastIndexOf(node));
			for (const each of component) isOpen[each] = 0;
			found.push(component);
		}
	}
	return found;
}
