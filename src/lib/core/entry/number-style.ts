import type { NumberStyle } from './parse';

/** How numbers are written where a person comes from, by their locale. */
export function numberStyle(locale: string): NumberStyle {
	const parts = new Intl.NumberFormat(locale, { useGrouping: true }).formatToParts(1_234_567.8);
	const decimal = parts.find(({ type }) => type === 'decimal')?.value;
	const group = parts.find(({ type }) => type === 'group')?.value ?? '';
	return {
		decimal: decimal === ',' ? ',' : '.',
		group: group === '.' || group === ',' || group === '’' ? group : group.trim() === '' && group !== '' ? ' ' : ''
	};
}
