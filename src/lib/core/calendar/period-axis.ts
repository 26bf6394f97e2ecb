import type { Dimension } from '../dimension';
import { dayNumber } from './date';
import type { PeriodLevel } from './generate';

export interface PeriodFacts {
	member: number;
	level: PeriodLevel;
	start: string;
	end: string;
	fiscalYear: number;
}

/** A leaf period: its place in the continuous sequence, its fiscal year and its place within that year. */
export interface LeafPeriod {
	index: number;
	ordinal: number;
	fiscalYear: number;
	position: number;
	start: string;
	end: string;
}

/** A run of leaf periods, both ends included. Empty when `to < from`. */
export interface PeriodRange {
	from: number;
	to: number;
}

/** The period dimension as a time line: leaf periods in sequence, and which run of them every period covers. */
export class PeriodAxis {
	readonly dimension: Dimension;
	readonly leaves: readonly LeafPeriod[];
	/** The most leaf periods any fiscal year has: the width of a series. */
	readonly width: number;
	readonly years: readonly number[];
	readonly #ranges: PeriodRange[];
	readonly #facts: Map<number, PeriodFacts>;
	readonly #firstOfYear = new Map<number, number>();

	constructor(dimension: Dimension, facts: readonly PeriodFacts[]) {
		this.dimension = dimension;
		this.#facts = new Map(facts.map((fact) => [dimension.ordinal(fact.member)!, fact]));
		const leafFacts = [...this.#facts]
			.filter(([ordinal]) => dimension.tree.isLeaf(ordinal))
			.sort(([, a], [, b]) => (a.start < b.start ? -1 : 1));
		const leaves: LeafPeriod[] = [];
		for (const [ordinal, fact] of leafFacts) {
			const index = leaves.length;
			if (!this.#firstOfYear.has(fact.fiscalYear)) this.#firstOfYear.set(fact.fiscalYear, index);
			leaves.push({
				index,
				ordinal,
				fiscalYear: fact.fiscalYear,
				position: index - this.#firstOfYear.get(fact.fiscalYear)!,
				start: fact.start,
				end: fact.end
			});
		}
		this.leaves = leaves;
		this.width = Math.max(0, ...leaves.map((leaf) => leaf.position + 1));
		this.years = [...this.#firstOfYear.keys()];
		const indexOf = new Map(leaves.map((leaf) => [leaf.ordinal, leaf.index]));
		this.#ranges = dimension.members.map((_, ordinal) => {
			const under = dimension.tree
				.leaves(ordinal)
				.map((leaf) => indexOf.get(leaf))
				.filter((index) => index !== undefined);
			return under.length === 0 ? { from: 0, to: -1 } : { from: Math.min(...under), to: Math.max(...under) };
		});
	}

	/** The leaf periods under a period. */
	range(ordinal: number): PeriodRange {
		return this.#ranges[ordinal]!;
	}

	facts(ordinal: number): PeriodFacts | undefined {
		return this.#facts.get(ordinal);
	}

	leaf(index: number): LeafPeriod {
		return this.leaves[index]!;
	}

	/** How many days a leaf period has. */
	days(index: number): number {
		const { start, end } = this.leaf(index);
		return dayNumber(end) - dayNumber(start) + 1;
	}

	/** The leaf period at a place within a fiscal year, undefined outside the horizon. */
	at(fiscalYear: number, position: number): LeafPeriod | undefined {
		const first = this.#firstOfYear.get(fiscalYear);
		const leaf = first === undefined ? undefined : this.leaves[first + position];
		return leaf?.fiscalYear === fiscalYear ? leaf : undefined;
	}

	/** The leaf period that contains a plain date. O(log periods). */
	onDate(date: string): LeafPeriod | undefined {
		let low = 0;
		let high = this.leaves.length - 1;
		while (low <= high) {
			const middle = (low + high) >> 1;
			const leaf = this.leaves[middle]!;
			if (date < leaf.start) high = middle - 1;
			else if (date > leaf.end) low = middle + 1;
			else return leaf;
		}
		return undefined;
	}
}
