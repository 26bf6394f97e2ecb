/**
 * Exchange rates and translation factors.
 *
 * A rate says how many units of its currency one unit of the pivot buys, valid over a span of dates. Any pair is crossed
 * through the pivot. A missing rate is reported, never taken as zero. A look-up is O(spans of the currency).
 */
export { RateTable } from './rate-table';
export type { RateDefinition, RateKind, RateSetDefinition, RateUse } from './rate-table';
