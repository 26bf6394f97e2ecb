import spectrum from 'csv-spectrum';
import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { stringify } from 'csv-stringify/sync';
import { describe, expect, test } from 'vitest';
import { ledgerFile, ticketingFile } from '../../demo/ledger';
import { readRows, type RowChunk } from '../../src/lib/server/import/file/rows';
import { headingsOf, requireColumns } from '../../src/lib/server/import/file/source-rows';

const STYLE = { delimiter: ';', quote: '"', encoding: 'utf-8' } as const;
type Style = Parameters<typeof readRows>[1];

async function* stream(...parts: (string | Uint8Array)[]) {
	for (const part of parts) yield typeof part === 'string' ? new TextEncoder().encode(part) : part;
}
async function chunksOf(parts: (string | Uint8Array)[], style: Style = STYLE): Promise<RowChunk[]> {
	const chunks: RowChunk[] = [];
	for await (const chunk of readRows(stream(...parts), style)) chunks.push(chunk);
	return chunks;
}
const rowsOf = async (parts: (string | Uint8Array)[], style: Style = STYLE) =>
	(await chunksOf(parts, style)).flatMap(({ rows, lines }) => rows.map((row, index) => [lines[index]!, ...row]));

const cases = await new Promise<{ name: string; csv: Buffer; json: Buffer }[]>((done, failed) =>
	spectrum((error: Error | null, found: { name: string; csv: Buffer; json: Buffer }[]) => (error ? failed(error) : done(found)))
);

