import { PatternIndex } from './pattern-index';
import { SpanIndex } from './span-index';
import { matchesPattern, partMatched } from './wildcard';

/** A row of a source: values by column heading. */
export type SourceRow = Readonly<Record<string, string>>;

/** What a line's terms say, by kind. */
export type MapTerms =
	| { kind: 'single'; value: string }
	| { kind: 'any of'; values: string[] }
	/** Both ends included; compared as numbers when both ends are numbers, else as text. */
	| { kind: 'span'; from: string; to: string }
	/** `*` any characters, `?` one. */
	| { kind: 'pattern'; pattern: string }
	| { kind: 'joint'; conditions: { column: string; pattern: string }[] };

/**
 * A line of a map. `member` is a member id; null to skip rows, or for a pattern that passes codes through: the value itself, or
 * what its single `*` stands for, so that `N-*` sends N-4012 to the member 4012.
 */
export type MapLine = { id: number; member: number | null; skip: boolean; reverseSign: boolean } & MapTerms;

export type MapMatch =
	| { kind: 'member'; member: number; reverseSign: boolean; line: number }
	| { kind: 'skip'; line: number }
	| { kind: 'none' }
	/** Several lines of one kind match. */
	| { kind: 'tie'; lines: number[] };

type LineOf<Kind extends MapLine['kind']> = Extract<MapLine, { kind: Kind }>;

const NONE: MapMatch = { kind: 'none' };

/**
 * A map ready for look-up. Precedence: joint, single, any of, span, pattern; the longer pattern first. Single values and
 * lists are one hash look-up, spans O(log spans) where they do not overlap, patterns one look-up for each distinct
 * length of their literal beginning.
 */
export class ValueMap {
	readonly #single = new Map<string, MapLine[]>();
	readonly #anyOf = new Map<string, MapLine[]>();
	readonly #spans: SpanIndex<LineOf<'span'>>;
	readonly #patterns: PatternIndex<LineOf<'pattern'>>;
	/** By the condition that narrows most; all others are tried on what it finds. */
	readonly #joints: { column: string; index: PatternIndex<{ line: LineOf<'joint'>; conditions: { column: string; pattern: string }[] }> }[];
	readonly #passThrough: (code: string) => number | undefined;

	/** @param passThrough the member of a code, for a pattern line without a member */
	constructor(lines: readonly MapLine[], passThrough: (code: string) => number | undefined = () => undefined) {
		this.#passThrough = passThrough;
		for (const line of lines) {
			if (line.kind === 'single') put(this.#single, line.value, line);
			if (line.kind === 'any of') for (const value of new Set(line.values)) put(this.#anyOf, value, line);
		}
		this.#spans = new SpanIndex(lines.filter((line) => line.kind === 'span'));
		this.#patterns = new PatternIndex(lines.filter((line) => line.kind === 'pattern').map((line) => ({ pattern: line.pattern, of: line })));
		this.#joints = jointIndexes(lines.filter((line) => line.kind === 'joint'));
	}

	/** Columns besides the mapped one that joint lines look at. */
	get jointColumns(): string[] {
		return [...new Set(this.#joints.flatMap(({ index }) => index.all.flatMap(({ of }) => of.conditions.map(({ column }) => column))))];
	}

	/** What a value becomes; `at` gives the row's other columns, for joint lines. */
	match(value: string, at: (column: string) => string): MapMatch {
		const wanted = value.trim();
		if (this.#joints.length > 0) {
			const joints = this.#joints.flatMap(({ column, index }) =>
				index
					.matching(at(column).trim())
					.filter(({ of }) => of.conditions.every((condition) => matchesPattern(at(condition.column).trim(), condition.pattern)))
					.map(({ of }) => of.line)
			);
			if (joints.length > 0) return this.#decide(joints, wanted);
		}
		const exact = this.#single.get(wanted) ?? this.#anyOf.get(wanted);
		if (exact) return this.#decide(exact, wanted);
		const spans = this.#spans.matching(wanted);
		if (spans.length > 0) return this.#decide(spans, wanted);
		const patterns = this.#patterns.matching(wanted);
		if (patterns.length === 0) return NONE;
		const longest = Math.max(...patterns.map(({ pattern }) => pattern.length));
		return this.#decide(
			patterns.filter(({ pattern }) => pattern.length === longest).map(({ of }) => of),
			wanted
		);
	}

	/** The member of a code that a pattern passes through, whole or in part. */
	#byCode(line: MapLine, value: string): number | undefined {
		const whole = this.#passThrough(value);
		if (whole !== undefined || line.kind !== 'pattern') return whole;
		const part = partMatched(value, line.pattern);
		return part === undefined ? undefined : this.#passThrough(part);
	}

	#decide(lines: readonly MapLine[], value: string): MapMatch {
		if (lines.length > 1) return { kind: 'tie', lines: lines.map((line) => line.id) };
		const line = lines[0]!;
		if (line.skip) return { kind: 'skip', line: line.id };
		const member = line.member ?? this.#byCode(line, value);
		return member === undefined ? NONE : { kind: 'member', member, reverseSign: line.reverseSign, line: line.id };
	}
}

function put(into: Map<string, MapLine[]>, value: string, line: MapLine): void {
	const key = value.trim();
	const there = into.get(key);
	if (there) there.push(line);
	else into.set(key, [line]);
}

function jointIndexes(lines: readonly LineOf<'joint'>[]) {
	const byColumn = new Map<string, LineOf<'joint'>[]>();
	for (const line of lines) {
		const literal = (pattern: string) => pattern.search(/[*?]|$/);
		const narrowest = [...line.conditions].sort((a, b) => literal(b.pattern) - literal(a.pattern))[0];
		if (narrowest) byColumn.set(narrowest.column, [...(byColumn.get(narrowest.column) ?? []), line]);
	}
	return [...byColumn].map(([column, of]) => ({
		column,
		index: new PatternIndex(
			of.map((line) => ({
				pattern: line.conditions.find((condition) => condition.column === column)!.pattern,
				of: { line, conditions: line.conditions.map(({ column, pattern }) => ({ column, pattern: pattern.trim() })) }
			}))
		)
	}));
}
