/** How figures, dates and amounts are written for a person's locale. */

export interface FigureFormat {
	valueType: 'money' | 'quantity' | 'percent' | 'price' | 'choice' | 'date' | 'text';
	decimals: number;
	/** Show these decimals of money too, which is shown without any otherwise. */
	exactly?: boolean;
	/** What it counts in: 1,000 for thousands. */
	scale?: number;
}

const formats = new Map<string, Intl.NumberFormat>();

function numberFormat(locale: string, options: Intl.NumberFormatOptions): Intl.NumberFormat {
	const key = locale + JSON.stringify(options);
	let format = formats.get(key);
	if (!format) formats.set(key, (format = new Intl.NumberFormat(locale, options)));
	return format;
}

/** A figure as the grid shows it: money without decimals, percents with a sign. Empty gives an empty text. */
export function formatFigure(
	value: number | null,
	{ valueType, decimals, exactly = false, scale = 1 }: FigureFormat,
	locale: string
): string {
	if (value === null) return '';
	if (valueType === 'date') return new Intl.DateTimeFormat(locale, { dateStyle: 'medium', timeZone: 'UTC' }).format(value * 86_400_000);
	// −0 after rounding would show a minus before nothing.
	const unsigned = (of: number, digits: number) => (Math.abs(of) < 0.5 * 10 ** -digits ? 0 : of);
	if (valueType === 'percent') {
		const digits = { style: 'percent', minimumFractionDigits: decimals, maximumFractionDigits: decimals } as const;
		return numberFormat(locale, digits).format(unsigned(value, decimals + 2));
	}
	const shown = valueType === 'money' && !exactly ? 0 : decimals;
	const rounded = unsigned(value / scale, shown);
	return numberFormat(locale, { minimumFractionDigits: shown, maximumFractionDigits: shown }).format(rounded);
}

/** A figure as it is edited and copied: every digit that was stored, without groups. */
export function editableFigure(value: number | null, { valueType, scale = 1 }: FigureFormat, locale: string): string {
	if (value === null) return '';
	if (valueType === 'date') return new Date(value * 86_400_000).toISOString().slice(0, 10);
	const shown = valueType === 'percent' ? value * 100 : value / scale;
	return (
		numberFormat(locale, { useGrouping: false, maximumFractionDigits: 10 }).format(Number(shown.toPrecision(15))) +
		(valueType === 'percent' ? '%' : '')
	);
}

/** An amount with two decimals. */
export const formatAmount = (value: number, locale: string): string =>
	numberFormat(locale, { minimumFractionDigits: 2, maximumFractionDigits: 2 }).format(value);

/** A whole number with groups. */
export const formatCount = (value: number, locale: string): string => numberFormat(locale, { maximumFractionDigits: 0 }).format(value);

/** A moment as a short date and time. */
export const formatMoment = (iso: string, locale: string): string =>
	new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }).format(new Date(iso));

/** A day (`YYYY-MM-DD`) as a short date. */
export const formatDay = (day: string, locale: string): string =>
	new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' }).format(
		new Date(`${day}T00:00:00Z`)
	);
