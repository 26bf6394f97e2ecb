/**
 * Who may read and write where, and why not: what takes entry, grants and locks.
 *
 * Grants and locks are slices over several dimensions together. Members fall into classes (same set of slices), so the
 * question for a parent cell is answered exactly by trying one leaf of each class. Compiling is O(slices × leaves); locks are compiled
 * once for everybody (`LockTable`).
 */
export { explainAccess, type AccessSentence } from './explain';
export { LOCK_LAYERS, LOCK_STATES, lockInWords, type HeldFor, type Lock, type LockLayer, type LockState } from './lock';
export { mergedSlices, type MergedSlice } from './merged-slices';
export { LockTable, type SliceState } from './lock-table';
export { LoadGuard } from './load-guard';
export { ReachTable } from './reach';
export { ReadGuard } from './read-guard';
export { WriteGuard } from './write-guard';
export type { AccessRules, Grant, SliceRule, Verdict } from './rules';
