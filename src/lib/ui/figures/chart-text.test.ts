import { expect, test } from 'vitest';
import { chartText } from './chart-text';

test('a name in a chart makes no element, and stays readable', () => {
	expect(chartText('Fuel <img src=x onerror=alert(1)> & oil')).toBe('Fuel ‹img src=x onerror=alert(1)› & oil');
	expect(chartText('Sailings')).toBe('Sailings');
});
