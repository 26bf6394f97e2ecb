/** What an allocation did, in the names of today: kept with its run, so that it still says it when members are gone. */
import type { Allocated, ReadyAllocation, Sharing } from '../../allocation';
import { isTranslated } from '../../cube';
import type { Model } from '../../model';

/** The proof of a line in a period: in = out + kept + stranded. */
export interface ProofRow {
	/** Its name; empty for what no line shares out. */
	line: string;
	scenario: string;
	period: string;
	/** What amounts are in; null for quantities. */
	currency: string | null;
	in: number;
	out: number;
	kept: number;
	stranded: number;
	/** What lay below a cent, and went unrounded with the largest receiver. */
	rounding: number;
	/** What of in had been brought by steps above; runs of before do not know it. */
	passed?: number;
	/** Whether it was shared evenly, since nothing weighed. */
	evenly: boolean;
	/** Whether a rate is missing, so that something is left out. */
	incomplete: boolean;
}

/** A pool that found nobody. */
export interface StrandedPool {
	line: string;
	/** Where it is, by the dimensions that stay. */
	where: string;
	period: string;
	amount: number;
	why: string;
}

/** How the largest amount of a line was shared out. */
export interface SharedSample {
	line: string;
	where: string;
	period: string;
	currency: string | null;
	amount: number;
	/** Those with most first. */
	receivers: { name: string; driver: number; share: number; amount: number }[];
	/** How many there are in all. */
	count: number;
}

export interface Proof {
	rows: ProofRow[];
	stranded: StrandedPool[];
	samples: SharedSample[];
}

/** Most rows and stranded pools that are kept with a run, and receivers of a sample. */
const MOST_ROWS = 4_000;
const MOST_STRANDED = 60;
const MOST_RECEIVERS = 40;

/** Keeps, for each line, how its largest amount was shared out. */
export class Samples {
	readonly #largest = new Map<number, Sharing>();

	readonly take = (sharing: Sharing): void => {
		const known = this.#largest.get(sharing.line);
		if (known && Math.abs(known.amount) >= Math.abs(sharing.amount)) return;
		// What was handed over is used again.
		this.#largest.set(sharing.line, { ...sharing, at: sharing.at.slice(), parts: sharing.parts.slice() });
	};

	get(): Sharing[] {
		return [...this.#largest.values()].sort((one, other) => one.line - other.line);
	}
}

/** The proof of an allocation, in words. */
export function proofOf(model: Model, ready: ReadyAllocation, { tieOut, stranded }: Allocated, samples: readonly Sharing[]): Proof {
	const lineName = (line: number) => ready.lines[line]?.name ?? '';
	const period = (leaf: number) => model.periods.dimension.member(model.periods.leaf(leaf).ordinal).name;
	const where = (line: number, at: Int32Array) => {
		const changed = new Set(ready.lines[line]?.changes.map(({ axis }) => axis));
		// What the breakdown does not apply to is not said.
		return model.dimensions
			.flatMap((dimension, axis) => (changed.has(axis) || at[axis] === dimension.unassigned ? [] : [dimension.member(at[axis]!).name]))
			.join(', ');
	};
	return {
		rows: tieOut.slice(0, MOST_ROWS).map(({ line, leaf, scenario, ...row }) => ({
			...row,
			line: lineName(line),
			scenario: model.scenarios.member(scenario).name,
			period: period(leaf)
		})),
		stranded: stranded
			.slice(0, MOST_STRANDED)
			.map(({ line, at, leaf, amount, why }) => ({ line: lineName(line), where: where(line, at), period: period(leaf), amount, why })),
		samples: samples.map((sharing): SharedSample => {
			const { line, at, leaf, amount, weights, parts } = sharing;
			const own = weights.at(leaf);
			const total = own.reduce((sum, weight) => sum + weight, 0);
			const facts = model.account(at[model.accountAxis]!);
			const crosses = ready.lines[line]!.changes.some(({ axis }) => axis === model.entityAxis);
			const currency =
				!facts || !isTranslated(facts) ? null : crosses || model.entityAxis < 0 ? ready.currency : model.currencyOf(at[model.entityAxis]!);
			const order = Array.from(parts.keys())
				.filter((place) => parts[place] !== 0)
				.sort((one, other) => Math.abs(parts[other]!) - Math.abs(parts[one]!) || one - other);
			return {
				line: lineName(line),
				where: where(line, at),
				period: period(leaf),
				currency,
				amount,
				count: order.length,
				receivers: order.slice(0, MOST_RECEIVERS).map((place) => ({
					name: ready.lines[line]!.changes.map(
						({ axis }, change) => model.dimensions[axis]!.member(weights.members[change]![place]!).name
					).join(', '),
					driver: own[place]!,
					share: own[place]! / total,
					amount: parts[place]!
				}))
			};
		})
	};
}
