/** The colours of a chart's series, in their order: told apart by whoever sees colours otherwise too (`ui/theme/contrast.test`). */
export const CHART_COLORS = ['--chart-1', '--chart-2', '--chart-3', '--chart-4', '--chart-5', '--chart-6'] as const;
