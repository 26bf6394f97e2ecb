import { Block } from '../cube';
import type { Model } from '../model';
import { isEmpty } from '../number';
import { keepRest, notePassed, type Allocated, type AllocationWork } from './allocate';
import { divide, divideInBunches } from './divide';
import { Flows, RingFault, solveFlows, type Ring, type SolvedFlows } from './flows';
import { decimalsAt, eachPoolCell, PoolCells, Pools } from './pools';
import type { ReadyAllocation, ReadyLine } from './ready';
import { LineSharing, Results } from './sharing';
import { TieOut } from './tie-out';
import { LineTracer } from './trace';
import { Translation } from './translation';
import { nameOfLeaf, weightsOf, type Weights, type WeightsOfLine } from './weights';

/** A step that is solved together with others. */
export interface TogetherStep {
	name: string;
	work: AllocationWork;
	ready: ReadyAllocation;
}

/** A line among those of all steps. */
interface GroupLine {
	step: number;
	/** Among those of its step. */
	place: number;
	line: ReadyLine;
	currency: string;
}

/** What a line shares out at one place on the dimensions that pass through, in one leaf period. */
interface Node {
	line: number;
	group: number;
	leaf: number;
	at: Int32Array;
	/** Undefined where nothing weighs anybody: it stays there. */
	weights: Weights | undefined;
	evenly: boolean;
	own: Float64Array;
	total: number;
	/** Receivers that are pools of the group themselves. */
	inner: number[];
	/** By receiver; those of inner ones first, to the cent. */
	parts: Float64Array;
}

/** Most times cents are passed on through pools that have only one another to give to. */
const MOST_ROUNDS = 40;
/** Below this a ring lets so little out that small changes of drivers move much. */
const NARROW = 0.1;
/** Amounts that tie on paper differ by binary dust. */
const DUST = 1e-6;

/**
 * Shares out what pools hold that serve one another, all at once (the reciprocal method): each pool's gross is its own and
 * what it gets from the others. Amounts between pools of the group are rounded to the cent; what is left of each pool's gross
 * is divided among those outside, to the cent, so that every pool ties.
 * @returns by step what came of it; and what is to be said
 * @throws the fault of a step, with a sentence, where it cannot be followed
 */
export function allocateTogether(steps: readonly TogetherStep[]): { each: Allocated[]; notes: string[] } {
	return new Together(steps).run();
}

class Together {
	readonly #steps: readonly TogetherStep[];
	readonly #model: Model;
	readonly #lines: readonly GroupLine[];
	readonly #translations: readonly Translation[];
	readonly #weights: readonly WeightsOfLine[];
	/** What cells hold, by address and leaf period. */
	readonly #held: Block;
	/** Pools of that alone. */
	readonly #own: Pools;
	readonly #nodes: Node[] = [];
	readonly #places: Map<number, number>[];
	readonly #flows = new Flows();
	readonly #innerOf = new Map<Weights, Map<string, { receiver: number; address: Int32Array }[]>>();
	readonly #outerOf = new Map<Weights, Map<string, Weights>>();
	readonly #notes: string[] = [];

