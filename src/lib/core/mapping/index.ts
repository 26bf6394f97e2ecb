/**
 * Mapping: from the values of a source's rows to members, and from its texts to amounts and dates.
 *
 * A map belongs to one dimension and has lines of five kinds. Precedence: joint, single, any of, span, pattern; among
 * patterns the longer one first. Two lines of one kind that both match are a fault, never a silent choice. A look-up
 * costs a few hash look-ups, whatever the number of lines; what distinct values become is kept by the row reader.
 */
export { ValueMap } from './value-map';
export type { MapLine, MapMatch, MapTerms, SourceRow } from './value-map';
export { checkMap, matchingLines } from './map-check';
export type { MapFinding } from './map-check';
export { neighboursReverse, suggestMembers } from './suggest';
export type { Candidate, Suggestion } from './suggest';
export { RowReader } from './row-reader';
export type { ColumnRule, ImportRecipe, RowFault, SourceValues } from './row-reader';
export { amountStyles } from './amount';
export type { AmountStyle } from './amount';
export { dateFormats, SOURCE_DATE_FORMATS } from './source-date';
export type { SourceDateFormat } from './source-date';
export { detectDelimiter, detectEncoding, detectHeaderRows, detectQuote, ENCODINGS } from './detect';
export type { Encoding } from './detect';
export { differenceToDate, differenceToDateInCurrencies } from './to-date';
export { matchesPattern } from './wildcard';
