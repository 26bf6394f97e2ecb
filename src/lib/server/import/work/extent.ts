import type { Model } from '../../../core';

/** What a load replaces, for people: scenarios, periods, and the members of further dimensions it is limited to. */
export interface Extent {
	words: string;
	/** Member ids by dimension id; periods under their dimension. */
	members: Record<number, number[]>;
}

/** Collects what the rows of a file speak about: scenarios, periods, and the members of the dimensions an import names. */
export class ExtentBuilder {
	readonly #model: Model;
	readonly periods = new Set<number>();
	readonly #axes: number[];
	readonly #members: Set<number>[];
	/** The last period of each scenario (ordinals). */
	readonly #last = new Map<number, number>();

	/** @param limitedBy ids of the dimensions, beside scenario and period, whose members in the file limit the extent */
	constructor(model: Model, limitedBy: readonly number[]) {
		this.#model = model;
		this.#axes = [
			model.scenarioAxis,
			...model.dimensions.flatMap((dimension, axis) => (axis !== model.scenarioAxis && limitedBy.includes(dimension.id) ? [axis] : []))
		];
		this.#members = this.#axes.map(() => new Set());
	}

	add(address: Int32Array, periods: Int32Array): void {
		for (let index = 0; index < this.#axes.length; index++) this.#members[index]!.add(address[this.#axes[index]!]!);
		const scenario = address[this.#model.scenarioAxis]!;
		let last = this.#last.get(scenario) ?? -1;
		for (const period of periods) {
			this.periods.add(period);
			if (period > last) last = period;
		}
		this.#last.set(scenario, last);
	}

	/** Scenarios whose span the rows reach beyond: their last period by then, and that in words. */
	beyond(): { scenario: number; period: number; words: string }[] {
		const model = this.#model;
		return [...this.#last].flatMap(([ordinal, last]) => {
			const span = model.scenario(ordinal)?.span;
			if (!span || last <= span.to) return [];
			const period = model.periods.dimension.member(model.periods.leaf(last).ordinal);
			const scenario = model.scenarios.member(ordinal);
			return [{ scenario: scenario.id, period: period.id, words: `${scenario.name} will speak about ${period.name} too.` }];
		});
	}

	/** Whether an address lies in the extent, whatever the period. */
	covers(address: Int32Array): boolean {
		for (let index = 0; index < this.#axes.length; index++) if (!this.#members[index]!.has(address[this.#axes[index]!]!)) return false;
		return true;
	}

	state(): Extent {
		const model = this.#model;
		const members: Record<number, number[]> = {};
		const words: string[] = [];
		this.#axes.forEach((axis, index) => {
			const dimension = model.dimensions[axis]!;
			const ordinals = [...this.#members[index]!].sort((a, b) => a - b);
			members[dimension.id] = ordinals.map((ordinal) => dimension.member(ordinal).id);
			const names = ordinals.map((ordinal) => dimension.member(ordinal).name);
			words.push(names.length > 4 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', '));
		});
		const indexes = [...this.periods].sort((a, b) => a - b);
		const period = (index: number) => model.periods.dimension.member(model.periods.leaf(index).ordinal);
		members[model.periods.dimension.id] = indexes.map((index) => period(index).id);
		if (indexes.length === 0) return { words: 'nothing', members };
		const isRun = indexes.at(-1)! - indexes[0]! === indexes.length - 1;
		const names = indexes.map((index) => period(index).name);
		const spoken = names.length === 1 ? names[0]! : isRun || names.length > 4 ? `${names[0]} to ${names.at(-1)}` : names.join(', ');
		words.splice(1, 0, spoken);
		return { words: words.join(', '), members };
	}
}
