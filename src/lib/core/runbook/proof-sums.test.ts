import { describe, expect, test } from 'vitest';
import { isTied, proofsOf, sumsOf, type ProofRow } from '.';

const row = (more: Partial<ProofRow>): ProofRow => ({
	line: 'Line',
	scenario: 'Plan',
	period: 'Apr',
	currency: 'EUR',
	in: 0,
	out: 0,
	kept: 0,
	stranded: 0,
	rounding: 0,
	evenly: false,
	incomplete: false,
	...more
});

describe('a proof added up', () => {
	test('ties where all went somewhere; binary dust is no difference', () => {
		const [sum] = sumsOf([row({ in: 0.1 + 0.2, out: 0.3 }), row({ in: 5, out: 3, kept: 2 })]);
		expect(sum).toMatchObject({ in: 5.3, out: 3.3, kept: 2, stranded: 0, difference: 0 });
		expect(isTied(sum!)).toBe(true);
	});
	test('does not with something stranded, missing, or without a rate', () => {
		for (const more of [{ in: 1, stranded: 1 }, { in: 1 }, { in: 1, out: 1, incomplete: true }])
			expect(isTied(sumsOf([row(more)])[0]!)).toBe(false);
	});
	test('is told by currency, quantities apart', () => {
		expect(
			sumsOf([row({ in: 1 }), row({ in: 2, currency: null }), row({ in: 3 })]).map(({ currency, in: all }) => [currency, all])
		).toEqual([
			['EUR', 4],
			[null, 2]
		]);
	});
	test('steps that share nothing out have none', () => {
		expect(
			proofsOf([
				{ step: 1, name: 'Copy' },
				{ step: 2, name: 'Share', proof: { rows: [row({ in: 1, out: 1 })] } }
			]).map(({ step }) => step)
		).toEqual(['Share']);
	});
});
