/** How a source writes amounts. */
export interface AmountStyle {
	decimal: '.' | ',';
	group: string;
}

/** Reads an amount of a source: leading or trailing minus, brackets for minus, groups. Undefined when it is no number. */
export function parseAmount(text: string, style: AmountStyle): number | undefined {
	const match = /^(\()?\s*([+-]?)\s*([\d.,'’\s  ]+?)\s*(-?)\s*(\))?$/.exec(text.trim());
	if (!match || Boolean(match[1]) !== Boolean(match[5])) return undefined;
	const plain = (style.group === '' ? match[3]! : match[3]!.replaceAll(style.group, '')).replace(/[\s  ]/g, '').replace(style.decimal, '.');
	if (!/^\d+(\.\d*)?$|^\.\d+$/.test(plain)) return undefined;
	const minus = [match[1] !== undefined, match[2] === '-', match[4] === '-'].filter(Boolean).length;
	return minus > 1 ? undefined : minus === 1 ? -Number(plain) : Number(plain);
}
