import type { MonthFacts } from './figures';

/** The facts of a month given as `YYYY-MM`. */
export function monthFacts(code: string, scenario: string, version: string): MonthFacts {
	const [year = 0, month = 0] = code.split('-').map(Number);
	return { month, days: new Date(Date.UTC(year, month, 0)).getUTCDate(), yearsOn: year - 2024 + (month - 4) / 12, scenario, version };
}
