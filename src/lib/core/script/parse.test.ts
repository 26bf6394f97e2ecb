import fc from 'fast-check';
import { expect, test } from 'vitest';
import { parseScript } from './parse';
import { parser } from './parser.generated';

const lines = [
	'Costs = Sales * 2',
	'within Period: "Apr-2027"',
	'end',
	'-- a note',
	'let up = $growth',
	'A = when B > (1 + C) then D else 0',
	'"'
];

test('what is taken from the text read before makes the same tree as reading anew', () => {
	const text = fc.array(fc.constantFrom(...lines), { minLength: 110, maxLength: 130 }).map((all) => all.join('\n'));
	const edit = fc.record({
		at: fc.nat(2_500),
		remove: fc.nat(40),
		insert: fc.constantFrom('', 'x', '(', ')', '"', '\n', 'within ', ' end\n')
	});
	fc.assert(
		fc.property(text, fc.array(edit, { maxLength: 8 }), (first, edits) => {
			let now = first;
			expect(parseScript(now).toString()).toBe(parser.parse(now).toString());
			for (const { at, remove, insert } of edits) {
				const from = Math.min(at, now.length);
				now = now.slice(0, from) + insert + now.slice(from + remove);
				expect(parseScript(now).toString()).toBe(parser.parse(now).toString());
			}
		}),
		{ numRuns: 40 }
	);
});
