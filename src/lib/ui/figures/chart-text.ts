/**
 * A name for a chart. The chart library puts names into its legend and tips as HTML; without angle brackets no element can
 * come of them, whatever a member is called.
 */
export const chartText = (name: string): string => name.replaceAll('<', '‹').replaceAll('>', '›');
