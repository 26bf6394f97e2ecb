/**
 * Mapping: from the values of a source's rows to members.
 *
 * A map belongs to one dimension and has lines of five kinds. Precedence: joint, single, any of, span, pattern; among
 * patterns the longer one first. Two lines of one kind that both match are a fault, never a silent choice. Looking a
 * value up is O(1) for single and any of, O(lines) for the others.
 */
export { ValueMap } from './value-map';
export type { MapLine, MapMatch, SourceRow } from './value-map';
export { RowReader } from './row-reader';
export type { ColumnRule, ImportRecipe, MappedRow, RowFault } from './row-reader';
export { parseAmount } from './amount';
export type { AmountStyle } from './amount';
export { parseSourceDate } from './source-date';
export type { SourceDateFormat } from './source-date';
