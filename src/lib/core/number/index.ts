/**
 * Numeric policy, in one place: how numbers are summed, rounded and shared out, and how empty differs from zero.
 *
 * An empty value is `NaN` throughout the core, so that a column of values is one `Float64Array`; a typed or loaded 0
 * is a value. Every function here is O(n) in its input.
 */
export { EMPTY, isEmpty, isSame, isValue, orNull } from './empty';
export { Sum, sum } from './sum';
export { roundTo, shareOut, sameAmount } from './round';
export { overPeriods } from './over-periods';
export { digitsOf, readNumber, type NumberStyle, type WrittenNumber } from './read-number';
