/**
 * The cube: a model's numbers in memory, answering queries and keeping them right while cells change.
 *
 * The unit of storage is the *series*: one address (a leaf of every dimension but the period) for one fiscal year, its
 * values side by side, in blocks by scenario and year. Columns hold effective values; which origins contributed stands
 * beside them and is read when asked. A query is compiled into one table per dimension, from leaf to *class*: leaves
 * that count in the same members with the same weights are one class, so a scan adds whole series into a result about
 * as large as the form, and consolidation happens on that small result.
 *
 * Costs: a scan is O(series in the blocks met × dimensions); a changed cell in an open view is O(dimensions), and
 * evaluating the view O(its cells × classes beneath). Memory: about 11 bytes a cell at twelve values a series.
 */
export { BranchLayer, isIn, isWithin, TAKEN_AWAY, type HeldCell, type OwnExtent, type OwnResults } from './branch-layer';
export { Cube } from './cube';
export { addsUp, adjusts, entryFor, NOTHING, NOW, standingOrigins, type Contribution } from './standing';
export { SeriesStore } from './series-store';
export { mergeOverlay, type Merge, type MergeConflict } from './merge';
export { eachMovedFigure, type MovedFigure } from './moved-slices';
export { movedBeneath, type EntryNote, type MovedBeneath } from './moved-beneath';
export { CLEARED, Overlay, type OverlayCell } from './overlay';
export { freeze, FrozenResults, restate, type FrozenBlock } from './frozen-results';
export { compileQuery, QueryFault } from './query';
export type { CompiledQuery, Line, Query } from './query';
export { CellFlag, View } from './view';
export type { ViewResult } from './view';
export { eachLiveCell } from './live';
export { eachLiveChange } from './live-changes';
export { LeafReader } from './live-value';
export { Reader, type StoredReader } from './reader';
export { collapse, type Collapsed, type CollapsedSeries } from './collapse';
export { leafCells } from './leaf-cells';
export { eachShownCell } from './shown-cells';
export type { LeafCell } from './leaf-cells';
export { isTranslated, rateUse, Translator, translationFactors, rateSetLike, type MissingRate, type RatesLike } from './translation';
export { NearReader } from './near-reader';
export { WorkCube, type ChangedSeries } from './work-cube';
export { Block } from './series-store';
