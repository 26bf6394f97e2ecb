/**
 * Forms: a saved layout over a slice, and its expansion into the lines of a grid for the members that exist today.
 *
 * A layout places every dimension once: on rows, on columns, in a selector the reader picks from, or pinned. A selector's
 * dimension may stand on an axis too when the axis refers to what was `chosen` (the months of the chosen year).
 * Expansion is O(lines).
 */
export { deriveFigure, favourableSign, favourableSignOf, operandsOf, type DerivedFigure, type DerivedLine } from './derived';
export { expandForm } from './expand';
export type { ExpandedForm, FormLine, FormSelector } from './expand';
export type { AxisBlock, DerivedPart, FormLayout, SelectorPart } from './layout';
