import type { Address } from '../cell';
import { PeriodAxis, type PeriodRange } from '../calendar';
import { RateTable, type RateSetDefinition } from '../currency';
import { Dimension, type DimensionKind } from '../dimension';
import { partsOf, readsOf, withUnits, type Expression, type FormulaDefinition } from '../formula';
import { BalanceRoles } from './balance-roles';
import { LiveFormulas } from './live-formulas';
import type { AccountDefinition, ModelDefinition, OriginDefinition, RatesInstead, ScenarioDefinition } from './definition';

/** A scenario's spans as runs of leaf periods. */
export interface ScenarioSpan {
	definition: ScenarioDefinition;
	span: PeriodRange;
	entry: PeriodRange;
	/** Index of the leaf period from which another rate set counts. */
	laterRates: { from: number; rateSet: number }[];
}

/** Frozen results as those who read figures look for them. */
export interface FrozenLookup {
	/** What is kept at a cell, or that nothing shows there; empty where none is. */
	get(address: Address, year: number, position: number): number;
	/** Whether any result of an account is frozen in a fiscal year, of one scenario where given. */
	touches(account: number, year: number, scenario?: number): boolean;
	each(
		visit: (address: Int32Array, year: number, position: number, value: number) => void,
		where?: { scenario?: number; year?: number; account?: number }
	): void;
}

/** A model ready for use. A changed definition makes a new one; origins and rates alone are exchanged in place. */
export class Model {
	/** As given; its origins and rate sets are those in force. */
	definition: ModelDefinition;
	/** The dimensions of an address, the period left out. */
	readonly dimensions: readonly Dimension[];
	readonly periods: PeriodAxis;
	/** Places of these dimensions in `dimensions`; `entityAxis` is −1 when the model has no entities. */
	readonly accountAxis: number;
	readonly scenarioAxis: number;
	readonly entityAxis: number;
	/** The live formulas, comparisons in them knowing the units of what they compare. */
	readonly formulas: readonly FormulaDefinition[];
	/** The per-leaf formulas. */
	readonly live: LiveFormulas;
	/** Members that say opening, movement or closing. */
	readonly balanceRoles: BalanceRoles;
	/** Results of per-leaf formulas in closed slices that show as they were; undefined where there are none. */
	frozen: FrozenLookup | undefined;
	readonly #byId: Map<number, Dimension>;
	readonly #accounts: (AccountDefinition | undefined)[];
	readonly #currencies: (string | undefined)[];
	readonly #scenarios: (ScenarioSpan | undefined)[];
	readonly #formulas: (FormulaDefinition | undefined)[];
	#rates: Map<number, RateTable>;
	/** Set while the cube stands as a full copy of a branch: the rates that are read there. */
	ratesInstead: RatesInstead | undefined;
	#origins: Map<number, OriginDefinition>;
	/** The origins of the definition, as against those announced. */
	#known: ReadonlySet<number>;
	#hasAdditions: boolean | undefined;