describe('a delimited text', () => {
	test('lines of a file may end in either way, and quoted fields too', async () => {
		expect(await rowsOf(['a;b\r\n1;x\n2;"y"\r\n3;"z"\n\r\n4;w\r', '\n5;v'])).toEqual([
			[1, 'a', 'b'],
			[2, '1', 'x'],
			[3, '2', 'y'],
			[4, '3', 'z'],
			[6, '4', 'w'],
			[7, '5', 'v']
		]);
		expect(await rowsOf(['a;b\n1;x\r\n2;y\n'])).toEqual([
			[1, 'a', 'b'],
			[2, '1', 'x'],
			[3, '2', 'y']
		]);
	});
	test('is read row by row with the line each begins on, blank lines and a byte order mark aside', async () =>
		expect(await rowsOf(['\uFEFFa;b;c\r\n1;2;x\r\n\r\n', '3;"4;5";y\r\n'])).toEqual([
			[1, 'a', 'b', 'c'],
			[2, '1', '2', 'x'],
			[4, '3', '4;5', 'y']
		]));
	test('counts lines within quoted fields', async () =>
		expect((await rowsOf(['a;b\n"1\n2";x\n3;y'])).map(([line]) => line)).toEqual([1, 2, 4]));
	test('may be cut anywhere, in the middle of a character too', async () =>
		expect(await rowsOf(['a;b\n', Uint8Array.of(0xc3), Uint8Array.of(0xb8), ';"', '1"', '";2"\n'])).toEqual([
			[1, 'a', 'b'],
			[2, 'ø', '1";2']
		]));
	test('keeps ragged rows as they are', async () =>
		expect(await rowsOf(['a;b;c\n1\n1;2;3;4\n'])).toEqual([
			[1, 'a', 'b', 'c'],
			[2, '1'],
			[3, '1', '2', '3', '4']
		]));
	test('says which bytes of the file a chunk of rows stands in', async () => {
		const text = Array.from({ length: 60_000 }, (_, index) => `ø${index};"x\ny"\n`).join('');
		const bytes = new TextEncoder().encode(text);
		const chunks = await chunksOf([bytes]);
		expect(chunks.length).toBeGreaterThan(1);
		for (const { rows, from, to, lines, next } of chunks) {
			const again = await rowsOf([bytes.subarray(from, to)]);
			expect(again.map(([, ...row]) => row)).toEqual(rows);
			expect(next).toBe(lines.at(-1)! + 2);
		}
		expect(chunks.at(-1)!.to).toBe(bytes.length);
	});
	test.each([
		['windows-1252', Uint8Array.of(0x46, 0xf8, 0x3b, 0x80), ['Fø', '€']],
		['utf-16le', Uint8Array.of(0xff, 0xfe, 0x61, 0, 0x3b, 0, 0xf8, 0), ['a', 'ø']],
		['utf-16be', Uint8Array.of(0, 0x61, 0, 0x3b, 0, 0xf8), ['a', 'ø']]
	] as const)('is read in %s', async (encoding, bytes, row) =>
		expect(await rowsOf([bytes], { ...STYLE, encoding })).toEqual([[1, ...row]])
	);

	test('however it is cut, is what a CSV writer wrote', async () => {
		const field = fc.stringMatching(/^[a;"\n ø]{0,5}$/);
		await fc.assert(
			fc.asyncProperty(
				fc.array(fc.array(field, { minLength: 2, maxLength: 3 }), { minLength: 1, maxLength: 8 }),
				fc.array(fc.nat(200), { maxLength: 4 }),
				async (rows, cuts) => {
					const bytes = new TextEncoder().encode(stringify(rows, { delimiter: ';' }));
					const places = [0, ...cuts.map((cut) => Math.min(cut, bytes.length)).sort((a, b) => a - b), bytes.length];
					const parts = places.slice(1).map((to, index) => bytes.subarray(places[index], to));
					expect((await rowsOf(parts)).map(([, ...row]) => row)).toEqual(rows.filter((row) => row.some((text) => text.trim() !== '')));
				}
			),
			{ numRuns: 300 }
		);
	});

	// What is expected of the case with coordinates is not what its file says.
	const sound = cases.filter(({ name }) => name !== 'location_coordinates');
	test.each(sound.map((each) => [each.name, each] as const))('of the CSV spectrum: %s', async (_, { csv, json }) => {
		const [headings = [], ...rows] = (await rowsOf([csv], { ...STYLE, delimiter: ',' })).map(([, ...row]) => row as string[]);
		const parsed = JSON.parse(json.toString()) as Record<string, string> | Record<string, string>[];
		const wanted = Array.isArray(parsed) ? parsed : [parsed];
		// The newlines of fields are those of the file.
		const plain = (text: string) => text.replaceAll('\r\n', '\n');
		expect(rows.map((row) => Object.fromEntries(headings.map((heading, index) => [heading, plain(row[index] ?? '')])))).toEqual(
			wanted.map((row) => Object.fromEntries(Object.entries(row).map(([key, value]) => [key, plain(value)])))
		);
	});

	test.each([
		['letters in another encoding', ['a;b\n', Uint8Array.of(0x66, 0xf8, 0x72), ';1\n'], /^The file is not written in UTF-8/],
		['UTF-16', [Uint8Array.of(0xff, 0xfe, 0x61, 0x00)], /It looks like UTF-16/],
		['zeros between the letters', ['a;b\n1\0;2\n'], /^This is not a text file/],
		['a quotation mark left open', ['a;b\n"1;2\n3;4\n'], 'The file cannot be read from line 2 on: a quotation mark is left open.'],
		['a quotation mark in the middle of a quoted field', ['a;b\n1;2\n"3"x;4\n5;"6"\n'], /line 3 on: a quotation mark is misplaced/],
		['a line of ten million characters', ['a;b\n', 'x'.repeat(10_000_000)], /^The row from line 2 on is longer than 2 million characters/]
	])('with %s is refused with a sentence', async (_, parts, message) =>
		expect(rowsOf(parts as (string | Uint8Array)[])).rejects.toThrow(message)
	);
});

describe('headings', () => {
	test('are made distinct, and empty ones called by their place', () =>
		expect(headingsOf(['Amount', '', ' Amount '])).toEqual(['Amount', 'Column 2', 'Amount (2)']));
	test('that are missing are named, with those that are there', () => {
		expect(() => requireColumns(['a', 'x'], ['b'], ';')).toThrow('The file has no column “b”. It has “a”, “x”. Nothing was loaded.');
		expect(() => requireColumns(['a,b'], ['b'], ';')).toThrow('one column only; this import expects “;”');
	});
});

test('the demo’s files are what the generator writes today', () => {
	expect(readFileSync('demo/files/ledger-2026-09.csv', 'utf8')).toBe(ledgerFile());
	expect(readFileSync('demo/files/ticketing-2026-09.csv', 'utf8')).toBe(ticketingFile());
});
