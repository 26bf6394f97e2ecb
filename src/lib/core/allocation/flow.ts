import { partsOf, receiverAt, type FollowedCell, type LineTrace } from './trace';

/** Steps that shared out at once: one, or several that were solved together; of each trace the periods (ids) it holds for. */
export interface FlowStage {
	step: string;
	traces: readonly { trace: LineTrace; periods: ReadonlySet<number> }[];
}

/** Cells that stand together in a picture of flows: those with the same members on the dimensions by which they were reached. */
export interface FlowNode {
	/** 0 where it began, else the stage (from 1) that brought it. */
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

/**
 * How amounts flowed through stages. Amounts of a receiver that a later stage shares out go on from there; what has no stage
 * before it is where it began. Of each stage the largest nodes are told apart, the others stand together.
 * O(sharings × (cells + receivers)).
 * @param unit what one unit of an amount at a cell counts for; 0 where it is not looked at. The same for all cells of a sharing.
 * @param most nodes that are told of each stage
 */
export function flowOf(
	stages: readonly FlowStage[],
	unit: (cell: FollowedCell) => number,
	most: number
): { nodes: FlowNode[]; links: FlowLink[] } {
	const nodes: OpenNode[] = [];
	const byKey = new Map<string, number>();
	const links = new Map<string, FlowLink>();
	/** By cell and period: the node it stands in now. */
	const standsIn = new Map<string, number>();
	const nodeOf = (stage: number, shown: OpenNode['shown']): number => {
		const key = `${stage} ${shown.map(({ dimension, member }) => `${dimension}:${member}`).join()}`;
		let found = byKey.get(key);
		if (found === undefined) {
			found = nodes.push({ stage, shown, members: new Map(), in: 0, out: 0, count: 1 }) - 1;
			byKey.set(key, found);
		}
		return found;
	};
	const take = (node: number, dimensions: readonly number[], members: ArrayLike<number>): void => {
		const known = nodes[node]!.members;
		dimensions.forEach((dimension, axis) => {
			const all = known.get(dimension);
			if (all) all.add(members[axis]!);
			else known.set(dimension, new Set([members[axis]!]));
		});
	};
	stages.forEach(({ step, traces }, index) => {
		const stage = index + 1;
		const changed = [...new Set(traces.flatMap(({ trace }) => trace.changed))];
		const shownAt = (dimensions: readonly number[], members: ArrayLike<number>): OpenNode['shown'] =>
			changed.flatMap((dimension) => {
				const axis = dimensions.indexOf(dimension);
				return axis < 0 ? [] : [{ dimension, member: members[axis]! }];
			});
		/** Cells that are reached stand where they are reached once the stage is over. */
		const arrived = new Map<string, number>();
		for (const { trace, periods } of traces) {
			const { sharings, dimensions, cells, currency } = trace;
			const cellsOf = cellsByGroup(trace);
			for (let sharing = 0; sharing < sharings.group.length; sharing++) {
				const period = sharings.period[sharing]!;
				if (!periods.has(period)) continue;
				const worth = unit({ members: receiverAt(trace, sharing, 0), dimensions, period, currency });
				if (worth === 0) continue;
				const own = cellsOf.get(`${sharings.group[sharing]} ${period}`) ?? [];
				const whole = own.reduce((sum, cell) => sum + cells.amount[cell]!, 0);
				if (whole === 0) continue;
				const from = new Map<number, number>();
				for (const cell of own) {
					const members = cells.members.subarray(cell * dimensions.length, (cell + 1) * dimensions.length);
					const node = standsIn.get(`${members.join()} ${period}`) ?? nodeOf(0, shownAt(dimensions, members));
					take(node, dimensions, members);
					from.set(node, (from.get(node) ?? 0) + cells.amount[cell]! / whole);
				}
				const to = new Map<number, number>();
				partsOf(trace, sharing).forEach((part, receiver) => {
					if (part === 0) return;
					const members = receiverAt(trace, sharing, receiver);
					const node = nodeOf(stage, shownAt(dimensions, members));
					take(node, dimensions, members);
					arrived.set(`${members.join()} ${period}`, node);
					to.set(node, (to.get(node) ?? 0) + part * worth);
				});
				for (const [source, share] of from)
					for (const [receiver, amount] of to) {
						const key = `${source} ${receiver} ${step}`;
						const link = links.get(key) ?? { from: source, to: receiver, step, amount: 0 };
						link.amount += amount * share;
						links.set(key, link);
						nodes[source]!.out += amount * share;
						nodes[receiver]!.in += amount * share;
					}
			}
		}
		for (const [cell, node] of arrived) standsIn.set(cell, node);
	});
	return pooled(nodes, [...links.values()], most);
}

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
