/** A row of a source: values by column heading. */
export type SourceRow = Readonly<Record<string, string>>;

/** A line of a map. `member` is a member id; null for a pattern `*` that passes codes through, or to skip rows. */
export type MapLine = { id: number; member: number | null; skip: boolean; reverseSign: boolean } & (
	| { kind: 'single'; value: string }
	| { kind: 'any of'; values: string[] }
	/** Both ends included; compared as numbers when both ends are numbers, else as text. */
	| { kind: 'span'; from: string; to: string }
	/** `*` any characters, `?` one. */
	| { kind: 'pattern'; pattern: string }
	| { kind: 'joint'; conditions: { column: string; pattern: string }[] }
);

export type MapMatch =
	| { kind: 'member'; member: number; reverseSign: boolean; line: number }
	| { kind: 'skip'; line: number }
	| { kind: 'none' }
	/** Several lines of one kind match. */
	| { kind: 'tie'; lines: number[] };

type LineOf<Kind extends MapLine['kind']> = Extract<MapLine, { kind: Kind }>;

/** A map ready for look-up. */
export class ValueMap {
	readonly #exact = new Map<string, MapLine[]>();
	readonly #spans: LineOf<'span'>[];
	readonly #patterns: { line: LineOf<'pattern'>; test: RegExp }[];
	readonly #joints: { line: LineOf<'joint'>; tests: { column: string; test: RegExp }[] }[];
	readonly #passThrough: (code: string) => number | undefined;

	/** @param passThrough the member of a code, for a pattern line without a member */
	constructor(lines: readonly MapLine[], passThrough: (code: string) => number | undefined = () => undefined) {
		this.#passThrough = passThrough;
		for (const line of lines) {
			if (line.kind === 'single') this.#put(line.value, line);
			if (line.kind === 'any of') for (const value of line.values) this.#put(value, line);
		}
		this.#spans = lines.filter((line) => line.kind === 'span');
		this.#patterns = lines
			.filter((line) => line.kind === 'pattern')
			.sort((a, b) => b.pattern.length - a.pattern.length)
			.map((line) => ({ line, test: wildcard(line.pattern) }));
		this.#joints = lines
			.filter((line) => line.kind === 'joint')
			.map((line) => ({ line, tests: line.conditions.map(({ column, pattern }) => ({ column, test: wildcard(pattern) })) }));
	}

	/** What a value becomes; the row is needed for joint lines. */
	match(value: string, row: SourceRow): MapMatch {
		const wanted = value.trim();
		const joints = this.#joints
			.filter(({ tests }) => tests.every(({ column, test }) => test.test((row[column] ?? '').trim())))
			.map(({ line }) => line);
		if (joints.length > 0) return this.#decide(joints, wanted);
		const exact = this.#exact.get(wanted) ?? [];
		const single = exact.filter((line) => line.kind === 'single');
		if (exact.length > 0) return this.#decide(single.length > 0 ? single : exact, wanted);
		const spans = this.#spans.filter((line) => isWithin(wanted, line.from, line.to));
		if (spans.length > 0) return this.#decide(spans, wanted);
		const patterns = this.#patterns.filter(({ test }) => test.test(wanted)).map(({ line }) => line);
		const longest = patterns.filter((line) => line.pattern.length === patterns[0]!.pattern.length);
		return longest.length > 0 ? this.#decide(longest, wanted) : { kind: 'none' };
	}

	#decide(lines: readonly MapLine[], value: string): MapMatch {
		if (lines.length > 1) return { kind: 'tie', lines: lines.map((line) => line.id) };
		const line = lines[0]!;
		if (line.skip) return { kind: 'skip', line: line.id };
		const member = line.member ?? this.#passThrough(value);
		return member === undefined ? { kind: 'none' } : { kind: 'member', member, reverseSign: line.reverseSign, line: line.id };
	}

	#put(value: string, line: MapLine): void {
		const key = value.trim();
		this.#exact.set(key, [...(this.#exact.get(key) ?? []), line]);
	}
}

function isWithin(value: string, from: string, to: string): boolean {
	const numbers = [value, from, to].map((text) => (text.trim() === '' ? Number.NaN : Number(text)));
	if (Number.isFinite(numbers[1]) && Number.isFinite(numbers[2])) return numbers[0]! >= numbers[1]! && numbers[0]! <= numbers[2]!;
	return value >= from && value <= to;
}

function wildcard(pattern: string): RegExp {
	const escaped = pattern.trim().replace(/[.+^${}()|[\]\\]/g, '\\$&');
	return new RegExp(`^${escaped.replaceAll('*', '.*').replaceAll('?', '.')}$`, 's');
}
