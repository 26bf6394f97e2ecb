/**
 * Entering: from what a person types in a cell of any level to the leaf cells that change.
 *
 * `parseEntry` reads the text, `enter` finds the leaves and calls `spread`, which shares the target out and ties
 * exactly. Cost: O(leaf cells beneath the figure), plus one pass over the blocks they lie in.
 */
export { parseEntry } from './parse';
export type { EntryInput, NumberStyle } from './parse';
export type { SpreadLeaf, SpreadMethod, SpreadResult } from './spread';
export { seek, type Goal, type Sought } from './goal-seek';
export { enter } from './enter';
export { FigureTotal, periodWeight } from './figure-total';
export type { EnterFault, EnterResult, Entering, EntryScene, Figure, LeafChange, SpreadOptions } from './enter';
export { parseCoded, type CodedValues } from './parse-coded';
export { pastedStyle, type PastedStyle } from './pasted';
export { dateStyle, localeAsked, LOCALES, numberStyle } from './number-style';
