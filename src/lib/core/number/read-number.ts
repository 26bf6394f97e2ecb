/** How a person writes numbers. */
export interface NumberStyle {
	decimal: '.' | ',';
	group: ',' | '.' | ' ' | '’' | '';
}

/** A number as it was written. */
export interface WrittenNumber {
	amount: number;
	/** `percent`: with a % behind it, the amount being the fraction; `absolute`: with k or m; `plain` otherwise. */
	unit: 'plain' | 'absolute' | 'percent';
}

const FACTORS: Record<string, number> = { k: 1e3, m: 1e6 };
const SPACES = /[\s\u00a0\u202f\u2009]/g;
/** A currency beside an amount, as statements print it: a sign, or three letters. */
const CURRENCY_BEFORE = /^(?:\p{Sc}|[A-Z]{3}(?=[\s\d(+\-−–.,]))\s*/u;
const CURRENCY_BEHIND = /(?<=[\d)%\-−–])\s*(?:\p{Sc}|[A-Z]{3})$/u;

/**
 * Reads one number as people write it: signed before or behind, in brackets for minus, with groups of three, a currency
 * beside it, and k, m or %. A dash alone is nothing, as accountants write it: 0. The one reader of every field.
 * @returns undefined where it is no number in this style: `1,2,3`, `0,500` where the comma groups, `12 apples`
 */
export function readNumber(text: string, style: NumberStyle): WrittenNumber | undefined {
	let rest = text.trim();
	if (/^[-−–—]$/.test(rest)) return { amount: 0, unit: 'plain' };
	let sign = 1;
	let signs = 0;
	const take = (pattern: RegExp): boolean => {
		const match = pattern.exec(rest);
		if (match) rest = rest.replace(pattern, '').trim();
		return match !== null;
	};
	const takeSign = () => {
		if (take(/^[-−–‐]|[-−–‐]$/)) {
			sign = -sign;
			signs++;
		} else if (take(/^\+|\+$/)) signs++;
	};
	take(CURRENCY_BEFORE);
	take(CURRENCY_BEHIND);
	if (/^\(.*\)$/s.test(rest)) {
		rest = rest.slice(1, -1).trim();
		sign = -sign;
		signs++;
	}
	takeSign();
	take(CURRENCY_BEFORE);
	take(CURRENCY_BEHIND);
	if (signs === 0) takeSign();
	if (signs > 1) return undefined;
	const suffix = /[kKmM%]$/.exec(rest)?.[0].toLowerCase() ?? '';
	if (suffix) rest = rest.slice(0, -1).trim();
	if (suffix === '') takeSign();
	const digits = signs > 1 ? undefined : digitsOf(rest, style);
	if (digits === undefined) return undefined;
	const amount = sign * Number(digits) * (FACTORS[suffix] ?? 1);
	// Minus nothing is nothing.
	const value = amount === 0 ? 0 : amount;
	if (suffix === '%') return { amount: value / 100, unit: 'percent' };
	return { amount: value, unit: suffix ? 'absolute' : 'plain' };
}

/**
 * The digits of a number without a sign, as a literal with a point. Groups are strict: of three digits, marked alike, and
 * none begins with 0, so that an amount in another style is never read a thousand times too large or too small.
 * @param marks what may stand between thousands; where people write, spaces and apostrophes always may
 */
export function digitsOf(
	text: string,
	{ decimal, group }: { decimal: string; group: string },
	marks: readonly string[] = [group, ' ', '’']
): string | undefined {
	const parts = text.split(decimal);
	if (parts.length > 2) return undefined;
	const whole = parts[0]!.replace(SPACES, ' ').replaceAll("'", '’');
	const fraction = parts[1] ?? '';
	if (!/^\d*$/.test(fraction) || (whole === '' && fraction === '')) return undefined;
	const allowed = marks.map((mark) => mark.replace(SPACES, ' ').replaceAll("'", '’'));
	const found = [...new Set(whole.replace(/\d/g, ''))];
	if (found.length > 1 || (found.length === 1 && !allowed.includes(found[0]!))) return undefined;
	const groups = found.length === 1 ? whole.split(found[0]!) : [whole];
	const isGrouped = groups.length > 1;
	if (isGrouped && (!/^[1-9]\d{0,2}$/.test(groups[0]!) || groups.slice(1).some((each) => !/^\d{3}$/.test(each)))) return undefined;
	return `${groups.join('') || '0'}.${fraction || '0'}`;
}
