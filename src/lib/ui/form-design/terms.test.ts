import fc from 'fast-check';
import { expect, test } from 'vitest';
import { selectionInWords, type Selection } from '$lib/core';
import { fromTerms, toTerms } from './terms';

const names = new Map([
	[1, 'Skerry'],
	[2, 'Amber'],
	[3, 'Group']
]);

test('a selection comes apart into what it takes and leaves out, and together again', () => {
	const selection: Selection = {
		kind: 'where',
		test: { attribute: 'Region', operator: '=', value: 'North' },
		in: {
			kind: 'except',
			from: {
				kind: 'any of',
				selections: [
					{ kind: 'these', members: [1, 2] },
					{ kind: 'leaves', of: 3 }
				]
			},
			without: { kind: 'these', members: [2] }
		}
	};
	const terms = toTerms(selection);
	expect(terms.take).toHaveLength(3);
	expect(terms.without).toEqual([{ kind: 'these', members: [2] }]);
	expect(terms.test?.attribute).toBe('Region');
	expect(fromTerms(terms)).toEqual(selection);
	expect(selectionInWords(selection, names)).toBe('Skerry, Amber; leaves of Group except Amber where Region = North');
});

test('nothing taken is a selection of nothing', () => {
	expect(fromTerms({ take: [], without: [], test: null })).toEqual({ kind: 'these', members: [] });
	expect(selectionInWords({ kind: 'these', members: [] }, names)).toBe('nothing');
});

const term = fc.oneof(
	fc.array(fc.nat(9), { minLength: 1, maxLength: 3 }).map((members): Selection => ({ kind: 'these', members })),
	fc.nat(9).map((of): Selection => ({ kind: 'under', of })),
	fc.constant<Selection>({ kind: 'all' })
);
test('apart and together says the same as before', () =>
	fc.assert(
		fc.property(fc.array(term, { minLength: 1, maxLength: 4 }), fc.array(term, { maxLength: 3 }), (take, without) => {
			const once = fromTerms({ take, without, test: null });
			expect(fromTerms(toTerms(once))).toEqual(once);
		})
	));
