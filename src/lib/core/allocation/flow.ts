import { partsOf, receiverAt, type FollowedCell, type LineTrace } from './trace';

/** Steps that shared out at once: one, or several that were solved together; of each trace the periods (ids) it holds for. */
export interface FlowStage {
	step: string;
	traces: readonly { trace: LineTrace; periods: ReadonlySet<number> }[];
}

/** Cells that stand together in a picture of flows: those with the same members on the dimensions by which they were reached. */
export interface FlowNode {
	/** 0 where it began, else the last stage (from 1) that brought something to it. */
	stage: number;
	/** Members (ids) by dimension (id) that tell it from others of its stage; none of a node of all others. */
	shown: readonly { dimension: number; member: number }[];
	/** By dimension (id): the members (ids) of all of its cells. */
	members: ReadonlyMap<number, ReadonlySet<number>>;
	/** What came to it, and what went on from it. */
	in: number;
	out: number;
	/** How many nodes it stands for. */
	count: number;
}

/** What went from one node to another. */
export interface FlowLink {
	from: number;
	to: number;
	step: string;
	amount: number;
}

interface OpenNode {
	stage: number;
	shown: { dimension: number; member: number }[];
	members: Map<number, Set<number>>;
	in: number;
	out: number;
	count: number;
}

/** One sharing out, where its amounts stood and where they come. */
interface Move {
	from: Map<number, number>;
	to: { cell: string; members: number[]; amount: number }[];
}

/**
 * How amounts flowed through stages. What comes to a place goes on from there by the next stage that shares it out, with
 * what the place had of its own; what no stage brought is where it began. A place from which something went on already is
 * another one when something comes to it again: so nothing flows in circles. Of each stage the largest nodes are told apart,
 * the others stand together. O(sharings × (cells + receivers)).
 * @param unit what one unit of an amount at a cell counts for; 0 where it is not looked at. The same for all cells of a sharing.
 * @param most nodes that are told of each stage
 */
export function flowOf(
	stages: readonly FlowStage[],
	unit: (cell: FollowedCell) => number,
	most: number
): { nodes: FlowNode[]; links: FlowLink[] } {
	const drawn = new Flowing(unit);
	stages.forEach((stage, index) => drawn.add(stage, index + 1));
	return pooled(drawn.nodes, [...drawn.links.values()], most);
}

class Flowing {
	readonly nodes: OpenNode[] = [];
	readonly links = new Map<string, FlowLink>();
	readonly #unit: (cell: FollowedCell) => number;
	/** By members that tell it: the newest node. */
	readonly #newest = new Map<string, number>();
	readonly #hasGoneOn = new Set<number>();
	/** By cell and period: what came to it, by node; and whether that went on since. */
	readonly #standing = new Map<string, { by: Map<number, number>; wentOn: boolean }>();

	constructor(unit: (cell: FollowedCell) => number) {
		this.#unit = unit;
	}

	add({ step, traces }: FlowStage, stage: number): void {
		const changed = [...new Set(traces.flatMap(({ trace }) => trace.changed))];
		const moves: { dimensions: readonly number[]; move: Move }[] = [];
		const wentOn = new Set<string>();
		for (const { trace, periods } of traces)
			for (const move of this.#movesOf(trace, periods, changed, wentOn)) moves.push({ dimensions: trace.dimensions, move });
		// Where something goes on from in this stage nothing arrives any more.
		for (const { move } of moves) for (const node of move.from.keys()) this.#hasGoneOn.add(node);
		for (const cell of wentOn) {
			const known = this.#standing.get(cell);
			if (known) known.wentOn = true;
		}
		for (const {
			dimensions,
			move: { from, to }
		} of moves) {
			const received = new Map<number, number>();
			for (const { cell, members, amount } of to) {
				const node = this.#arrivedIn(stage, shownAt(changed, dimensions, members));
				this.#take(node, dimensions, members);
				received.set(node, (received.get(node) ?? 0) + amount);
				let known = this.#standing.get(cell);
				if (!known || known.wentOn) this.#standing.set(cell, (known = { by: new Map(), wentOn: false }));
				known.by.set(node, (known.by.get(node) ?? 0) + amount);
			}
			for (const [source, share] of from) for (const [receiver, amount] of received) this.#link(source, receiver, step, amount * share);
		}
	}

	*#movesOf(trace: LineTrace, periods: ReadonlySet<number>, changed: readonly number[], wentOn: Set<string>): Generator<Move> {
		const { sharings, dimensions, cells, currency } = trace;
		const cellsOf = cellsByGroup(trace);
		for (let sharing = 0; sharing < sharings.group.length; sharing++) {
			const period = sharings.period[sharing]!;
			if (!periods.has(period)) continue;
			const worth = this.#unit({ members: receiverAt(trace, sharing, 0), dimensions, period, currency });
			if (worth === 0) continue;
			const own = cellsOf.get(`${sharings.group[sharing]} ${period}`) ?? [];
			const whole = own.reduce((sum, cell) => sum + cells.amount[cell]!, 0);
			if (whole === 0) continue;
			const from = new Map<number, number>();
			for (const cell of own) {
				const members = cells.members.subarray(cell * dimensions.length, (cell + 1) * dimensions.length);
				const key = `${members.join()} ${period}`;
				wentOn.add(key);
				for (const [node, share] of this.#sourcesOf(key, shownAt(changed, dimensions, members))) {
					this.#take(node, dimensions, members);
					from.set(node, (from.get(node) ?? 0) + (share * cells.amount[cell]!) / whole);
				}
			}
			const to: Move['to'] = [];
			partsOf(trace, sharing).forEach((part, receiver) => {
				if (part === 0) return;
				const members = receiverAt(trace, sharing, receiver);
				to.push({ cell: `${members.join()} ${period}`, members, amount: part * worth });
			});
			yield { from, to };
		}
	}

