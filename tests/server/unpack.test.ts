import ExcelJS from 'exceljs';
import fc from 'fast-check';
import JSZip from 'jszip';
import { describe, expect, test } from 'vitest';
import { Fault } from '../../src/lib/server/fault';
import { unpack } from '../../src/lib/server/unpack';
import { CellCounter, openModestly } from '../../src/lib/server/unpack/modest';

const MOST = { bytes: 1_000_000, cells: 1_000, parts: 5, words: 'Too much.' };
const notReadable = () => new Fault(422, 'not understood', 'No zip.');
const open = (packed: Uint8Array, most = MOST) => openModestly(packed, most, notReadable);
const zipped = (parts: Record<string, string | Uint8Array>) => {
	const zip = new JSZip();
	for (const [name, content] of Object.entries(parts)) zip.file(name, content);
	return zip.generateAsync({ type: 'uint8array', compression: 'DEFLATE' });
};
const sheetOf = (cells: number) => `<sheetData><row r="1">${'<c r="A1"><v>1</v></c>'.repeat(cells)}</row></sheetData>`;
const workbookOf = async (rows: unknown[][]): Promise<Uint8Array> => {
	const workbook = new ExcelJS.Workbook();
	const sheet = workbook.addWorksheet('Sheet');
	for (const row of rows) sheet.addRow(row);
	return new Uint8Array(await workbook.xlsx.writeBuffer());
};

describe('what a packed file comes to is counted', () => {
	test('as it inflates', async () => {
		const packed = await zipped({ 'a.txt': new Uint8Array(5_000_000), 'b.txt': 'small' });
		expect(packed.length).toBeLessThan(20_000);
		await expect(open(packed)).rejects.toMatchObject({ status: 413, message: 'Too much.' });
		expect(Object.keys((await open(packed, { ...MOST, bytes: 5_000_005 })).files)).toEqual(['a.txt', 'b.txt']);
		await expect(open(packed, { ...MOST, bytes: 5_000_004 })).rejects.toMatchObject({ status: 413 });
	});
	test('and not as the file claims', async () => {
		const packed = await zipped({ 'a.txt': new Uint8Array(5_000_000) });
		// The directory at its end says that it comes to ten bytes.
		const view = new DataView(packed.buffer);
		for (let at = 0; at < packed.length - 4; at++) {
			if (view.getUint32(at, true) === 0x02014b50) view.setUint32(at + 24, 10, true);
			if (view.getUint32(at, true) === 0x04034b50) view.setUint32(at + 22, 10, true);
		}
		const fault = await open(packed).then(
			() => undefined,
			(error: Fault) => error
		);
		expect([413, 422]).toContain(fault?.status);
	});
	test('in cells and parts', async () => {
		await expect(open(await zipped({ 'xl/worksheets/sheet1.xml': sheetOf(1_001) }))).rejects.toMatchObject({ status: 413 });
		await open(await zipped({ 'xl/worksheets/sheet1.xml': sheetOf(500), 'xl/worksheets/sheet2.xml': sheetOf(500) }));
		await expect(
			open(await zipped({ 'xl/worksheets/sheet1.xml': sheetOf(500), 'xl/worksheets/sheet2.xml': sheetOf(501) }))
		).rejects.toMatchObject({
			status: 413
		});
		await expect(open(await zipped(Object.fromEntries(Array.from({ length: 6 }, (_, at) => [`${at}.txt`, 'x']))))).rejects.toMatchObject({
			status: 413
		});
		await expect(open(new Uint8Array([1, 2, 3]))).rejects.toMatchObject({ status: 422 });
	});
	test('wherever the pieces are cut', () => {
		fc.assert(
			fc.property(fc.nat({ max: 30 }), fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 1, maxLength: 60 }), (cells, cuts) => {
				// Columns and colours begin alike and are no cells.
				const bytes = Buffer.from(`<cols><col min="1"/></cols>${'<c r="A1"/><c>'.repeat(cells)}<color/>`);
				const counter = new CellCounter();
				for (let at = 0, cut = 0; at < bytes.length; cut++) {
					const length = cuts[cut % cuts.length]!;
					counter.take(bytes.subarray(at, at + length));
					at += length;
				}
				expect(counter.count).toBe(2 * cells);
			})
		);
	});
});

describe('the thread for packed files', () => {
	test('reads sheets as plain data', async () => {
		const bytes = await workbookOf([
			['Code', 'Amount', 'Day'],
			['A', 1.5, new Date('2027-03-01T00:00:00Z')],
			['B', { formula: '1+1' }, { formula: '1+2', result: 3 }]
		]);
		const [sheet] = await unpack('sheets', { bytes });
		expect(sheet!.name).toBe('Sheet');
		expect(sheet!.rows[2]!.slice(1)).toEqual([
			{ text: 'A', value: 'A' },
			{ text: '1.5', value: 1.5 },
			{ text: '2027-03-01', value: '2027-03-01' }
		]);
		expect(sheet!.rows[3]![2]).toMatchObject({ value: null, formula: '1+1', trouble: expect.stringContaining('formula without a result') });
		expect(sheet!.rows[3]![3]).toMatchObject({ value: 3, formula: '1+2' });
	});
	test('refuses a small file that comes to much, and goes on reading others', async () => {
		const bomb = await zipped({ 'xl/workbook.xml': '<workbook/>', 'xl/worksheets/sheet1.xml': new Uint8Array(140 * 1024 * 1024) });
		expect(bomb.length).toBeLessThan(300_000);
		const good = await workbookOf([
			['Code', 'Name'],
			['A', 'First']
		]);
		const [refused, grid, ...more] = await Promise.allSettled([
			unpack('sheets', { bytes: bomb }),
			unpack('grid', { bytes: good, name: 'good.xlsx' }),
			unpack('grid', { bytes: good, name: 'good.xlsx' }),
			unpack('package', { bytes: new Uint8Array([80, 75, 3, 4]) })
		]);
		expect(refused).toMatchObject({ status: 'rejected', reason: { status: 413 } });
		expect(grid).toMatchObject({
			value: [
				['Code', 'Name'],
				['A', 'First']
			]
		});
		expect(more[0]).toMatchObject({ status: 'fulfilled' });
		expect(more[1]).toMatchObject({ reason: { status: 422, message: 'This is not a model package: it is no zip file.' } });
	});
});
