/**
 * A model as the core sees it: plain definitions in, a `Model` with dimensions, time line and account facts by ordinal
 * out. Everything else in the core takes a `Model`.
 *
 * A cell's *address* is one leaf ordinal per dimension other than the period, in the order of `model.dimensions`,
 * beside the index of a leaf period.
 */
export { asItStood } from './as-it-stood';
export { factPeriod } from './fact-period';
export { leafOfPlace } from './leaf-of-place';
export { continuationOf, inContinuation, laterScenarios, type Continuation } from './continuation';
export { stands, type LiveFormula, type LiveOperand } from './live-formulas';
export { lastUnit, Model } from './model';
export type {
	AccountDefinition,
	AccountKind,
	BalanceRole,
	BalanceRoleDefinition,
	Consolidation,
	CurrencyDefinition,
	EntityDefinition,
	Frequency,
	ModelDefinition,
	OriginDefinition,
	OriginMode,
	RatesInstead,
	ScenarioDefinition,
	TimeBehaviour,
	ValueType
} from './definition';
