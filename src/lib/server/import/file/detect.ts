import {
	amountStyles,
	dateFormats,
	detectDelimiter,
	detectEncoding,
	detectHeaderRows,
	detectQuote,
	type SourceDateFormat
} from '../../../core';
import type { Source } from '../../definition/source-schema';
import { keptBytes, type KeptFile } from './keep';
import { readRows } from './rows';
import { headingsOf } from './source-rows';

/** Bytes looked at. */
const LOOKED_AT = 256 * 1024;
const MOST_ROWS = 400;

/** How a file seems to be written: settings to start from, and what each column holds. */
export interface Detected {
	settings: Pick<Source, 'delimiter' | 'quote' | 'encoding' | 'headerRows' | 'decimal' | 'group'>;
	headings: string[];
	columns: {
		heading: string;
		/** Ways of writing in which all its texts are dates; several where the days do not tell. */
		dates: SourceDateFormat[];
		isAmount: boolean;
		examples: string[];
	}[];
	rows: string[][];
}

/** Looks at the beginning of a kept file (of a workbook: at a sheet) and says how it seems to be written. */
export async function detectFile(file: KeptFile, sheet = ''): Promise<Detected> {
	const place = file.format === 'workbook' ? Math.max(0, file.sheets.indexOf(sheet)) + 1 : 0;
	const parts: Buffer[] = [];
	let bytes = 0;
	for await (const part of keptBytes(file.id, place)) {
		parts.push(part);
		bytes += part.length;
		if (bytes >= LOOKED_AT) break;
	}
	const beginning = Buffer.concat(parts).subarray(0, LOOKED_AT);
	const encoding = place > 0 ? 'utf-8' : detectEncoding(beginning, bytes >= LOOKED_AT);
	const text = new TextDecoder(encoding).decode(beginning);
	const quote = place > 0 ? '"' : detectQuote(text);
	const delimiter = place > 0 ? ',' : detectDelimiter(text, quote);
	const rows: string[][] = [];
	try {
		// A row that is cut off at the end is the last one, and too many to matter are left out.
		for await (const chunk of readRows(once(beginning), { encoding, quote, delimiter })) {
			rows.push(...chunk.rows);
			if (rows.length >= MOST_ROWS) break;
		}
	} catch {
		// What was read so far is enough to look at; reading the file will say what is wrong with it.
	}
	const headerRows = detectHeaderRows(rows);
	const headings = headingsOf(headerRows > 0 ? rows[headerRows - 1]! : (rows[0] ?? []).map((_, index) => `Column ${index + 1}`));
	const data = rows.slice(headerRows, bytes >= LOOKED_AT ? -1 : undefined).slice(0, MOST_ROWS);
	const columns = headings.map((heading, index) => {
		const texts = data.map((row) => row[index] ?? '').filter((value) => value.trim() !== '');
		const mostly = mostOf(texts, (some) => dateFormats(some).length > 0);
		return {
			heading,
			dates: mostly.length > 0 ? dateFormats(mostly) : [],
			isAmount: amountsAmong(texts).length > 0,
			examples: [...new Set(texts)].slice(0, 5)
		};
	});
	const style = amountStyleOf(columns, data);
	return { settings: { delimiter, quote, encoding, headerRows, ...style }, headings, columns, rows: data.slice(0, 50) };
}

/** The style of the column that looks most like amounts: fractions and groups tell more than whole numbers. */
function amountStyleOf(columns: Detected['columns'], rows: readonly string[][]): Pick<Source, 'decimal' | 'group'> {
	let best: { decimal: '.' | ','; group: string } = { decimal: '.', group: '' };
	let most = -1;
	for (const [index, column] of columns.entries()) {
		if (!column.isAmount || column.dates.length > 0) continue;
		const texts = amountsAmong(rows.map((row) => row[index] ?? '').filter((text) => text.trim() !== ''));
		const telling = texts.filter((text) => /[.,'’\s]\d/.test(text.trim())).length;
		const [style] = amountStyles(texts);
		if (style && telling > most) [best, most] = [style, telling];
	}
	return best;
}

/** The texts of a column that are amounts, written in one way; none where more than a few are something else. */
function amountsAmong(texts: readonly string[]): readonly string[] {
	const amounts = mostOf(texts, (some) => amountStyles(some).length > 0);
	return amounts.length > 0 && amountStyles(amounts).length > 0 ? amounts : [];
}

/** The texts without the few that do not fit: one wrong date among hundreds says nothing about the format. */
function mostOf(texts: readonly string[], fits: (texts: readonly string[]) => boolean): readonly string[] {
	if (texts.length === 0 || fits(texts)) return texts;
	const fitting = texts.filter((text) => fits([text]));
	const isFew = fitting.length >= texts.length * 0.9 || (texts.length >= 3 && texts.length - fitting.length === 1);
	return isFew ? fitting : [];
}

async function* once(bytes: Buffer): AsyncGenerator<Buffer> {
	yield bytes;
}
