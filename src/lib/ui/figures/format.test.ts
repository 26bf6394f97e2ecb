import { describe, expect, test } from 'vitest';
import { editableFigure, formatFigure } from './format';

const money = { valueType: 'money', decimals: 2 } as const;
const percent = { valueType: 'percent', decimals: 1 } as const;

describe('figures', () => {
	test.each([
		[1234.5, money, 'en-GB', '1,235'],
		[-0.2, money, 'en-GB', '0'],
		[null, money, 'en-GB', ''],
		[0.1234, percent, 'en-GB', '12.3%'],
		[-0.0003, percent, 'en-GB', '0.0%'],
		[0.7934, { valueType: 'price', decimals: 3 }, 'en-GB', '0.793'],
		[1234567, money, 'de-DE', '1.234.567']
	] as const)('%d', (value, format, locale, wanted) => expect(formatFigure(value, format, locale)).toBe(wanted));
	test('are edited with every digit and without groups', () => {
		expect(editableFigure(1234567.891, money, 'en-GB')).toBe('1234567.891');
		expect(editableFigure(0.125, percent, 'en-GB')).toBe('12.5%');
		expect(editableFigure(0.1 + 0.2, money, 'en-GB')).toBe('0.3');
		expect(editableFigure(1.5, money, 'de-DE')).toBe('1,5');
	});
});
