import fc from 'fast-check';
import { expect, test } from 'vitest';
import { fromClipboard, toClipboard } from './clipboard';

test('a copied block is the pasted block', () => {
	const cell = fc.stringMatching(/^[0-9.,%-]{1,8}$/);
	const blocks = fc
		.integer({ min: 1, max: 5 })
		.chain((width) => fc.array(fc.array(cell, { minLength: width, maxLength: width }), { minLength: 1, maxLength: 5 }));
	fc.assert(
		fc.property(blocks, (block) => {
			expect(fromClipboard(toClipboard(block))).toEqual(block);
		})
	);
});
test('empty cells keep their place, a last line break adds no row', () =>
	expect(fromClipboard('1\t\t3\r\n\t5\t\r\n')).toEqual([
		['1', '', '3'],
		['', '5', '']
	]));
test('quoted cells may hold tabs, line breaks and quotation marks', () =>
	expect(fromClipboard('"a\tb"\t"say ""hi"""\n"1\n2"')).toEqual([['a\tb', 'say "hi"'], ['1\n2']]));
test('nothing copied is nothing pasted', () => expect(fromClipboard('')).toEqual([]));
