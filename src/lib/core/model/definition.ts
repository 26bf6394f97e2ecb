import type { PeriodFacts } from '../calendar';
import type { RateSetDefinition } from '../currency';
import type { DimensionDefinition } from '../dimension';
import type { FormulaDefinition } from '../formula';

export type AccountKind = 'revenue' | 'expense' | 'asset' | 'liability' | 'equity' | 'statistic' | 'rate';
export type ValueType = 'money' | 'quantity' | 'percent' | 'price';
export type TimeBehaviour = 'flow' | 'closing' | 'opening' | 'average' | 'none';
/** How an account adds up over members; `formula`: computed from totals, `none`: blank above the leaves. */
export type Consolidation = 'sum' | 'formula' | 'none';

export interface AccountDefinition {
	member: number;
	kind: AccountKind;
	valueType: ValueType;
	timeBehaviour: TimeBehaviour;
	consolidation: Consolidation;
	decimals: number;
	/** What is counted, for quantities: `litres`, `sailings`… */
	unit: string | null;
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
	continuesFrom: number | null;
	comparedWith: number | null;
}

export interface CurrencyDefinition {
	code: string;
	decimals: number;
}

/** `entry`: what people type; `proposes`: a starting value an entry replaces; `adds`: on top of either. */
export type OriginMode = 'entry' | 'proposes' | 'adds';

export interface OriginDefinition {
	id: number;
	name: string;
	mode: OriginMode;
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
	scenarios: ScenarioDefinition[];
	rateSets: RateSetDefinition[];
	formulas: FormulaDefinition[];
	origins: OriginDefinition[];
}
