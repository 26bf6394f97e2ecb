import { parse } from 'csv-parse/sync';
import type { MapLine } from '../../core';
import { pool } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { guarded, toCsv } from '../structure/sheets';
import { editImport, type LineToAdd } from './edit';
import { readMapLines, type Terms } from './recipe';

const HEADINGS = ['kind', 'value', 'to', 'member', 'member name', 'reverse sign'];
const SKIP = 'leave out';
const MOST_LINES = 20_000;

/** Values of a list and conditions are separated by a bar; a bar within one is doubled. */
const BAR = ' | ';
const barred = (text: string) => text.replaceAll('|', '||');
const split = (text: string) => text.split(/\s*(?<!\|)\|(?!\|)\s*/).map((part) => part.replaceAll('||', '|'));

/** A map as CSV: a line each, with codes and names of the members. */
export async function exportMap(person: SignedIn | undefined, modelId: number, mapId: number): Promise<{ name: string; csv: string }> {
	requirePermission(person, 'data.read');
	const { name, dimension } = await mapOf(modelId, mapId);
	const lines = (await readMapLines(pool(), [mapId])).get(mapId)!;
	const members = await pool().query<{ id: number; code: string; name: string }>(
		'SELECT id, code, name FROM member WHERE dimension_id = $1',
		[dimension]
	);
	const byId = new Map(members.rows.map((member) => [member.id, member]));
	const rows = lines.map((line) => {
		const member = line.member === null ? undefined : byId.get(line.member);
		const [value, to] = cellsOf(line);
		return [line.kind, value, to, line.skip ? SKIP : (member?.code ?? ''), member?.name ?? '', line.reverseSign ? 'yes' : ''].map(guarded);
	});
	return { name, csv: toCsv([HEADINGS, ...rows]) };
}

function cellsOf(line: MapLine): [value: string, to: string] {
	switch (line.kind) {
		case 'single':
			return [line.value, ''];
		case 'any of':
			return [line.values.map(barred).join(BAR), ''];
		case 'span':
			return [line.from, line.to];
		case 'pattern':
			return [line.pattern, ''];
		case 'joint':
			return [line.conditions.map(({ column, pattern }) => barred(`${column}: ${pattern}`)).join(BAR), ''];
		default:
			return line satisfies never;
	}
}

/**
 * Replaces a map's lines by those of a CSV as `exportMap` writes it: all or nothing.
 * @throws Fault naming the first lines that cannot be read
 */
export async function importMap(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	mapId: number,
	csv: string
): Promise<{ lines: number }> {
	requirePermission(person, 'data.write');
	const { dimension } = await mapOf(modelId, mapId);
	let rows: string[][];
	try {
		const delimiter = csv.slice(0, 200).includes(';') ? ';' : ',';
		rows = parse(csv, { bom: true, delimiter, relax_column_count: true, skip_empty_lines: true });
	} catch {
		throw new Fault(422, 'broken file', 'This is no CSV file with map lines. Save the map as CSV to see how one is written.');
	}
	const headings = (rows.shift() ?? []).map((heading) => heading.trim().toLowerCase());
	if (headings.indexOf('kind') < 0 || headings.indexOf('value') < 0 || headings.indexOf('member') < 0)
		throw new Fault(
			422,
			'missing column',
			'The file needs the columns kind, value and member. Save the map as CSV to see how it is written.'
		);
	if (rows.length > MOST_LINES) throw new Fault(413, 'too large', `A map holds at most ${MOST_LINES} lines.`);
	const members = await pool().query<{ id: number; code: string }>('SELECT id, code FROM member WHERE dimension_id = $1', [dimension]);
	const byCode = new Map(members.rows.map((member) => [member.code, member.id]));
	const faults: string[] = [];
	const lines = rows.flatMap((row, index): LineToAdd[] => {
		const cell = (heading: string) => unguarded(row[headings.indexOf(heading)] ?? '');
		const read = lineOf(cell, byCode);
		if (typeof read !== 'string') return [read];
		faults.push(`line ${index + 2}: ${read}`);
		return [];
	});
	if (faults.length > 0)
		throw new Fault(
			422,
			'not read',
			`Nothing was changed. ${faults.slice(0, 5).join(' ')}${faults.length > 5 ? ` And ${faults.length - 5} more.` : ''}`,
			{ faults }
		);
	await editImport(person, modelId, code, { act: 'replace lines', map: mapId, lines });
	return { lines: lines.length };
}

const unguarded = (text: string) => (/^'[=+\-@]/.test(text) ? text.slice(1) : text);

function lineOf(cell: (heading: string) => string, byCode: ReadonlyMap<string, number>): LineToAdd | string {
	const terms = termsOf(cell('kind').trim().toLowerCase(), cell('value'), cell('to'));
	if (typeof terms === 'string') return terms;
	const reverseSign = /^(yes|y|1|true|x)$/i.test(cell('reverse sign').trim());
	const code = cell('member').trim();
	if (code.toLowerCase() === SKIP) return { terms, member: null, skip: true, reverseSign };
	if (code === '') return terms.kind === 'pattern' ? { terms, member: null, skip: false, reverseSign } : 'no member is named.';
	const member = byCode.get(code);
	return member === undefined ? `there is no member with the code “${code}”.` : { terms, member, skip: false, reverseSign };
}

function termsOf(kind: string, value: string, to: string): Terms | string {
	switch (kind) {
		case 'single':
			return { kind, value };
		case 'any of':
			return { kind, values: split(value) };
		case 'span':
			return { kind, from: value, to };
		case 'pattern':
			return { kind, pattern: value };
		case 'joint': {
			const conditions = split(value).map((part) => /^(.*?):\s*(.*)$/.exec(part));
			if (conditions.some((match) => !match)) return 'conditions are written as “Column: pattern | Column: pattern”.';
			return { kind, conditions: conditions.map((match) => ({ column: match![1]!, pattern: match![2]! })) };
		}
		default:
			return `“${kind}” is no kind of line; there are single, any of, span, pattern and joint.`;
	}
}

async function mapOf(modelId: number, mapId: number): Promise<{ name: string; dimension: number }> {
	const found = await pool().query<{ name: string; dimension: number }>(
		'SELECT m.name, m.dimension_id AS dimension FROM map m JOIN model_dimension d ON d.dimension_id = m.dimension_id AND d.model_id = $2 WHERE m.id = $1',
		[mapId, modelId]
	);
	if (!found.rows[0]) throw notFound('map');
	return found.rows[0];
}
