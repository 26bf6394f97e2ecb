import { readNumber, type NumberStyle, type WrittenNumber } from '../number';

export type { NumberStyle };

/** What was typed. A `change` is applied to the figure that stands there. */
export type EntryInput =
	| { kind: 'set'; value: number }
	/** Takes entries away; `empties`: nothing shall show, also where something was loaded or computed (choices, dates, texts). */
	| { kind: 'clear'; empties?: boolean }
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
	const isCalculation = typed.startsWith('=');
	const value = isCalculation ? parseCalculation(typed.slice(1), style, percentAccount) : readNumber(typed, style);
	if (value === undefined)
		return { kind: 'fault', message: `“${shortened(typed)}” is not a number. Type a figure such as 1200, 350k or =12000/12.` };
	if (!Number.isFinite(value.amount)) return { kind: 'fault', message: `“${shortened(typed)}” has no finite result.` };
	if (percentAccount) return { kind: 'set', value: value.unit === 'plain' ? value.amount / 100 : value.amount };
	if (value.unit === 'percent')
		return {
			kind: 'fault',
			message: `“${shortened(typed)}” is a percentage, and this is an amount. To change it by that, type += ${shortened(typed)}.`
		};
	return { kind: 'set', value: value.unit === 'plain' ? value.amount * scale : value.amount };
}

function parseChange(sign: '+' | '-' | '*', rest: string, style: NumberStyle, percentAccount: boolean, scale: number): EntryInput {
	const read = readNumber(rest.trim(), style);
	if (!read || !Number.isFinite(read.amount))
		return { kind: 'fault', message: `After ${sign}= a number is expected, not “${shortened(rest.trim())}”.` };
	// A factor counts in nothing.
	if (sign === '*') return { kind: 'change', operator: '*', amount: read.amount, percent: false };
	const amount = (sign === '-' ? -1 : 1) * read.amount;
	const isPercent = read.unit === 'percent';
	if (percentAccount) return { kind: 'change', operator: '+', amount: isPercent ? amount : amount / 100, percent: false };
	return { kind: 'change', operator: '+', amount: read.unit === 'plain' ? amount * scale : amount, percent: isPercent };
}

/**
 * A calculation of numbers with + − × ÷ and brackets, by precedence. Units go along: what is multiplied with an absolute
 * amount is absolute, a percentage of something is of its kind, and sums are of one kind.
 * @param keepsPercent in a percent account a percentage times a number is a percentage
 */
function parseCalculation(text: string, style: NumberStyle, keepsPercent: boolean): WrittenNumber | undefined {
	const tokens = text.match(/[\d.,’']+\s*[kKmM%]?|[+\-*/()]/g);
	if (!tokens || tokens.join('').replace(/\s/g, '') !== text.replace(/\s/g, '')) return undefined;
	let at = 0;
	const factor = (): WrittenNumber | undefined => {
		const token = tokens[at++];
		if (token === '-') {
			const value = factor();
			return value && { ...value, amount: -value.amount };
		}
		if (token === '(') {
			const value = terms();
			return tokens[at++] === ')' ? value : undefined;
		}
		return token === undefined ? undefined : readNumber(token.trim(), style);
	};
	const product = (): WrittenNumber | undefined => {
		let value = factor();
		while (value !== undefined && (tokens[at] === '*' || tokens[at] === '/')) {
			const operator = tokens[at++];
			const right = factor();
			if (!right) return undefined;
			const isRatio = operator === '/' && value.unit === right.unit;
			value = {
				amount: operator === '*' ? value.amount * right.amount : value.amount / right.amount,
				unit: isRatio ? 'plain' : unitOfProduct(value.unit, right.unit, keepsPercent)
			};
		}
		return value;
	};
	const terms = (): WrittenNumber | undefined => {
		let value = product();
		while (value !== undefined && (tokens[at] === '+' || tokens[at] === '-')) {
			const operator = tokens[at++];
			const right = product();
			// Thousands and units, or parts and percents, do not add up without saying which is meant.
			if (!right || right.unit !== value.unit) return undefined;
			value = { ...value, amount: operator === '+' ? value.amount + right.amount : value.amount - right.amount };
		}
		return value;
	};
	const result = terms();
	return result === undefined || at !== tokens.length ? undefined : result;
}

function unitOfProduct(one: WrittenNumber['unit'], other: WrittenNumber['unit'], keepsPercent: boolean): WrittenNumber['unit'] {
	if (one === 'absolute' || other === 'absolute') return 'absolute';
	return keepsPercent && (one === 'percent' || other === 'percent') ? 'percent' : 'plain';
}

const shortened = (text: string): string => (text.length > 40 ? `${text.slice(0, 39)}…` : text);
