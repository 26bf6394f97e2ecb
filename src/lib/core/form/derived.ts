import { evaluate, type Expression } from '../formula';
import type { AccountDefinition, Model } from '../model';
import { EMPTY, isEmpty } from '../number';

/** A line a form computes from its other lines. Lines are named by their place. */
export type DerivedLine =
	| { kind: 'difference' | '% difference'; label: string; of: number; base: number }
	/** The line as a share of a whole; a share states its whole. */
	| { kind: 'share'; label: string; of: number; whole: number }
	/** Its reads are keys of `lines`. */
	| { kind: 'expression'; label: string; expression: Expression; percent: boolean; lines: ReadonlyMap<number, number> };

/** A figure of a line: its value, and what is missing in it. */
export interface LineFigure {
	value: number;
	flags: number;
}

/** A computed figure. */
export interface DerivedFigure {
	value: number;
	/** Flags of its operands together: incompleteness travels. */
	flags: number;
	/** Whether a difference is good news; undefined where it is neither, or nothing. */
	favourable: boolean | undefined;
}

/**
 * A derived figure from the figures it is made of. A % difference divides by the size of its base and is blank where
 * the base is empty or 0; a difference with one side empty counts that side as nothing; a share of an empty or 0 whole is
 * blank. A figure whose operand is blank for its currency is blank too.
 * @param favourableSign +1 where more is good, −1 where less is, 0 where neither (see `favourableSign`)
 */
export function deriveFigure(line: DerivedLine, figureOf: (line: number) => LineFigure, favourableSign: number): DerivedFigure {
	let flags = 0;
	const read = (place: number): number => {
		const figure = figureOf(place);
		flags |= figure.flags;
		return figure.value;
	};
	const value =
		line.kind === 'expression'
			? evaluate(line.expression, ({ member }) => read(line.lines.get(member)!))
			: VALUES[line.kind](read(line.of), read(line.kind === 'share' ? line.whole : line.base));
	const isDifference = line.kind === 'difference' || line.kind === '% difference';
	const direction = !isDifference || isEmpty(value) || value === 0 ? 0 : Math.sign(value) * favourableSign;
	return { value, flags, favourable: direction === 0 ? undefined : direction > 0 };
}

/** The lines a derived line is made of. */
export const operandsOf = (line: DerivedLine): number[] =>
	line.kind === 'expression' ? [...line.lines.values()] : line.kind === 'share' ? [line.of, line.whole] : [line.of, line.base];

/** The same line made of lines that stand elsewhere. */
export function withLines(line: DerivedLine, place: (line: number) => number): DerivedLine {
	switch (line.kind) {
		case 'expression':
			return { ...line, lines: new Map([...line.lines].map(([id, at]) => [id, place(at)])) };
		case 'share':
			return { ...line, of: place(line.of), whole: place(line.whole) };
		default:
			return { ...line, of: place(line.of), base: place(line.base) };
	}
}

/** Whether its figures are shares, whatever its operands count. */
export const isPercent = (line: DerivedLine): boolean =>
	line.kind === 'expression' ? line.percent : line.kind === 'share' || line.kind === '% difference';

const VALUES: Record<Exclude<DerivedLine['kind'], 'expression'>, (one: number, other: number) => number> = {
	difference: (of, base) => (isEmpty(of) ? (isEmpty(base) ? EMPTY : -base) : isEmpty(base) ? of : of - base),
	'% difference': (of, base) => (isEmpty(base) || base === 0 ? EMPTY : ((isEmpty(of) ? 0 : of) - base) / Math.abs(base)),
	share: (of, whole) => (isEmpty(whole) || whole === 0 ? EMPTY : of / whole)
};

/** +1 where more of an account is good, −1 where less is: revenue, assets and equity against expenses and liabilities. */
export function favourableSign(account: AccountDefinition | undefined): number {
	if (!account) return 0;
	if (account.favourable) return account.favourable === 'more' ? 1 : -1;
	switch (account.kind) {
		case 'revenue':
		case 'asset':
		case 'equity':
			return 1;
		case 'expense':
		case 'liability':
			return -1;
		case 'statistic':
		case 'rate':
			return 0;
		default:
			return account.kind satisfies never;
	}
}

/**
 * The sign for an account of any level: a group's is that of its leaves, turned where they subtract, when they agree;
 * otherwise a group that nets (revenue less costs) is better when it is more.
 */
export function favourableSignOf(model: Model, account: number): number {
	if (model.accounts.isLeaf(account)) return favourableSign(model.account(account));
	const signs = new Set<number>();
	model.accounts.eachWeightedLeaf(account, (leaf, weight) => {
		const sign = favourableSign(model.account(leaf)) * Math.sign(weight);
		if (sign !== 0) signs.add(sign);
	});
	return signs.size === 0 ? 0 : signs.has(1) ? 1 : -1;
}
