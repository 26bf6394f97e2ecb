import type { LockState } from '../access';

export type UnitState = 'not started' | 'in progress' | 'submitted' | 'returned' | 'approved';

/** What is done with a unit. */
export const UNIT_MOVES = ['begin', 'submit', 'recall', 'return', 'approve', 'reopen'] as const;
export type UnitMove = (typeof UNIT_MOVES)[number];

/** A unit of a round: where it stands in the tree and in the round. */
export interface CycleUnit {
	id: number;
	parent: number | null;
	state: UnitState;
	/** Of a submitted unit: how many reviews it has passed. */
	reviewed: number;
}

/** Where a move leaves a unit. */
export interface UnitStep {
	id: number;
	state: UnitState;
	reviewed: number;
}

export type MoveOutcome =
	| { steps: UnitStep[] }
	/** Why it cannot be, as a sentence. */
	| { refused: string };

/** The units of a round as a tree, ready to be moved. */
export class UnitTree {
	readonly #units: ReadonlyMap<number, CycleUnit>;
	readonly #children = new Map<number, CycleUnit[]>();

	constructor(units: readonly CycleUnit[]) {
		this.#units = new Map(units.map((unit) => [unit.id, unit]));
		for (const unit of units) {
			if (unit.parent === null) continue;
			const siblings = this.#children.get(unit.parent);
			if (siblings) siblings.push(unit);
			else this.#children.set(unit.parent, [unit]);
		}
	}

	childrenOf(id: number): readonly CycleUnit[] {
		return this.#children.get(id) ?? [];
	}

	/** The units above one, the nearest first. */
	above(id: number): CycleUnit[] {
		const found: CycleUnit[] = [];
		for (let at = this.#units.get(id)?.parent ?? null; at !== null; at = this.#units.get(at)?.parent ?? null)
			found.push(this.#units.get(at)!);
		return found;
	}

	/**
	 * What a move comes to: the step of the unit, and of those above it where one of its own goes back. Whoever asks must
	 * be who may; this says what may follow what.
	 * @param reviews how many reviews a submission passes before it is approved, one at least
	 */
	move(id: number, move: UnitMove, reviews: number): MoveOutcome {
		const unit = this.#units.get(id);
		if (!unit) return { refused: 'This unit is not in the round any more.' };
		const { state, reviewed } = unit;
		const at = (to: UnitState, passed = 0): UnitStep => ({ id, state: to, reviewed: passed });
		switch (move) {
			case 'begin':
				if (state === 'in progress') return { steps: [] };
				return state === 'not started' ? { steps: [at('in progress'), ...this.#begun(id)] } : { refused: `It is ${state} already.` };
			case 'submit': {
				if (state === 'submitted' || state === 'approved') return { refused: `It is ${state} already.` };
				const open = this.childrenOf(id).filter((child) => child.state !== 'approved');
				if (open.length > 0)
					return {
						refused: `A unit completes after those beneath it: ${open.length === 1 ? 'one is' : `${open.length} are`} not approved yet.`
					};
				return { steps: [at('submitted'), ...this.#begun(id)] };
			}
			case 'recall':
				if (state !== 'submitted') return { refused: `Only what is submitted is recalled: this is ${state}.` };
				return reviewed > 0 ? { refused: 'A reviewer has approved it already: ask them to return it.' } : { steps: [at('in progress')] };
			case 'return':
				if (state !== 'submitted') return { refused: `Only what is submitted is returned: this is ${state}.` };
				return { steps: [at('returned')] };
			case 'approve':
				if (state !== 'submitted') return { refused: `Only what is submitted is approved: this is ${state}.` };
				return { steps: [reviewed + 1 >= reviews ? at('approved') : at('submitted', reviewed + 1)] };
			case 'reopen':
				if (state !== 'approved') return { refused: `Only what is approved is opened again: this is ${state}.` };
				// Nothing stays submitted or approved above what is open.
				return { steps: [at('returned'), ...this.wentOn(id).map((above): UnitStep => ({ id: above.id, state: 'returned', reviewed: 0 }))] };
			default:
				return move satisfies never;
		}
	}

	/** Units above one that are submitted or approved: they go back with it. */
	wentOn(id: number): CycleUnit[] {
		return this.above(id).filter(({ state }) => state === 'submitted' || state === 'approved');
	}

	/** Where work begins beneath, it has begun above. */
	#begun(id: number): UnitStep[] {
		return this.above(id)
			.filter(({ state }) => state === 'not started')
			.map(({ id: above }): UnitStep => ({ id: above, state: 'in progress', reviewed: 0 }));
	}
}

/** What a unit's state means for its figures: open to whoever has a grant, held for its reviewers, or closed. */
export const lockOfUnit = (state: UnitState): LockState => (state === 'approved' ? 'closed' : state === 'submitted' ? 'held' : 'open');