	/** The nodes in which a cell stands, with their parts of it: where it began if nothing came to it. */
	#sourcesOf(cell: string, shown: OpenNode['shown']): [number, number][] {
		const by = [...(this.#standing.get(cell)?.by ?? [])];
		const all = by.reduce((sum, [, amount]) => sum + amount, 0);
		if (by.length > 0 && all !== 0) return by.map(([node, amount]) => [node, amount / all]);
		const key = `0 ${keyOf(shown)}`;
		let began = this.#newest.get(key);
		if (began === undefined) this.#newest.set(key, (began = this.#made(0, shown)));
		return [[began, 1]];
	}

	#arrivedIn(stage: number, shown: OpenNode['shown']): number {
		const key = keyOf(shown);
		const known = this.#newest.get(key);
		if (known !== undefined && !this.#hasGoneOn.has(known)) {
			// It stands where all that comes to it has come.
			this.nodes[known]!.stage = stage;
			return known;
		}
		const made = this.#made(stage, shown);
		this.#newest.set(key, made);
		return made;
	}

	#made(stage: number, shown: OpenNode['shown']): number {
		return this.nodes.push({ stage, shown, members: new Map(), in: 0, out: 0, count: 1 }) - 1;
	}

	#take(node: number, dimensions: readonly number[], members: ArrayLike<number>): void {
		const known = this.nodes[node]!.members;
		dimensions.forEach((dimension, axis) => {
			const all = known.get(dimension);
			if (all) all.add(members[axis]!);
			else known.set(dimension, new Set([members[axis]!]));
		});
	}

	#link(from: number, to: number, step: string, amount: number): void {
		const key = `${from} ${to} ${step}`;
		const link = this.links.get(key) ?? { from, to, step, amount: 0 };
		link.amount += amount;
		this.links.set(key, link);
		this.nodes[from]!.out += amount;
		this.nodes[to]!.in += amount;
	}
}

const keyOf = (shown: OpenNode['shown']): string => shown.map(({ dimension, member }) => `${dimension}:${member}`).join();

/** The members of a cell on some dimensions, those it has. */
const shownAt = (changed: readonly number[], dimensions: readonly number[], members: ArrayLike<number>): OpenNode['shown'] =>
	changed.flatMap((dimension) => {
		const axis = dimensions.indexOf(dimension);
		return axis < 0 ? [] : [{ dimension, member: members[axis]! }];
	});

function cellsByGroup({ cells }: LineTrace): Map<string, number[]> {
	const found = new Map<string, number[]>();
	for (let cell = 0; cell < cells.group.length; cell++) {
		const key = `${cells.group[cell]} ${cells.period[cell]}`;
		const known = found.get(key);
		if (known) known.push(cell);
		else found.set(key, [cell]);
	}
	return found;
}

/** Puts the smallest nodes of each stage together, so that a picture can be read. */
function pooled(nodes: readonly OpenNode[], links: readonly FlowLink[], most: number): { nodes: FlowNode[]; links: FlowLink[] } {
	const kept: FlowNode[] = [];
	const place = new Map<number, number>();
	const size = (node: number) => Math.max(Math.abs(nodes[node]!.in), Math.abs(nodes[node]!.out));
	for (const stage of new Set(nodes.map((node) => node.stage))) {
		const own = nodes.flatMap((node, at) => (node.stage === stage ? [at] : [])).sort((one, other) => size(other) - size(one));
		const apart = own.length > most ? own.slice(0, most - 1) : own;
		for (const at of apart) place.set(at, kept.push(nodes[at]!) - 1);
		if (apart.length === own.length) continue;
		const others = own.slice(apart.length);
		const members = new Map<number, Set<number>>();
		for (const at of others)
			for (const [dimension, own] of nodes[at]!.members)
				for (const member of own) members.set(dimension, (members.get(dimension) ?? new Set()).add(member));
		const sum = (of: 'in' | 'out') => others.reduce((all, at) => all + nodes[at]![of], 0);
		const together = kept.push({ stage, shown: [], members, in: sum('in'), out: sum('out'), count: others.length }) - 1;
		for (const at of others) place.set(at, together);
	}
	const merged = new Map<string, FlowLink>();
	for (const link of links) {
		const [from, to] = [place.get(link.from)!, place.get(link.to)!];
		const key = `${from} ${to} ${link.step}`;
		const known = merged.get(key) ?? { from, to, step: link.step, amount: 0 };
		known.amount += link.amount;
		merged.set(key, known);
	}
	return { nodes: kept, links: [...merged.values()].filter(({ amount }) => Math.abs(amount) > 1e-9) };
}
