import { compileQuery, isEmpty, Reader, View, type AccessRules, type Dimension, type ReadGuard } from '../../../core';
import { EngineFault, inWords } from '../fault';
import type { ModelEngine } from '../model-engine';

/** Members of a dimension: by their codes, or those at, right under or at the bottom of one. */
export type MembersAsked = readonly string[] | { under: string } | { children: string } | { leaves: string };

/** A slice by codes of dimensions and members. */
export interface FiguresAsk {
	revision: number;
	structure: number;
	rules: AccessRules;
	rows: Readonly<Record<string, MembersAsked>>;
	columns: Readonly<Record<string, MembersAsked>>;
	/** One member of each other dimension; the top one of those that are not named. */
	at: Readonly<Record<string, string>>;
	currency?: string | undefined;
}

export interface FiguresAnswer {
	revision: number;
	currency: string;
	/** Whether there is more than the asker may read: totals are of what they may. */
	restricted: boolean;
	/** Codes of dimensions, and of the members of each line. */
	rows: { dimensions: string[]; lines: string[][] };
	columns: { dimensions: string[]; lines: string[][] };
	at: Record<string, string>;
	/** Row by row; null where there is nothing. Words for choices and texts. */
	values: (number | string | null)[][];
	/** Figures that lack a rate or weight beneath them. */
	incomplete: number;
}

const MOST_CELLS = 100_000;

/** The figures of a slice as somebody may read them, saved ones only. @throws EngineFault naming what is not there */
export async function figures(engine: ModelEngine, ask: FiguresAsk): Promise<FiguresAnswer> {
	await engine.reach(ask.revision);
	const { model, cube } = engine;
	const visible = engine.visibleOf(ask.rules);
	const all = [...model.dimensions, model.periods.dimension];
	const named = [...Object.keys(ask.rows), ...Object.keys(ask.columns), ...Object.keys(ask.at)];
	const unknown = named.find((code) => !all.some((dimension) => dimension.code === code));
	if (unknown !== undefined)
		throw new EngineFault(`This model has no dimension ${unknown}. It has ${all.map(({ code }) => code).join(', ')}.`);
	const membersOf = (code: string, asked: MembersAsked): number[] => {
		const axis = all.findIndex((dimension) => dimension.code === code);
		return chosen(all[axis]!, asked, axis < model.dimensions.length ? axis : -1, visible);
	};
	const lines = (asked: FiguresAsk['rows']): { dimensions: string[]; lines: number[][] } => {
		const dimensions = Object.keys(asked);
		let found: number[][] = [[]];
		for (const code of dimensions) {
			const members = membersOf(code, asked[code]!);
			if (found.length * members.length > MOST_CELLS) throw tooMany();
			found = found.flatMap((line) => members.map((member) => [...line, member]));
		}
		return { dimensions, lines: found };
	};
	const [rows, columns] = [lines(ask.rows), lines(ask.columns)];
	if (rows.lines.length * columns.lines.length > MOST_CELLS) throw tooMany();
	const placed = new Set([...rows.dimensions, ...columns.dimensions]);
	const at = Object.fromEntries(
		all
			.filter(({ code }) => !placed.has(code))
			.map((dimension) => {
				const code = ask.at[dimension.code] ?? topOf(dimension);
				return [dimension.code, membersOf(dimension.code, [code])[0]!];
			})
	);
	const idsOf = (codes: readonly string[], ordinals: readonly number[]) =>
		Object.fromEntries(
			codes.map((code, place) => {
				const dimension = all.find((each) => each.code === code)!;
				return [dimension.id, dimension.member(ordinals[place]!).id];
			})
		);
	const view = new View(
		inWords(() =>
			compileQuery(model, {
				slice: idsOf(Object.keys(at), Object.values(at)),
				rows: rows.lines.map((line) => idsOf(rows.dimensions, line)),
				columns: columns.lines.map((line) => idsOf(columns.dimensions, line)),
				currency: ask.currency ?? model.definition.reportingCurrency
			})
		)
	);
	view.fill(new Reader(cube, [], visible));
	const { values, flags } = view.evaluate();
	const width = columns.lines.length;
	const accountCode = model.accounts.code;
	const accountOf = (row: number, column: number): number => {
		const down = rows.dimensions.indexOf(accountCode);
		const across = columns.dimensions.indexOf(accountCode);
		return down >= 0 ? rows.lines[row]![down]! : across >= 0 ? columns.lines[column]![across]! : at[accountCode]!;
	};
	const codedAt = (row: number, column: number) => {
		const type = model.account(accountOf(row, column))?.valueType;
		return type === 'choice' || type === 'text' ? type : undefined;
	};
	await engine.words.know(
		[...values].filter((value, place) => !isEmpty(value) && codedAt(Math.floor(place / width), place % width) === 'text')
	);
	const codesOf = (dimensions: readonly string[], line: readonly number[]) =>
		line.map((ordinal, place) => all.find(({ code }) => code === dimensions[place])!.member(ordinal).code);
	return {
		revision: engine.revision,
		currency: ask.currency ?? model.definition.reportingCurrency,
		restricted: visible !== undefined,
		rows: { dimensions: rows.dimensions, lines: rows.lines.map((line) => codesOf(rows.dimensions, line)) },
		columns: { dimensions: columns.dimensions, lines: columns.lines.map((line) => codesOf(columns.dimensions, line)) },
		at: Object.fromEntries(Object.entries(at).map(([code, ordinal]) => [code, codesOf([code], [ordinal])[0]!])),
		values: rows.lines.map((_, row) =>
			columns.lines.map((__, column) => {
				const value = values[row * width + column]!;
				if (isEmpty(value)) return null;
				return codedAt(row, column) ? engine.words.wordOf(model.accounts.member(accountOf(row, column)).id, value) : value;
			})
		),
		incomplete: flags.reduce((count, flag) => count + (flag & 1), 0)
	};
}

const tooMany = () => new EngineFault(`This asks for more than ${MOST_CELLS.toLocaleString('en')} figures. Ask for fewer rows or columns.`);

/** The one member above all others of a dimension. @throws EngineFault where there are several */
function topOf(dimension: Dimension): string {
	// Groups of alternate hierarchies stand in no tree but theirs.
	const tops = dimension.tree
		.roots()
		.filter((ordinal) => !dimension.member(ordinal).retired && dimension.treeOf(ordinal) === dimension.tree);
	if (tops.length !== 1) throw new EngineFault(`Say at which member of ${dimension.code}: nothing stands above all of them.`);
	return dimension.member(tops[0]!).code;
}

/** Members as ordinals; of who may read a part, those where there is something for them: of the others they learn nothing. */
function chosen(dimension: Dimension, asked: MembersAsked, axis: number, visible: ReadGuard | undefined): number[] {
	const reached = (ordinal: number) => !visible || axis < 0 || visible.reaches(axis, ordinal);
	const one = (code: string): number => {
		const ordinal = dimension.ordinalOfCode(code);
		if (ordinal === undefined || !reached(ordinal)) throw new EngineFault(`${dimension.code} has no member ${code}.`);
		return ordinal;
	};
	if (Array.isArray(asked)) return [...new Set((asked as string[]).map(one))];
	const [how, code] = Object.entries(asked as Record<string, string>)[0]!;
	const top = one(code);
	// A group of an alternate hierarchy has its members there.
	const tree = dimension.treeOf(top);
	const found = how === 'leaves' ? dimension.leavesOf(top) : how === 'children' ? tree.children(top) : tree.under(top);
	return found.filter((ordinal) => reached(ordinal) && !dimension.member(ordinal).retired);
}
