/**
 * Formulas: a typed tree with member ids, what it reads, how it prints, and its evaluation from totals.
 *
 * Members are stored as ids, so a rename never breaks a formula; printing uses today's names. Empty operands never
 * raise an error: empty + 5 = 5, empty × anything = empty, division by zero or by empty gives empty.
 */
export { domainAccounts, inDomain } from './domain';
export { evaluate, type CellFacts } from './evaluate';
export { isPlain, partsOf } from './expression';
export { ARITHMETIC, compared, FUNCTIONS, isTrue, LOGIC, type Arithmetic, type At, type Comparison, type FunctionName } from './operators';
export { ACCOUNTS, mapExpression, membersIn, withUnits } from './members';
export { print, type PrintNames } from './print';
export { quoted, RESERVED, unquoted } from './words';
export { accountsRead, allReads, readsOf, sameRead, testsIn } from './reads';
export { compileVectors, type VectorFormula } from './vectors';
export type { AccountRead, BinaryOperator, Expression, FormulaDefinition, FormulaScope, MemberTest, PartOfYear } from './expression';
