/**
 * Formulas: a typed tree with member ids, what it reads, how it prints, and its evaluation from totals.
 *
 * Members are stored as ids, so a rename never breaks a formula; printing uses today's names. Empty operands never
 * raise an error: empty + 5 = 5, empty × anything = empty, division by zero or by empty gives empty.
 */
export { domainAccounts, inDomain, isFixed } from './domain';
export { evaluate } from './evaluate';
export { parseFormula, type FormulaFault, type FormulaNames } from './parse';
export { print } from './print';
export { accountsRead, readsOf, sameRead } from './reads';
export { compileVectors, type VectorFormula } from './vectors';
export type { AccountRead, BinaryOperator, Expression, FormulaDefinition, FormulaScope } from './expression';
