import type { MapLine } from './value-map';
import { matchesPattern } from './wildcard';

/** What is wrong with a line, in words; `with` names the other line. */
export interface MapFinding {
	line: number;
	kind: 'tie' | 'never wins' | 'empty';
	with: number | null;
	message: string;
}

/** Lines of one map that are compared in pairs at most; beyond it only exact doubles are looked for. */
const MOST_PAIRS = 2_000;

const valuesOf = (line: MapLine): string[] | undefined =>
	line.kind === 'single' ? [line.value.trim()] : line.kind === 'any of' ? line.values.map((value) => value.trim()) : undefined;

const asNumber = (text: string): number => (text.trim() === '' ? Number.NaN : Number(text));

function spanContains(line: Extract<MapLine, { kind: 'span' }>, value: string): boolean {
	const [from, to, number] = [asNumber(line.from), asNumber(line.to), asNumber(value)];
	if (Number.isFinite(from) && Number.isFinite(to)) return number >= from && number <= to;
	return value >= line.from.trim() && value <= line.to.trim();
}

/**
 * What can be said of a map's lines without any data: values that two lines of one kind both claim, lines that can never
 * win because an earlier kind takes all they match, spans that end before they begin, lines that match nothing.
 */
export function checkMap(lines: readonly MapLine[]): MapFinding[] {
	const findings: MapFinding[] = [];
	const add = (line: MapLine, kind: MapFinding['kind'], message: string, other: MapLine | null = null) =>
		findings.push({ line: line.id, kind, with: other?.id ?? null, message });
	const tie = (a: MapLine, b: MapLine, words: string) => {
		const place = (line: MapLine) => `line ${lines.indexOf(line) + 1}`;
		add(a, 'tie', `${words} is claimed by ${place(b)} too.`, b);
		add(b, 'tie', `${words} is claimed by ${place(a)} too.`, a);
	};
	const claimed = { single: new Map<string, MapLine>(), 'any of': new Map<string, MapLine>() };
	for (const line of lines) {
		if (line.kind !== 'single' && line.kind !== 'any of') continue;
		const values = valuesOf(line)!;
		if (values.length === 0) add(line, 'empty', 'No value is listed, so nothing matches.');
		for (const value of new Set(values)) {
			const other = claimed[line.kind].get(value);
			if (other) tie(other, line, value === '' ? 'The empty value' : `“${value}”`);
			else claimed[line.kind].set(value, line);
		}
	}
	for (const line of lines) {
		if (line.kind === 'any of' && line.values.length > 0 && line.values.every((value) => claimed.single.has(value.trim())))
			add(line, 'never wins', 'Each of its values has a single line, which wins.');
	}
	const spans = lines.filter((line) => line.kind === 'span');
	for (const [index, line] of spans.entries()) {
		const [from, to] = [asNumber(line.from), asNumber(line.to)];
		const isNumeric = Number.isFinite(from) && Number.isFinite(to);
		if (isNumeric ? from > to : line.from.trim() > line.to.trim()) {
			add(line, 'empty', `${line.to} comes before ${line.from}, so nothing matches.`);
			continue;
		}
		if (isNumeric && Number.isInteger(from) && Number.isInteger(to) && to - from < 1_000) {
			let all = true;
			for (let value = from; value <= to && all; value++) all = claimed.single.has(String(value)) || claimed['any of'].has(String(value));
			if (all) add(line, 'never wins', 'Each whole number in it has a line of its own, which wins.');
		}
		if (spans.length <= MOST_PAIRS)
			for (const other of spans.slice(index + 1))
				if (spanContains(line, other.from.trim()) || spanContains(other, line.from.trim()))
					tie(line, other, `What lies between ${later(line.from, other.from)} and ${earlier(line.to, other.to)}`);
	}
	const patterns = lines.filter((line) => line.kind === 'pattern');
	const byPattern = new Map<string, MapLine>();
	for (const line of patterns) {
		const pattern = line.pattern.trim();
		if (pattern === '') add(line, 'empty', 'The pattern is empty.');
		const same = byPattern.get(pattern);
		if (same) tie(same, line, `“${pattern}”`);
		else byPattern.set(pattern, line);
		if (!/[*?]/.test(pattern) && claimed.single.has(pattern)) add(line, 'never wins', 'The same value has a single line, which wins.');
	}
	const joints = new Map<string, MapLine>();
	for (const line of lines) {
		if (line.kind !== 'joint') continue;
		const key = JSON.stringify([...line.conditions].map(({ column, pattern }) => [column, pattern.trim()]).sort());
		const same = joints.get(key);
		if (same) tie(same, line, 'The same conditions');
		else joints.set(key, line);
	}
	return findings;
}

/** Lines whose terms a typed value meets, the winner first: for trying a map out. */
export function matchingLines(lines: readonly MapLine[], value: string, at: (column: string) => string): MapLine[] {
	const wanted = value.trim();
	const rank: Record<MapLine['kind'], number> = { joint: 0, single: 1, 'any of': 2, span: 3, pattern: 4 };
	const meets = (line: MapLine): boolean => {
		switch (line.kind) {
			case 'single':
				return line.value.trim() === wanted;
			case 'any of':
				return line.values.some((each) => each.trim() === wanted);
			case 'span':
				return spanContains(line, wanted);
			case 'pattern':
				return matchesPattern(wanted, line.pattern.trim());
			case 'joint':
				return line.conditions.every(({ column, pattern }) => matchesPattern(at(column).trim(), pattern.trim()));
			default:
				return line satisfies never;
		}
	};
	const length = (line: MapLine) => (line.kind === 'pattern' ? line.pattern.trim().length : 0);
	return lines.filter(meets).sort((a, b) => rank[a.kind] - rank[b.kind] || length(b) - length(a));
}

function later(a: string, b: string): string {
	return Number.isFinite(asNumber(a)) ? (asNumber(a) > asNumber(b) ? a : b) : a > b ? a : b;
}
function earlier(a: string, b: string): string {
	return Number.isFinite(asNumber(a)) ? (asNumber(a) < asNumber(b) ? a : b) : a < b ? a : b;
}
