import { LoadGuard, LockTable, type AccessRules, type Lock, type Model } from '../../../core';

/** What decides where a load may write: grants of whoever loads, and what is locked. */
export interface LoadAccess {
	rules: AccessRules;
	locks: readonly Lock[];
}

/** @param mayExtend whether what is loaded after a scenario's span becomes part of it */
export const loadGuard = (model: Model, { rules, locks }: LoadAccess, mayExtend = false): LoadGuard =>
	new LoadGuard(model, rules, new LockTable(model, locks), mayExtend);
