import type { Address } from '../cell';
import { classesOf } from '../dimension';
import type { Model } from '../model';
import { coverage } from './read-guard';
import type { LockTable } from './lock-table';
import type { AccessRules } from './rules';
import { WriteGuard } from './write-guard';

/** Combinations of classes whose answer is kept; beyond it they are worked out again. */
const MOST_KEPT = 1_000_000;

/**
 * Whether loaded amounts may go to a cell, and why not: the rules of entries but for the months a scenario takes
 * entries in, which are about people typing. Members fall into classes (same grants, locks, account), so that a million
 * rows ask a small table. Asking is O(dimensions).
 */
export class LoadGuard {
	readonly #model: Model;
	readonly #guard: WriteGuard;
	readonly #classOf: Int32Array[];
	readonly #strides: number[];
	readonly #mayExtend: boolean;
	readonly #kept = new Map<number, string>();

	/** @param mayExtend whether what is loaded after a scenario's span becomes part of it */
	constructor(model: Model, rules: AccessRules, locks: LockTable, mayExtend = false) {
		this.#model = model;
		this.#mayExtend = mayExtend;
		this.#guard = new WriteGuard(model, rules, locks);
		const slices = [...rules.grants, ...(rules.heldFor ?? []), ...(rules.within ? [rules.within] : [])].map(({ slice }) => slice);
		const axes = [...model.dimensions, model.periods.dimension];
		const sizes: number[] = [];
		this.#classOf = axes.map((dimension, axis) => {
			const covers = slices.map((slice) => coverage(dimension, slice));
			const { classOf, representative } = classesOf(dimension.members.length, (ordinal) => {
				// Formulas have scopes of scenarios and periods, and scenarios a span: accounts with a formula, facts of the year,
				// scenarios and periods are told apart.
				const own =
					axis === model.accountAxis
						? `${model.account(ordinal)?.frequency ?? (model.account(ordinal) ? 1 : 0)}${model.formula(ordinal) || model.live.has(ordinal) ? ordinal : ''}`
						: dimension === model.periods.dimension || axis === model.scenarioAxis
							? ordinal
							: '';
				return `${covers.map((each) => each?.[ordinal] ?? 1).join('')} ${locks.classOf[axis]?.[ordinal] ?? ''} ${dimension.member(ordinal).retired ? 'r' : ''} ${own}`;
			});
			sizes.push(Math.max(1, representative.length));
			return classOf;
		});
		let stride = 1;
		this.#strides = sizes.map((size) => {
			const own = stride;
			stride *= size;
			return own;
		});
	}

	/** Why a leaf cell takes no loaded amount; undefined when it does. */
	whyNot(address: Address, period: number): string | undefined {
		let key = this.#classOf.at(-1)![this.#model.periods.leaf(period).ordinal]! * this.#strides.at(-1)!;
		for (let axis = 0; axis < address.length; axis++) key += this.#classOf[axis]![address[axis]!]! * this.#strides[axis]!;
		const kept = this.#kept.get(key);
		if (kept !== undefined) return kept === '' ? undefined : kept;
		const verdict = this.#guard.loadVerdict(address, period, this.#mayExtend);
		const reason = verdict.kind === 'enter' ? '' : 'reason' in verdict ? verdict.reason : 'No numbers can be stored here.';
		if (this.#kept.size < MOST_KEPT) this.#kept.set(key, reason);
		return reason === '' ? undefined : reason;
	}
}
