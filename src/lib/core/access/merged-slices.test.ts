import fc from 'fast-check';
import { expect, test } from 'vitest';
import { mergedSlices, type SliceRule } from '.';

const covers = (slice: SliceRule, address: readonly number[]) =>
	address.every((member, dimension) => slice[dimension] === undefined || slice[dimension].includes(member));

test('months of a year become one slice; what differs in two dimensions stays apart', () => {
	const month = (member: number): SliceRule => ({ 1: [7], 2: [member] });
	expect(mergedSlices([month(1), month(2), month(3)])).toEqual([{ slice: { 1: [7], 2: [1, 2, 3] }, from: [0, 1, 2] }]);
	expect(
		mergedSlices([
			{ 1: [7], 2: [1] },
			{ 1: [8], 2: [2] }
		])
	).toHaveLength(2);
	// A square of four becomes one, whichever way it is merged first.
	expect(
		mergedSlices([
			{ 1: [7], 2: [1] },
			{ 1: [8], 2: [2] },
			{ 1: [8], 2: [1] },
			{ 1: [7], 2: [2] }
		])
	).toHaveLength(1);
	// One that names no member of a dimension takes in those that do.
	expect(mergedSlices([{ 1: [7], 2: [1] }, { 1: [7] }])).toEqual([{ slice: { 1: [7] }, from: [0, 1] }]);
	expect(mergedSlices([])).toEqual([]);
});

test('whatever the slices are, the merged ones cover the same, and each is in one', () => {
	const member = fc.integer({ min: 0, max: 3 });
	const members = fc.option(fc.uniqueArray(member, { minLength: 1, maxLength: 3 }), { nil: undefined });
	const slice = fc
		.tuple(members, members, members)
		.map((all): SliceRule => Object.fromEntries(all.flatMap((each, dimension) => (each ? [[dimension, each]] : []))));
	let fewer = 0;
	fc.assert(
		fc.property(fc.array(slice, { maxLength: 12 }), (slices) => {
			const merged = mergedSlices(slices);
			if (merged.length < slices.length) fewer++;
			expect(merged.flatMap(({ from }) => from).sort((one, other) => one - other)).toEqual([...slices.keys()]);
			for (let address = 0; address < 64; address++) {
				const at = [address % 4, Math.floor(address / 4) % 4, Math.floor(address / 16)];
				expect(merged.some((each) => covers(each.slice, at))).toBe(slices.some((each) => covers(each, at)));
			}
		})
	);
	expect(fewer).toBeGreaterThan(10);
});
