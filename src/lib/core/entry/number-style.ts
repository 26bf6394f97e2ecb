import type { NumberStyle } from './parse';

/** By locale; asking the platform takes half a millisecond, and it is asked with every figure that is typed. */
const known = new Map<string, NumberStyle>();

/** How numbers are written where a person comes from, by their locale. */
export function numberStyle(locale: string): NumberStyle {
	let style = known.get(locale);
	if (!style) known.set(locale, (style = styleOf(locale)));
	return style;
}

function styleOf(locale: string): NumberStyle {
	const parts = new Intl.NumberFormat(locale, { useGrouping: true }).formatToParts(1_234_567.8);
	const decimal = parts.find(({ type }) => type === 'decimal')?.value;
	const group = parts.find(({ type }) => type === 'group')?.value ?? '';
	return {
		decimal: decimal === ',' ? ',' : '.',
		group: group === '.' || group === ',' || group === '’' ? group : group.trim() === '' && group !== '' ? ' ' : ''
	};
}
