import type { PeriodFacts } from '../calendar';
import type { RateSetDefinition, RateUse } from '../currency';
import type { DimensionDefinition } from '../dimension';
import type { FormulaDefinition } from '../formula';

export type AccountKind = 'revenue' | 'expense' | 'asset' | 'liability' | 'equity' | 'statistic' | 'rate';
/** Choices, dates and texts are kept as numbers too: a member id, a day number, a place in the table of texts. */
export type ValueType = 'money' | 'quantity' | 'percent' | 'price' | 'choice' | 'date' | 'text';
/** `latest`: per leaf, the last value present in the span. */
export type TimeBehaviour = 'flow' | 'closing' | 'opening' | 'latest' | 'average' | 'none';
/**
 * How an account adds up over members: `weighted by` another account, `average` over the cells that hold a value,
 * `formula` from totals, `none` blank above the leaves.
 */
export type Consolidation = 'sum' | 'weighted by' | 'average' | 'formula' | 'none';
/** How often an account has a value: one cell a period, a scenario and year, or a scenario. */
export type Frequency = 'per period' | 'per year' | 'timeless';

export interface AccountDefinition {
	member: number;
	kind: AccountKind;
	valueType: ValueType;
	timeBehaviour: TimeBehaviour;
	consolidation: Consolidation;
	/** The weighing account (member id), for `weighted by`. */
	weight?: number | null;
	/** `per period` when left out. */
	frequency?: Frequency;
	/** Which rates translate it, where its time behaviour is not to decide. */
	rateKind?: RateUse | null;
	/** Whether an entry adds to what is loaded or computed, instead of standing in its place. */
	entriesAdjust?: boolean;
	/** Whether more or less of it is good; by its kind when left out. */
	favourable?: 'more' | 'less' | null;
	/** Where its values stop being fine, and where they ask for action; percents in hundredths of what they show. */
	watchFrom?: number | null;
	actFrom?: number | null;
	decimals: number;
	/** What is counted, for quantities: `litres`, `sailings`… */
	unit: string | null;
}

/**
 * What a member of a dimension of movements stands for in a balance. For accounts that add up it goes before their own time
 * behaviour and decides the rates.
 */
export type BalanceRole = 'opening' | 'movement' | 'closing';

export interface BalanceRoleDefinition {
	member: number;
	role: BalanceRole;
}

export interface EntityDefinition {
	member: number;
	currency: string;
}

export interface ScenarioDefinition {
	member: number;
	/** First and last leaf period (member ids) the scenario speaks about. */
	spanFrom: number;
	spanTo: number;
	/** First and last leaf period that take entries; null: none. */
	entryFrom: number | null;
	entryTo: number | null;
	rateSet: number;
	/** From a leaf period (member id) on another rate set, in time order. */
	laterRates?: { from: number; rateSet: number }[];
	continuesFrom: number | null;
	comparedWith: number | null;
}

export interface CurrencyDefinition {
	code: string;
	decimals: number;
}

/** `entry`: what people type; `loads`: imports, which add up among each other; `sets`: results of steps; `adds`: on top of all. */
export type OriginMode = 'entry' | 'loads' | 'sets' | 'adds';

export interface OriginDefinition {
	id: number;
	name: string;
	mode: OriginMode;
	/** Of results: the step and its runbook (none where that is gone), and how far down in it the step stands. */
	result?: { runbook: number | null; step: number; rank: number };
}

/** A rate set (id) that is read in the place of another one, wherever a scenario names that. */
export interface RatesInstead {
	of: number;
	by: number;
}

/** All that shapes a model, as plain data that can cross a thread or a wire. */
export interface ModelDefinition {
	id: number;
	code: string;
	name: string;
	reportingCurrency: string;
	currencies: CurrencyDefinition[];
	/** In address order; the period dimension is among them. Exactly one account, period and scenario dimension. */
	dimensions: DimensionDefinition[];
	periods: PeriodFacts[];
	accounts: AccountDefinition[];
	entities: EntityDefinition[];
	/** Of members without others beneath them, in one general dimension. */
	balanceRoles?: BalanceRoleDefinition[];
	scenarios: ScenarioDefinition[];
	rateSets: RateSetDefinition[];
	formulas: FormulaDefinition[];
	/** Named members and numbers, kept in one place. */
	variables?: { name: string; member: number | null; number: number | null }[];
	origins: OriginDefinition[];
}
