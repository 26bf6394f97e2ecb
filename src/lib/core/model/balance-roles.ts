import type { Dimension } from '../dimension';
import type { RateUse } from '../currency';
import type { AccountDefinition, BalanceRole, BalanceRoleDefinition, TimeBehaviour } from './definition';

const BEHAVES: Record<BalanceRole, { timeBehaviour: TimeBehaviour; rateKind: RateUse }> = {
	opening: { timeBehaviour: 'opening', rateKind: 'previous closing' },
	movement: { timeBehaviour: 'flow', rateKind: 'average' },
	closing: { timeBehaviour: 'closing', rateKind: 'closing' }
};

/** The dimension whose members say opening, movement or closing, and what each of them says. */
export class BalanceRoles {
	/** Place of the dimension in an address; −1 where the model has none. */
	readonly axis: number;
	readonly #roles: (BalanceRole | undefined)[];
	readonly #facts = new Map<BalanceRole, (AccountDefinition | undefined)[]>();

	/**
	 * @param accounts facts by ordinal
	 * @throws Error where members of several dimensions say so, or of one that is not general
	 */
	constructor(
		dimensions: readonly Dimension[],
		definitions: readonly BalanceRoleDefinition[],
		accounts: readonly (AccountDefinition | undefined)[]
	) {
		const axes = new Set(definitions.map(({ member }) => dimensions.findIndex((dimension) => dimension.ordinal(member) !== undefined)));
		if (axes.size > 1) throw new Error('Members of one dimension only say opening, movement or closing.');
		this.axis = [...axes][0] ?? -1;
		const dimension = dimensions[this.axis];
		if (dimension && dimension.kind !== 'general') throw new Error(`${dimension.name} is no dimension of movements.`);
		this.#roles = dimension ? new Array<BalanceRole | undefined>(dimension.members.length).fill(undefined) : [];
		for (const { member, role } of definitions) this.#roles[dimension!.ordinal(member)!] = role;
		for (const role of new Set(definitions.map((each) => each.role)))
			this.#facts.set(
				role,
				accounts.map((facts) => facts && inRole(facts, role))
			);
	}

	/** What a member of the dimension says. */
	roleOf(ordinal: number): BalanceRole | undefined {
		return this.#roles[ordinal];
	}

	/** An account's facts beside a member of the dimension; undefined where they are its own. */
	factsBeside(account: number, ordinal: number): AccountDefinition | undefined {
		const role = this.#roles[ordinal];
		return role && this.#facts.get(role)![account];
	}
}

/** Only what adds up opens, moves and closes. Rates an account names itself stay. */
function inRole(facts: AccountDefinition, role: BalanceRole): AccountDefinition {
	const adds = facts.consolidation === 'sum' && (facts.frequency ?? 'per period') === 'per period';
	const { timeBehaviour, rateKind } = BEHAVES[role];
	return adds ? { ...facts, timeBehaviour, rateKind: facts.rateKind ?? rateKind } : facts;
}
