import type { PeriodAxis } from './period-axis';

/** Where each leaf period reads when it is shifted, or which run of leaf periods it stands in. One table a level, made once. */
export class Shifts {
	readonly #periods: PeriodAxis;
	/** By level: the periods of it in time order, as runs, and for each leaf the place of its run. */
	readonly #runs = new Map<string, { runs: { from: number; to: number }[]; of: Int32Array }>();
	readonly #shifted = new Map<string, Int32Array>();

	constructor(periods: PeriodAxis) {
		this.#periods = periods;
	}

	/** The run of leaf periods of a level in which a leaf lies; undefined where that level is not there. */
	run(level: string, leaf: number): { from: number; to: number } | undefined {
		const { runs, of } = this.#level(level);
		return of[leaf]! < 0 ? undefined : runs[of[leaf]!]!;
	}

	/** For every leaf period the one so many periods of a level earlier or later, at the same place in it; −1 beyond the calendar. */
	table(level: string, by: number): Int32Array {
		const key = `${level} ${by}`;
		let table = this.#shifted.get(key);
		if (!table) {
			const { runs, of } = this.#level(level);
			table = Int32Array.from(this.#periods.leaves, (_, leaf) => {
				const run = runs[of[leaf]!];
				const other = runs[of[leaf]! + by];
				if (!run || !other || of[leaf]! < 0) return -1;
				const place = other.from + (leaf - run.from);
				return place <= other.to ? place : -1;
			});
			this.#shifted.set(key, table);
		}
		return table;
	}

	#level(level: string): { runs: { from: number; to: number }[]; of: Int32Array } {
		let known = this.#runs.get(level);
		if (!known) {
			const periods = this.#periods;
			const runs = [...periods.dimension.members.keys()]
				.filter((ordinal) => periods.facts(ordinal)?.level === level)
				.map((ordinal) => periods.range(ordinal))
				.filter(({ from, to }) => to >= from)
				.sort((one, other) => one.from - other.from);
			const of = new Int32Array(periods.leaves.length).fill(-1);
			runs.forEach(({ from, to }, place) => of.fill(place, from, to + 1));
			this.#runs.set(level, (known = { runs, of }));
		}
		return known;
	}
}
