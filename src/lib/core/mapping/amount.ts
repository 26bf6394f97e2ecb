import { digitsOf } from '../number';

/** How a source writes amounts. */
export interface AmountStyle {
	decimal: '.' | ',';
	/** What stands between thousands; empty for nothing. A space also stands for the narrow and the hard one. */
	group: string;
}

/** Brackets, sign, digits with groups and an exponent, sign. Minus is written as hyphen, minus, en dash or typesetters' hyphen. */
const AMOUNT = /^(\()?\s*([+\-−–‐]?)\s*([\d.,'’\s\u00a0\u202f\u2009]+(?:[eE][+-]?\d{1,3})?)\s*([+\-−–‐]?)\s*(\))?$/;
/** Whole numbers short enough not to be in need of groups, and fractions: alike in every style with this decimal mark. */
const PLAIN_POINT = /^-?\d{1,15}(?:\.\d{1,12})?$/;
const PLAIN_COMMA = /^-?\d{1,15}(?:,\d{1,12})?$/;

/**
 * Reads an amount of a source: leading or trailing minus, brackets for minus, groups of three digits, an exponent.
 * Strict about groups, so that an amount of the other style is never read a thousand times too large or too small.
 * Undefined when it is no number, or none a double can hold.
 */
export function parseAmount(text: string, style: AmountStyle): number | undefined {
	// Most sources write most amounts plainly; the general way takes ten times as long.
	if ((style.decimal === '.' ? PLAIN_POINT : PLAIN_COMMA).test(text)) return Number(style.decimal === '.' ? text : text.replace(',', '.'));
	const match = AMOUNT.exec(text.trim());
	if (!match || Boolean(match[1]) !== Boolean(match[5])) return undefined;
	const digits = plainDigits(match[3]!.trim(), style);
	if (digits === undefined) return undefined;
	const signs = [match[1] ? '-' : '', match[2]!, match[4]!].filter((sign) => sign !== '');
	if (signs.length > 1) return undefined;
	const value = Number(digits);
	if (!Number.isFinite(value)) return undefined;
	return signs.length === 1 && signs[0] !== '+' ? -value : value;
}

/** The digits as a number literal: groups taken out, decimal mark a point. Undefined where groups are misplaced. */
function plainDigits(text: string, style: AmountStyle): string | undefined {
	const [mantissa = '', exponent = ''] = text.split(/(?=[eE])/);
	const digits = digitsOf(mantissa, style, style.group === '' ? [] : [style.group]);
	return digits === undefined ? undefined : `${digits}${exponent}`;
}

const STYLES: readonly AmountStyle[] = [
	{ decimal: '.', group: '' },
	{ decimal: ',', group: '' },
	{ decimal: '.', group: ',' },
	{ decimal: ',', group: '.' },
	{ decimal: '.', group: ' ' },
	{ decimal: ',', group: ' ' },
	{ decimal: '.', group: "'" },
	{ decimal: '.', group: '’' }
];

/**
 * The ways of writing in which all of some texts are amounts, plain ones first. Several remain when the texts do not
 * tell: `1,234` alone is one and a quarter or a thousand.
 */
export function amountStyles(texts: readonly string[]): AmountStyle[] {
	const written = texts.filter((text) => text.trim() !== '');
	if (written.length === 0) return [];
	return STYLES.filter((style) => written.every((text) => parseAmount(text, style) !== undefined));
}
