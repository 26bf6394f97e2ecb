import type { MemberReference, Selection } from '../dimension';
import type { AccountRead, Expression } from './expression';
import { quoted } from './words';

/** How tightly each kind of expression binds; the higher the tighter. */
const RANK: Record<string, number> = { when: 0, or: 1, and: 2, not: 3, compare: 4, '+': 5, '-': 5, '*': 6, '/': 6, negative: 7, '^': 8 };
const TIGHT = 9;
const rankOf = (expression: Expression): number =>
	expression.kind === 'binary'
		? RANK[expression.operator]!
		: expression.kind === 'number' && expression.value < 0
			? RANK.negative!
			: expression.kind === 'member in' || expression.kind === 'member is choice'
				? RANK.compare!
				: (RANK[expression.kind] ?? TIGHT);

/** The names an expression is printed with. */
export interface PrintNames {
	/** The name of a member (id), of an account where no dimension (id) is given. */
	member: (member: number, dimension?: number) => string;
	dimension?: (dimension: number) => string;
	/** A level of the calendar as it is written. */
	level?: (level: string) => string;
}

/**
 * An expression as text with today's names: bare where the language allows, in double quotes otherwise, with no more
 * brackets than needed. Read again it is the same expression.
 */
export function print(expression: Expression, names: PrintNames): string {
	const { member: nameOf, dimension: dimensionName = String, level: levelName = capitalized } = names;
	const inner = (part: Expression, least: number): string => {
		const text = print(part, names);
		return rankOf(part) < least ? `(${text})` : text;
	};
	const read = (operand: AccountRead): string => quoted(nameOf(operand.member)) + printPlace(operand, nameOf, dimensionName, levelName);
	switch (expression.kind) {
		case 'number':
			return String(expression.value);
		case 'account':
			return read(expression);
		case 'period now':
			return 'Month';
		case 'period of':
			return read(expression.read);
		case 'negative':
			return negated(inner(expression.of, RANK.negative!));
		case 'not':
			return `not ${inner(expression.of, RANK.not!)}`;
		case 'binary': {
			const rank = RANK[expression.operator]!;
			// The right side needs brackets at equal rank too; of a power, which is read from the right, the left one.
			const [left, right] = expression.operator === '^' ? [rank + 1, rank] : [rank, rank + 1];
			return `${inner(expression.left, left)} ${expression.operator} ${inner(expression.right, right)}`;
		}
		case 'compare':
			return `${inner(expression.left, 5)} ${expression.operator} ${inner(expression.right, 5)}`;
		case 'and':
		case 'or':
			return `${inner(expression.left, RANK[expression.kind]!)} ${expression.kind} ${inner(expression.right, RANK[expression.kind]! + 1)}`;
		case 'member in': {
			const of = (member: number) => quoted(nameOf(member, expression.dimension));
			return `${quoted(dimensionName(expression.dimension))} in (${expression.selections.map((each) => printSelected(each, of, dimensionName(expression.dimension))).join(', ')})`;
		}
		case 'member is choice':
			return `${quoted(dimensionName(expression.dimension))} is ${read(expression.read)}`;
		case 'when': {
			const cases = expression.cases.map(({ condition, value }) => `when ${inner(condition, 1)} then ${inner(value, 1)}`);
			return `${cases.join(' ')}${expression.otherwise ? ` else ${print(expression.otherwise, names)}` : ''}`;
		}
		case 'call':
			return `${expression.name}(${expression.args.map((arg) => print(arg, names)).join(', ')})`;
		default:
			return expression satisfies never;
	}
}

/** Selections of live formulas: members one by one, families of one, runs, all; those that fit, without some. */
function printSelected(selection: Selection, nameOf: (member: number) => string, whole: string): string {
	const of = (member: MemberReference) => (typeof member === 'number' ? nameOf(member) : '?');
	const inner = (each: Selection) => printSelected(each, nameOf, whole);
	switch (selection.kind) {
		case 'these':
			return selection.members.map(of).join(', ');
		case 'children':
		case 'leaves':
		case 'under':
			return `${selection.kind === 'under' ? 'under' : `${selection.kind} of`} ${of(selection.of)}`;
		case 'range':
			return `${of(selection.from)} to ${of(selection.to)}`;
		case 'where': {
			const { attribute, operator, value } = selection.test;
			const written = [value]
				.flat()
				.map((each) => (typeof each === 'number' ? String(each) : typeof each === 'boolean' ? (each ? 'yes' : 'no') : texted(each)));
			const test = operator === 'one of' ? `in (${written.join(', ')})` : `${operator} ${written[0]}`;
			return `${inner(selection.in)} where ${quoted(attribute)} ${test}`;
		}
		case 'except':
			return `${inner(selection.from)} except ${inner(selection.without)}`;
		default:
			return `leaves of ${quoted(whole)}`;
	}
}

/** A text in single quotes, those within it doubled. */
const texted = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** `{Route: "No route", Month - 1}`, or nothing for a read at the current cell. */
function printPlace(
	{ at, shift }: AccountRead,
	nameOf: (member: number, dimension: number) => string,
	dimensionName: (dimension: number) => string,
	levelName: (level: string) => string
): string {
	const places = Object.entries(at ?? {}).map(
		([dimension, member]) => `${quoted(dimensionName(Number(dimension)))}: ${quoted(nameOf(member, Number(dimension)))}`
	);
	if (shift) places.push(`${quoted(levelName(shift.level))} ${shift.by < 0 ? '-' : '+'} ${Math.abs(shift.by)}`);
	return places.length === 0 ? '' : `{${places.join(', ')}}`;
}

const capitalized = (level: string): string => level[0]!.toUpperCase() + level.slice(1);

/** With a minus in front; two of them side by side would begin a comment. */
const negated = (text: string): string => (text.startsWith('-') ? `-(${text})` : `-${text}`);
