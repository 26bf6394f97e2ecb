/**
 * Scripts: the formula language of runbook steps. A text is read by a grammar (Lezer), its names are found, and its
 * assignments run over sparse cells: where the operands have values, or everywhere a scope says.
 *
 * Reading and checking is O(text); running is O(cells read + cells written). Names are kept as member ids beside the
 * text, so a rename never breaks a script. Empty operands never raise an error.
 */
export { checkScript, type ScriptContext } from './check';
export { namesOfModel, readExpression, type ExpressionNames, type ReadExpression } from './expression';
export { ScriptNames } from './names';
export { parser as scriptParser } from './parser.generated';
export { RunFault, runAssignments, type Writing, type Written } from './run';
export {
	readCards,
	type Card,
	type NameCard,
	type NarrowCard,
	type PartCard,
	type PlaceCard,
	type ReadCard,
	type SelectionCard,
	type Span
} from './cards';
export {
	addSelection,
	conditionPart,
	dissolveScope,
	dropSide,
	insertStatement,
	joinPart,
	printSelection,
	removeSelection,
	removeStatement,
	replaceSpan,
	swapStatements,
	isOfLevel
} from './edit-cards';
export { syntaxFault as scriptSyntaxFault } from './syntax-fault';
export { formatScript, printScript, type StoredScript } from './stored';
export { operandsIn } from './domain';
export { eachCell } from './operand';
export type { Assignment, CheckedScript, NameUse, ParameterValue, Scope, ScriptFault, Term } from './tree';
