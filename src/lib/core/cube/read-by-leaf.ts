import type { AccountDefinition, Model } from '../model';

/** Whether an account cannot be added up cell by cell: prices, percents, choices, latest values, yearly and timeless facts. */
export const isReadByLeaf = (account: AccountDefinition): boolean =>
	account.consolidation === 'weighted by' ||
	account.consolidation === 'average' ||
	account.consolidation === 'none' ||
	account.timeBehaviour === 'latest' ||
	(account.frequency ?? 'per period') !== 'per period';

/** The account that weighs another. */
export const weigherOf = (model: Model, { weight }: AccountDefinition): number | undefined =>
	typeof weight === 'number' ? model.accounts.ordinal(weight) : undefined;
