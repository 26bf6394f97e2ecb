/** How a person writes numbers. */
export interface NumberStyle {
	decimal: '.' | ',';
	group: ',' | '.' | ' ' | '’' | '';
}

/** What was typed. A `change` is applied to the figure that stands there. */
export type EntryInput =
	| { kind: 'set'; value: number }
	| { kind: 'clear' }
	| { kind: 'change'; operator: '+' | '*'; amount: number; percent: boolean }
	| { kind: 'fault'; message: string };

/**
 * Reads what was typed into a cell: a number (`1,200`, `-5`, `1.2m`, `350k`, `12%`), a calculation (`=12000/12`), or a
 * change (`+= 500`, `-= 2000`, `*= 1.1`, `+= 5%`). A plain signed number always sets. Empty text clears.
 * @param percentAccount in a percent account 5 means 5 %, and `+=` adds points
 * @param scale what a plain number counts in: 1,000 in a form shown in thousands; `k` and `m` are absolute
 */
export function parseEntry(text: string, style: NumberStyle, percentAccount = false, scale = 1): EntryInput {
	const typed = text.trim();
	if (typed === '') return { kind: 'clear' };
	const change = /^([+\-*])=\s*(.+)$/s.exec(typed);
	if (change) return parseChange(change[1] as '+' | '-' | '*', change[2]!, style, percentAccount, scale);
	const value = typed.startsWith('=') ? parseCalculation(typed.slice(1), style, scale) : parseNumber(typed, style, scale);
	if (value === undefined)
		return { kind: 'fault', message: `“${shortened(typed)}” is not a number. Type a figure such as 1200, 350k or =12000/12.` };
	if (!Number.isFinite(value.amount)) return { kind: 'fault', message: `“${shortened(typed)}” has no finite result.` };
	return { kind: 'set', value: percentAccount && !value.percent ? value.amount / 100 : value.amount };
}

function parseChange(sign: '+' | '-' | '*', rest: string, style: NumberStyle, percentAccount: boolean, scale: number): EntryInput {
	// A factor counts in nothing.
	const read = parseNumber(rest.trim(), style, sign === '*' ? 1 : scale);
	if (!read || !Number.isFinite(read.amount))
		return { kind: 'fault', message: `After ${sign}= a number is expected, not “${shortened(rest.trim())}”.` };
	if (sign === '*') return { kind: 'change', operator: '*', amount: read.amount, percent: false };
	const signed = sign === '-' ? -read.amount : read.amount;
	if (percentAccount) return { kind: 'change', operator: '+', amount: read.percent ? signed : signed / 100, percent: false };
	return { kind: 'change', operator: '+', amount: signed, percent: read.percent };
}

interface ReadNumber {
	amount: number;
	percent: boolean;
}

const FACTORS: Record<string, number> = { k: 1e3, m: 1e6 };

/** One number with optional sign, grouping, `k`, `m` or `%`; brackets around it mean minus, as in ledgers. */
function parseNumber(text: string, style: NumberStyle, scale = 1): ReadNumber | undefined {
	const bracketed = /^\((.+)\)$/.exec(text);
	const match = /^([+\-−]?)\s*([\d.,’'\s  ]*\d[\d.,’'  ]*)\s*([kKmM%]?)$/.exec(bracketed ? bracketed[1]! : text);
	if (!match) return undefined;
	const digits = plainDigits(match[2]!.trim(), style);
	if (digits === undefined) return undefined;
	const suffix = match[3]!.toLowerCase();
	let amount = Number(digits) * (FACTORS[suffix] ?? (suffix === '%' ? 1 : scale));
	if (suffix === '%') amount /= 100;
	if (match[1] === '-' || match[1] === '−') amount = -amount;
	return { amount: bracketed ? -amount : amount, percent: suffix === '%' };
}

/** Digits with a point, or undefined when the groups are not in threes: `1,2,3` is no number. */
function plainDigits(text: string, style: NumberStyle): string | undefined {
	const parts = text.split(style.decimal);
	if (parts.length > 2) return undefined;
	const [whole = '', fraction] = parts;
	if (fraction !== undefined && !/^\d*$/.test(fraction)) return undefined;
	const groups = whole.split(/[.,’'\s  ]/);
	const grouped = groups.length > 1;
	if (grouped && (!/^\d{1,3}$/.test(groups[0]!) || groups.slice(1).some((group) => !/^\d{3}$/.test(group)))) return undefined;
	if (!grouped && whole !== '' && !/^\d+$/.test(whole)) return undefined;
	return `${groups.join('') || '0'}.${fraction || '0'}`;
}

/** A calculation of numbers with + − × ÷ and brackets, by precedence. */
function parseCalculation(text: string, style: NumberStyle, scale: number): ReadNumber | undefined {
	const tokens = text.match(/[\d.,’']+\s*[kKmM%]?|[+\-*/()]/g);
	if (!tokens || tokens.join('').replace(/\s/g, '') !== text.replace(/\s/g, '')) return undefined;
	let at = 0;
	const factor = (): number | undefined => {
		const token = tokens[at++];
		if (token === '-') {
			const value = factor();
			return value === undefined ? undefined : -value;
		}
		if (token === '(') {
			const value = terms();
			return tokens[at++] === ')' ? value : undefined;
		}
		return token === undefined ? undefined : parseNumber(token.trim(), style)?.amount;
	};
	const product = (): number | undefined => {
		let value = factor();
		while (value !== undefined && (tokens[at] === '*' || tokens[at] === '/')) {
			const operator = tokens[at++];
			const right = factor();
			value = right === undefined ? undefined : operator === '*' ? value * right : value / right;
		}
		return value;
	};
	const terms = (): number | undefined => {
		let value = product();
		while (value !== undefined && (tokens[at] === '+' || tokens[at] === '-')) {
			const operator = tokens[at++];
			const right = product();
			value = right === undefined ? undefined : operator === '+' ? value + right : value - right;
		}
		return value;
	};
	const amount = terms();
	return amount === undefined || at !== tokens.length ? undefined : { amount: amount * scale, percent: false };
}

const shortened = (text: string): string => (text.length > 40 ? `${text.slice(0, 39)}…` : text);