	/** @throws Error when a dimension's hierarchy is faulty or a required dimension is missing */
	constructor(definition: ModelDefinition) {
		this.definition = definition;
		const all = definition.dimensions.map((dimension) => new Dimension(dimension));
		this.#byId = new Map(all.map((dimension) => [dimension.id, dimension]));
		const only = (kind: DimensionKind): Dimension => {
			const found = all.filter((dimension) => dimension.kind === kind);
			if (found.length !== 1) throw new Error(`A model has exactly one ${kind} dimension; ${definition.name} has ${found.length}.`);
			return found[0]!;
		};
		const period = only('period');
		this.dimensions = all.filter((dimension) => dimension !== period);
		this.periods = new PeriodAxis(period, definition.periods);
		this.accountAxis = this.dimensions.indexOf(only('account'));
		this.scenarioAxis = this.dimensions.indexOf(only('scenario'));
		this.entityAxis = this.dimensions.findIndex((dimension) => dimension.kind === 'entity');
		const accounts = this.dimensions[this.accountAxis]!;
		const scenarios = this.dimensions[this.scenarioAxis]!;
		this.#accounts = placed(
			accounts,
			definition.accounts,
			(account) => account.member,
			(account) => account
		);
		this.balanceRoles = new BalanceRoles(this.dimensions, definition.balanceRoles ?? [], this.#accounts);
		this.formulas = definition.formulas.map((formula) => ({
			...formula,
			expression: withUnits(formula.expression, (member) => this.#unitOf(member))
		}));
		this.#formulas = placed(
			accounts,
			this.formulas.filter(({ timing }) => timing === 'after totals'),
			(formula) => formula.account,
			(formula) => formula
		);
		for (const { account, expression } of this.#formulas.filter((formula) => formula !== undefined))
			if (readsOf(expression).some(({ at, shift }) => at ?? shift) || asksOfCells(expression))
				throw new Error(
					`The formula of ${accounts.member(accounts.ordinal(account)!).name} is computed from totals, so it reads at its own cell only.`
				);
		const entities = this.dimensions[this.entityAxis];
		this.#currencies = entities
			? placed(
					entities,
					definition.entities,
					(entity) => entity.member,
					(entity) => entity.currency
				)
			: [];
		this.#scenarios = placed(
			scenarios,
			definition.scenarios,
			(scenario) => scenario.member,
			(scenario) => ({
				definition: scenario,
				span: this.#between(scenario.spanFrom, scenario.spanTo),
				laterRates: (scenario.laterRates ?? []).map(({ from, rateSet }) => ({ from: this.#between(from, from).from, rateSet })),
				entry:
					scenario.entryFrom === null || scenario.entryTo === null
						? { from: 0, to: -1 }
						: this.#between(scenario.entryFrom, scenario.entryTo)
			})
		);
		this.#rates = new Map(definition.rateSets.map((set) => [set.id, new RateTable(set)]));
		this.live = new LiveFormulas(this);
		this.#origins = new Map(definition.origins.map((origin) => [origin.id, origin]));
		this.#known = new Set(this.#origins.keys());
	}

	/** The dimension with an id, the period dimension included. */
	dimension(id: number): Dimension | undefined {
		return this.#byId.get(id);
	}

	get accounts(): Dimension {
		return this.dimensions[this.accountAxis]!;
	}

	get scenarios(): Dimension {
		return this.dimensions[this.scenarioAxis]!;
	}

	/** An account's facts; undefined for accounts that only group others. */
	account(ordinal: number): AccountDefinition | undefined {
		return this.#accounts[ordinal];
	}

	/**
	 * The facts of an account at a leaf address: where a member there says opening, movement or closing, that goes before the
	 * account's own behaviour over time and decides its rates.
	 */
	factsAt(address: ArrayLike<number>): AccountDefinition | undefined {
		const account = address[this.accountAxis]!;
		const { axis } = this.balanceRoles;
		return (axis < 0 ? undefined : this.balanceRoles.factsBeside(account, address[axis]!)) ?? this.#accounts[account];
	}

	/** The after-totals formula on an account, if it has one. */
	formula(accountOrdinal: number): FormulaDefinition | undefined {
		return this.#formulas[accountOrdinal];
	}

	/** Member ids by the name of their variable. */
	get variables(): ReadonlyMap<string, number> {
		return new Map((this.definition.variables ?? []).flatMap(({ name, member }) => (member === null ? [] : [[name, member] as const])));
	}

	/** The local currency of an entity; the reporting currency where none is given. */
	currencyOf(entityOrdinal: number): string {
		return this.#currencies[entityOrdinal] ?? this.definition.reportingCurrency;
	}

	scenario(ordinal: number): ScenarioSpan | undefined {
		return this.#scenarios[ordinal];
	}

	rates(rateSet: number): RateTable | undefined {
		return this.#rates.get(rateSet);
	}

	/** Makes origins known that are not stored yet: those of results that are looked at before they are written. */
	announce(origins: readonly OriginDefinition[]): void {
		for (const id of this.#origins.keys()) if (!this.#known.has(id)) this.#origins.delete(id);
		for (const origin of origins) if (!this.#known.has(origin.id)) this.#origins.set(origin.id, origin);
		this.#hasAdditions = undefined;
	}

	/**
	 * Takes other origins in place of those it has, announced ones included.
	 * @returns whether what stands at cells may be another: an origin it knew has another mode or place among its steps
	 */
	replaceOrigins(origins: readonly OriginDefinition[]): boolean {
		const before = this.#origins;
		const changed = origins.some((origin) => {
			const known = before.get(origin.id);
			return known !== undefined && (known.mode !== origin.mode || JSON.stringify(known.result) !== JSON.stringify(origin.result));
		});
		this.definition = { ...this.definition, origins: [...origins] };
		this.#origins = new Map(origins.map((origin) => [origin.id, origin]));
		this.#known = new Set(this.#origins.keys());
		this.#hasAdditions = undefined;
		return changed;
	}

	/** Takes other rates; views that have translated with the former ones must be filled anew. */
	replaceRates(rateSets: readonly RateSetDefinition[]): void {
		this.definition = { ...this.definition, rateSets: [...rateSets] };
		this.#rates = new Map(rateSets.map((set) => [set.id, new RateTable(set)]));
	}

	/** Whether anything may add to what stands at a cell: results that come on top, or entries that adjust. */
	get hasAdditions(): boolean {
		return (this.#hasAdditions ??=
			[...this.#origins.values()].some(({ mode }) => mode === 'adds') ||
			this.definition.accounts.some(({ entriesAdjust }) => entriesAdjust));
	}

	origin(id: number): OriginDefinition | undefined {
		return this.#origins.get(id);
	}

	/** The rate set of a scenario in a leaf period: its first one, or a later one by then; another one where it is replaced. */
	rateSetAt(scenarioOrdinal: number, period: number, instead = this.ratesInstead): number | undefined {
		const scenario = this.#scenarios[scenarioOrdinal];
		const rateSet = scenario && (scenario.laterRates.findLast(({ from }) => period >= from)?.rateSet ?? scenario.definition.rateSet);
		return instead && rateSet === instead.of ? instead.by : rateSet;
	}

	/** Decimals of a currency's amounts (2 when unknown). */
	currencyDecimals(code: string): number {
		return this.definition.currencies.find((currency) => currency.code === code)?.decimals ?? 2;
	}

	#unitOf(member: number): number {
		const ordinal = this.accounts.ordinal(member);
		return ordinal === undefined ? 0 : lastUnit(this, ordinal);
	}

	#between(fromMember: number, toMember: number): PeriodRange {
		const from = this.periods.dimension.ordinal(fromMember);
		const to = this.periods.dimension.ordinal(toMember);
		if (from === undefined || to === undefined) return { from: 0, to: -1 };
		return { from: this.periods.range(from).from, to: this.periods.range(to).to };
	}
}

/** A list by ordinal out of definitions that name their member. */
function placed<Item, Fact>(
	dimension: Dimension,
	items: readonly Item[],
	memberOf: (item: Item) => number,
	factOf: (item: Item) => Fact
): (Fact | undefined)[] {
	const list: (Fact | undefined)[] = new Array(dimension.members.length).fill(undefined);
	for (const item of items) {
		const ordinal = dimension.ordinal(memberOf(item));
		if (ordinal !== undefined) list[ordinal] = factOf(item);
	}
	return list;
}

/** Whether an expression asks which members or period a cell has: above the leaves there is no one answer. */
const asksOfCells = (expression: Expression): boolean =>
	['member in', 'member is choice', 'period now', 'period of'].includes(expression.kind) ||
	(expression.kind === 'call' && expression.name === 'days') ||
	partsOf(expression).some(asksOfCells);

/**
 * The unit of an account's last decimal, in which its values are told apart; of a parent the finest beneath it. A percent
 * is kept as a fraction, so its unit is a hundredth of what it shows.
 */
export function lastUnit(model: Model, account: number): number {
	const units = model.accounts.leavesOf(account).flatMap((leaf) => {
		const facts = model.account(leaf);
		return facts ? [10 ** -(facts.valueType === 'percent' ? facts.decimals + 2 : facts.decimals)] : [];
	});
	return units.length === 0 ? 0 : Math.min(...units);
}
