import { describe, expect, test } from 'vitest';
import { readFileSync } from 'node:fs';
import { ledgerFile, ticketingFile } from '../../demo/ledger';
import { readRows } from '../../src/lib/server/import/file';

const source = { delimiter: ';', encoding: 'utf-8', amountColumn: 'b', decimal: '.', group: '' } as const;
const stream = (...parts: (string | Uint8Array)[]) =>
	new ReadableStream<Uint8Array>({
		start(controller) {
			for (const part of parts) controller.enqueue(typeof part === 'string' ? new TextEncoder().encode(part) : part);
			controller.close();
		}
	});
const rowsOf = async (...parts: (string | Uint8Array)[]) => {
	const rows = [];
	for await (const row of readRows(stream(...parts), source, ['a', 'b'])) rows.push(row);
	return rows;
};

describe('a source file', () => {
	test('is read row by row with the line of the file, blank lines and a byte order mark aside', async () =>
		expect(await rowsOf('\uFEFFa;b;c\r\n1;2;x\r\n\r\n', '3;"4;5";y\r\n')).toEqual([
			{ line: 2, values: { a: '1', b: '2', c: 'x' } },
			{ line: 4, values: { a: '3', b: '4;5', c: 'y' } }
		]));
	test('may cut a character in two between chunks', async () =>
		expect(await rowsOf('a;b\n', Uint8Array.of(0xc3), Uint8Array.of(0xb8), ';1\n')).toEqual([{ line: 2, values: { a: 'ø', b: '1' } }]));
	test.each([
		['a missing column', ['a;x\n1;2\n'], 'The file has no column “b”. It has “a”, “x”. Nothing was loaded.'],
		['another delimiter', ['a,b\n1,2\n'], /one column only; this import expects “;”/],
		[
			'Latin letters in another encoding',
			['a;b\n', Uint8Array.of(0x66, 0xf8, 0x72), ';1\n'],
			/^The file is not written in UTF-8, as this import expects\. Save it again/
		],
		['UTF-16', [Uint8Array.of(0xff, 0xfe, 0x61, 0x00)], /It looks like UTF-16/],
		['a spreadsheet instead of text', ['a;b\nPK\u0003\u0004\0\0'], /^This is not a text file/],
		['nothing at all', [''], 'The file is empty. Nothing was loaded.'],
		['a quotation mark left open', ['a;b\n"1;2\n3;4\n'], /^The file cannot be read near line/]
	])('%s is refused with a sentence', async (_, parts, message) => expect(rowsOf(...(parts as string[]))).rejects.toThrow(message));
	test('ends when it is larger than the limit', async () => {
		const chunk = new TextEncoder().encode(`${'x'.repeat(8_190)};\n`.repeat(1_024));
		await expect(rowsOf('a;b\n', ...Array.from({ length: 9 }, () => chunk))).rejects.toMatchObject({ status: 413 });
	});
});

test('the demo’s files are what the generator writes today', () => {
	expect(readFileSync('demo/files/ledger-2026-09.csv', 'utf8')).toBe(ledgerFile());
	expect(readFileSync('demo/files/ticketing-2026-09.csv', 'utf8')).toBe(ticketingFile());
});
