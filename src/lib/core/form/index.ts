/**
 * Forms: a saved layout over a slice, and its expansion into the lines of a grid for the members that exist today.
 *
 * A layout places every dimension once: on rows, on columns, in a selector the reader picks from, or pinned. A selector's
 * dimension may stand on an axis too when the axis refers to what was `chosen` (the months of the chosen year). Each axis
 * is a sequence of blocks: lines read from the model, lines computed from those before them, and headings.
 * Expansion is O(lines).
 */
export { accountsOfCheck, checkFigures, type CheckState } from './checks';
export { deriveFigure, favourableSignOf, isPercent, operandsOf, type DerivedFigure, type DerivedLine } from './derived';
export { expandForm } from './expand';
export type { ExpandedForm, FormLine, FormSelector } from './expand';
export { blockLabels, cellBlocks, upgradeLayout } from './layout';
export type {
	AxisBlock,
	CellBlock,
	FormRun,
	DerivedBlock,
	Derivation,
	Emphasis,
	FormCheck,
	FormLayout,
	FormLayout1,
	Reading,
	SelectorPart,
	TextBlock
} from './layout';
export { levelOf, thresholdsOf, type Level, type Thresholds } from './thresholds';
export { methodMoved, methodValues, type Method, type MethodInput } from './method';