	constructor(steps: readonly TogetherStep[]) {
		this.#steps = steps;
		this.#model = steps[0]!.work.model;
		this.#lines = steps.flatMap(({ ready }, step) =>
			ready.lines.map((line, place): GroupLine => ({ step, place, line, currency: ready.currency }))
		);
		this.#translations = steps.map(({ work }) => new Translation(this.#model, work.fault));
		this.#weights = this.#lines.map(({ step, line }) => {
			const { work, ready } = steps[step]!;
			return weightsOf({ ...work, translation: this.#translations[step]! }, line, ready);
		});
		this.#held = this.#block();
		this.#own = this.#pools();
		this.#places = this.#lines.map(() => new Map());
	}

	run(): { each: Allocated[]; notes: string[] } {
		const { breathe } = this.#steps[0]!.work;
		this.#gather();
		this.#explore();
		const solved = this.#solve(breathe);
		for (const [at, node] of this.#nodes.entries()) this.#roundInner(node, solved.gross[at]!);
		let arrived = this.#arrived();
		let gross = this.#gross(arrived);
		for (let round = 0; round < MOST_ROUNDS && this.#passOn(gross); round++) {
			breathe();
			arrived = this.#arrived();
			gross = this.#gross(arrived);
		}
		return { each: this.#settle(gross, arrived, solved), notes: this.#notes };
	}

	#block(): Block {
		return new Block(this.#model.dimensions.length, this.#model.periods.leaves.length);
	}

	#pools(): Pools {
		return new Pools({ ...this.#steps[0]!.work, translation: this.#translations[0]! }, this.#lines);
	}

	/** Reads what the pools hold. */
	#gather(): void {
		const work = { ...this.#steps[0]!.work, translation: this.#translations[0]! };
		eachPoolCell(
			work,
			this.#lines.map(({ line }) => line),
			(address, leaf, amount) => {
				if (this.#own.add(address, leaf, amount)) this.#held.values[this.#held.ensure(address) * this.#held.width + leaf] = amount;
			}
		);
	}

	/** Finds all that is shared out: what holds something, and what gets something from there. */
	#explore(): void {
		this.#own.pools.forEach(({ groups }, line) => {
			for (let group = 0; group < groups.count; group++)
				for (let leaf = 0; leaf < groups.width; leaf++) {
					const amount = groups.values[group * groups.width + leaf]!;
					if (!isEmpty(amount) && amount !== 0) this.#nodeAt(line, group, leaf);
				}
		});
		const without = new Map<number, Set<string>>();
		for (let at = 0; at < this.#nodes.length; at++) {
			const node = this.#nodes[at]!;
			const { step, currency } = this.#lines[node.line]!;
			const { work, ready } = this.#steps[step]!;
			work.breathe();
			if (!node.weights) {
				if (ready.noDriver === 'stop') without.set(step, (without.get(step) ?? new Set()).add(nameOfLeaf(this.#model, node.leaf)));
				continue;
			}
			const crosses = this.#own.pools[node.line]!.crosses;
			for (const { receiver, address } of this.#innerAt(node)) {
				const weight = node.own[receiver]!;
				const lines = weight === 0 ? [] : this.#own.linesAt(address, node.leaf);
				if (lines.length === 0) continue;
				node.inner.push(receiver);
				const factor = crosses ? this.#factor(step, address, node, currency) : 1;
				for (const line of lines) {
					const part = (weight / node.total) * this.#lines[line]!.line.share * (this.#own.unitOf(line, address, node.leaf) / factor);
					this.#flows.add(at, this.#nodeAt(line, this.#own.groupOf(line, address), node.leaf), part);
				}
			}
		}
		for (const [step, periods] of without)
			throw this.#steps[step]!.work.fault(`there is no driver in ${[...periods].join(', ')}, and the step stops then.`);
	}

	#factor(step: number, address: Int32Array, { at, leaf }: Node, currency: string): number {
		return this.#translations[step]!.factor(address, leaf, at[this.#model.accountAxis]!, currency);
	}

	#nodeAt(line: number, group: number, leaf: number): number {
		const key = group * this.#held.width + leaf;
		const known = this.#places[line]!.get(key);
		if (known !== undefined) return known;
		const at = this.#own.pools[line]!.groups.readAddress(group, new Int32Array(this.#model.dimensions.length));
		const { step } = this.#lines[line]!;
		const [weighing] = [this.#weights[line]!];
		let weights = weighing.at(at);
		const weighs = weights?.at(leaf).some((weight) => weight !== 0) ?? false;
		const evenly = !weighs && this.#steps[step]!.ready.noDriver === 'evenly';
		if (!weighs) weights = evenly ? weighing.even() : undefined;
		const own = weights?.at(leaf) ?? new Float64Array(0);
		const total = own.reduce((sum, weight) => sum + weight, 0);
		if (total === 0) weights = undefined;
		const place = this.#nodes.push({ line, group, leaf, at, weights, evenly, own, total, inner: [], parts: new Float64Array(own.length) });
		this.#places[line]!.set(key, place - 1);
		return place - 1;
	}

	/** The receivers of a node that may be pools of the group, in some period. */
	#innerAt({ line, at, weights }: Node): { receiver: number; address: Int32Array }[] {
		const known = this.#innerOf.get(weights!) ?? new Map<string, { receiver: number; address: Int32Array }[]>();
		this.#innerOf.set(weights!, known);
		const key = `${line} ${at.join()}`;
		let inner = known.get(key);
		if (!inner) {
			inner = [];
			const address = at.slice();
			for (let receiver = 0; receiver < weights!.count; receiver++)
				if (this.#own.mayHold(this.#receiverAt(line, weights!, receiver, address))) inner.push({ receiver, address: address.slice() });
			known.set(key, inner);
		}
		return inner;
	}

	/** Writes the members of a receiver into an address. */
	#receiverAt(line: number, weights: Weights, receiver: number, into: Int32Array): Int32Array {
		this.#lines[line]!.line.changes.forEach(({ axis }, place) => (into[axis] = weights.members[place]![receiver]!));
		return into;
	}

	#solve(breathe: () => void): SolvedFlows {
		const own = Float64Array.from(this.#nodes, ({ line, group, leaf }) => {
			const { groups } = this.#own.pools[line]!;
			const amount = groups.values[group * groups.width + leaf]!;
			return isEmpty(amount) ? 0 : amount;
		});
		try {
			const solved = solveFlows(own, this.#flows, this.#steps[0]!.work.traced !== undefined, breathe);
			this.#warn(solved.rings);
			return solved;
		} catch (error) {
			if (!(error instanceof RingFault)) throw error;
			const node = this.#nodes[error.path[0]!]!;
			const { fault } = this.#steps[this.#lines[node.line]!.step]!.work;
			const ring = this.#ringInWords(error.path);
			throw fault(
				error.why === 'too large'
					? `more pools serve one another than can be solved together, ${ring} among them. Let fewer of them receive.`
					: `${ring}: in ${nameOfLeaf(this.#model, node.leaf)} all that comes in goes round and nothing ever comes out. Let a part go to others, or be kept.`
			);
		}
	}

	#warn(rings: readonly Ring[]): void {
		const said = new Set<string>();
		for (const { path, wayOut } of rings) {
			if (wayOut >= NARROW) continue;
			const ring = this.#ringInWords(path);
			if (said.has(ring)) continue;
			said.add(ring);
			this.#notes.push(
				`${ring}: only ${Math.round(wayOut * 1_000) / 10} % of what goes round comes out each time, so small changes of its drivers move much.`
			);
		}
	}

	/** “A” → “B” → “A”. */
	#ringInWords(path: readonly number[]): string {
		const names = path.map((at) => {
			const { step, line } = this.#lines[this.#nodes[at]!.line]!;
			const { name, ready } = this.#steps[step]!;
			return `“${ready.lines.length > 1 ? `${name}, ${line.name}` : name}”`;
		});
		return [...names, names[0]].join(' → ');
	}

	/** What goes to pools of the group, to the cent. */
	#roundInner({ at, own, total, inner, parts }: Node, gross: number): void {
		const scale = 10 ** decimalsAt(this.#model, at);
		for (const receiver of inner) {
			const exact = (gross * own[receiver]!) / total;
			parts[receiver] = Math.round(exact * scale + Math.sign(exact) * 1e-6) / scale;
		}
	}

	/** What came from pools of the group to each cell, in its own currency. */
	#arrived(): Block {
		const arrived = this.#block();
		const address = new Int32Array(this.#model.dimensions.length);
		for (const node of this.#nodes) {
			const { line, leaf, at, weights, inner, parts } = node;
			const { step, currency } = this.#lines[line]!;
			address.set(at);
			for (const receiver of inner) {
				if (parts[receiver] === 0) continue;
				this.#receiverAt(line, weights!, receiver, address);
				const factor = this.#own.pools[line]!.crosses ? this.#factor(step, address, node, currency) : 1;
				const place = arrived.ensure(address) * arrived.width + leaf;
				const before = arrived.values[place]!;
				arrived.values[place] = (before === before ? before : 0) + parts[receiver]! / factor;
			}
		}
		return arrived;
	}

	/** Pools of what cells hold and what arrived there. */
	#gross(arrived: Block): Pools {
		const gross = this.#pools();
		const address = new Int32Array(this.#model.dimensions.length);
		const filled = (value: number | undefined) => (value === undefined || isEmpty(value) ? 0 : value);
		const at = (block: Block, series: number, leaf: number) => (series < 0 ? 0 : filled(block.values[series * block.width + leaf]));
		for (const block of [this.#held, arrived])
			for (let series = 0; series < block.count; series++) {
				block.readAddress(series, address);
				const other = (block === arrived ? this.#held : arrived).find(address);
				for (let leaf = 0; leaf < block.width; leaf++) {
					const own = at(block, series, leaf);
					const more = at(block === arrived ? this.#held : arrived, other, leaf);
					// What both have is added with the first.
					if (own !== 0 && !(block === arrived && more !== 0) && own + more !== 0) gross.add(address, leaf, own + more);
				}
			}
		return gross;
	}

	/** Lets pools that have only pools of the group to give to pass on what they hold, to the cent. @returns whether any did */
	#passOn(gross: Pools): boolean {
		let any = false;
		for (const node of this.#nodes) {
			const { line, leaf, at, weights, own, inner, parts } = node;
			if (!weights || inner.length === 0 || outerWeight(node) > 0) continue;
			const { groups } = gross.pools[line]!;
			const held = groups.find(at);
			const amount = held < 0 ? 0 : groups.values[held * groups.width + leaf]!;
			const exact = new Float64Array(parts.length);
			if (!isEmpty(amount)) shareBy(weights, amount, own, decimalsAt(this.#model, at), exact);
			if (exact.every((part, receiver) => Math.abs(part - parts[receiver]!) < DUST)) continue;
			parts.set(exact);
			any = true;
		}
		return any;
	}

	/** Divides what is left among those outside, takes out what went, and proves it. */
	#settle(gross: Pools, arrived: Block, solved: SolvedFlows): Allocated[] {
		const tieOuts = this.#steps.map(({ ready }, step) => new TieOut(this.#model, ready, this.#translations[step]!));
		const results = this.#steps.map(({ work }) => new Results(this.#model, work.fault));
		const firstCells = solved.firsts && this.#firstCells();
		gross.pools.forEach((pool, line) => {
			if (pool.cells.count === 0) return;
			const { step, place } = this.#lines[line]!;
			const { work, ready } = this.#steps[step]!;
			const tieOut = tieOuts[step]!;
			const sharing = new LineSharing(work, ready, this.#translations[step]!, pool, place);
			const began = new PoolCells(this.#model.dimensions.length);
			const tracer = firstCells && new LineTracer(this.#model, { ...pool, cells: began });
			sharing.each((at, group, leaf, amount) => {
				work.breathe();
				const index = this.#places[line]!.get(this.#own.pools[line]!.groups.find(at) * pool.groups.width + leaf)!;
				const node = this.#nodes[index]!;
				const { weights, parts, evenly } = node;
				if (!weights) return tieOut.strand(place, at, leaf, amount, pool.crosses, 'Nothing weighs the receivers.');
				const inside = node.inner.reduce((sum, receiver) => sum + parts[receiver]!, 0);
				let below = 0;
				if (outerWeight(node) > 0) {
					const outer = this.#outerWeights(node);
					const outerParts = new Float64Array(parts.length);
					below = shareBy(outer, amount - inside, outer.at(leaf), decimalsAt(this.#model, at), outerParts);
					for (let receiver = 0; receiver < parts.length; receiver++) parts[receiver]! += outerParts[receiver]!;
					if (tracer && solved.firsts) {
						const scale = (amount - inside) / solved.gross[index]!;
						for (const [first, begun] of solved.firsts[index]!) firstCells.add(began, first, begun * scale, group, leaf);
						tracer.note({ line: place, at, leaf, amount: amount - inside, weights: outer, parts: outerParts }, group);
					}
				}
				const given = sharing.give(weights, at, leaf, parts, results[step]!);
				const out = Math.abs(given - amount) < DUST ? amount : given;
				work.shared?.({ line: place, at, leaf, amount, weights, parts });
				sharing.settle(group, leaf, out);
				tieOut.share(place, at, leaf, { amount, out, below, evenly }, pool.crosses);
			});
			sharing.takeOut(results[step]!);
			if (tracer) work.traced!(tracer.trace(ready.currency));
		});
		this.#provePassed(gross, arrived, tieOuts);
		return this.#steps.map((_, step) => ({
			results: results[step]!.block,
			figures: this.#block(),
			tieOut: tieOuts[step]!.rows(),
			stranded: tieOuts[step]!.stranded()
		}));
	}

	/** Tells the proofs what is kept, and what of all of it had been brought: by steps above, or by pools of the group. */
	#provePassed(gross: Pools, arrived: Block, tieOuts: readonly TieOut[]): void {
		const filled = (block: Block, address: Int32Array, leaf: number) => {
			const series = block.find(address);
			const value = series < 0 ? 0 : block.values[series * block.width + leaf]!;
			return isEmpty(value) ? 0 : value;
		};
		const { broughtTo } = this.#steps[0]!.work;
		const cell = {
			brought: (address: Int32Array, leaf: number) => (broughtTo?.(address, leaf) ?? 0) + filled(arrived, address, leaf),
			whole: (address: Int32Array, leaf: number) => filled(this.#held, address, leaf) + filled(arrived, address, leaf)
		};
		gross.pools.forEach(({ cells, line }, at) => {
			const { step, place } = this.#lines[at]!;
			notePassed(cell, cells, line.changes, place, tieOuts[step]!);
		});
		this.#steps.forEach((_, step) => {
			const isOwn = (line: number) => this.#lines[line]!.step === step;
			keepRest(gross.kept, tieOuts[step]!, isOwn);
			notePassed(cell, gross.kept, [], -1, tieOuts[step]!, isOwn);
		});
	}

	/** The weights of those outside only; one for all nodes that have the same within. */
	#outerWeights({ weights, inner }: Node): Weights {
		if (inner.length === 0) return weights!;
		const known = this.#outerOf.get(weights!) ?? new Map<string, Weights>();
		this.#outerOf.set(weights!, known);
		const key = `${inner.join()}`;
		let outer = known.get(key);
		if (!outer) {
			const byLeaf = new Map<number, Float64Array>();
			const at = (period: number) => {
				let own = byLeaf.get(period);
				if (!own) {
					own = weights!.at(period).slice();
					for (const receiver of inner) own[receiver] = 0;
					byLeaf.set(period, own);
				}
				return own;
			};
			known.set(key, (outer = { ...weights!, at }));
		}
		return outer;
	}

	/** The cells a node's own amount stands in. */
	#firstCells(): { add: (into: PoolCells, first: number, amount: number, group: number, leaf: number) => void } {
		const cellsOf = this.#own.pools.map(({ cells }) => {
			const found = new Map<number, number[]>();
			for (let cell = 0; cell < cells.count; cell++) {
				const key = cells.group[cell]! * this.#held.width + cells.leaf[cell]!;
				const known = found.get(key);
				if (known) known.push(cell);
				else found.set(key, [cell]);
			}
			return found;
		});
		const address = new Int32Array(this.#model.dimensions.length);
		return {
			add: (into, first, amount, group, leaf) => {
				const { line, group: from, leaf: period } = this.#nodes[first]!;
				const { cells, groups } = this.#own.pools[line]!;
				const own = groups.values[from * groups.width + period]!;
				for (const cell of cellsOf[line]!.get(from * this.#held.width + period) ?? []) {
					const part = (amount * cells.amount[cell]!) / own;
					if (Math.abs(part) > DUST) into.add(cells.addresses.readAddress(cells.series[cell]!, address), leaf, part, part, group);
				}
			}
		};
	}
}

/** What those outside the group weigh in all. */
const outerWeight = ({ own, inner }: Node): number => {
	const within = new Set(inner);
	return own.reduce((sum, weight, receiver) => (within.has(receiver) ? sum : sum + weight), 0);
};

const shareBy = ({ bunch }: Weights, amount: number, own: Float64Array, decimals: number, into: Float64Array): number =>
	bunch ? divideInBunches(amount, own, bunch, decimals, into) : divide(amount, own, decimals, into);
