import { describe, expect, test, vi } from 'vitest';

vi.mock('$app/state', () => ({ page: { data: { person: { locale: 'de' } } } }));
const { pastedShares } = await import('./pasted-shares');

const dimension = (id: number, name: string, members: string[]) => ({
	id,
	name,
	kind: 'general',
	members: members.map((code, at) => ({ id: id * 100 + at, code, name: `${code} route`, written: code, leaf: true }))
});
const ROUTE = dimension(5, 'Route', ['R1', 'R2']);
const CHANNEL = dimension(6, 'Channel', ['WEB']);

describe('shares pasted from a spreadsheet', () => {
	test('name members by code or name, under a heading or none, with numbers as the person writes them', () => {
		expect(pastedShares('Route\tShare\nR1\t60\nr2 route\t1.234,5\n', [ROUTE])).toEqual({
			shares: [
				{ members: { 5: 500 }, share: 60 },
				{ members: { 5: 501 }, share: 1234.5 }
			],
			faults: []
		});
	});
	test('have a column for each dimension of the receivers', () => {
		expect(pastedShares('R1\tWEB\t3', [ROUTE, CHANNEL]).shares).toEqual([{ members: { 5: 500, 6: 600 }, share: 3 }]);
	});
	test('say what was not understood, and keep the rest', () => {
		const { shares, faults } = pastedShares('R1\t1\nR9\t2\nR2\tmany\nR2\t-4', [ROUTE]);
		expect(shares).toEqual([{ members: { 5: 500 }, share: 1 }]);
		expect(faults).toEqual(['Row 2: “R9” is no member of Route.', 'Row 3 has no number in column 2.', 'Row 4: a share is not below 0.']);
	});
});
