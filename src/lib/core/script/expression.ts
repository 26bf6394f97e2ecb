import { dayNumber, isDate } from '../calendar';
import type { AttributeTest, Dimension, MemberReference, Selection } from '../dimension';
import type { AccountRead, Arithmetic, Comparison, Expression, FunctionName } from '../formula';
import { readCards, type NameCard, type NarrowCard, type PartCard, type ReadCard, type SelectionCard, type Span } from './cards';
import { quoted, type ScriptNames } from './names';
import type { NameUse, ScriptFault } from './tree';

/** What the names of an expression stand for. */
export interface ExpressionNames {
	/** What is read by a name: an account (member id), or a sentence. */
	account: (name: NameCard) => number | string;
	/** The model's names, where places, periods and members may be named; left out, an expression reads at one place only. */
	names?: ScriptNames;
}

export interface ReadExpression {
	expression: Expression;
	/** Which members its names are, so that it prints with today's names. */
	names: NameUse[];
}

class Unreadable extends Error {
	constructor(
		readonly span: Span,
		message: string
	) {
		super(message);
	}
}

/** A statement around an expression, so that the one grammar reads it; the bracket keeps a second one from following. */
const FRONT = 'x = (';
const BEHIND = '\n)';

/** An expression longer than this is not read. */
const LONGEST = 20_000;

/**
 * Reads one expression of the formula language: what a live formula, a check or a computed line is made of.
 * @returns the expression with its names, or the first fault with its place in the text
 */
export function readExpression(text: string, names: ExpressionNames): ReadExpression | { fault: ScriptFault } {
	const away = (fault: ScriptFault): { fault: ScriptFault } => {
		const place = (at: number) => Math.max(0, Math.min(text.length, at - FRONT.length));
		return { fault: { ...fault, from: place(fault.from), to: place(fault.to) } };
	};
	const fault = (message: string) => ({ fault: { from: 0, to: text.length, message } });
	if (text.replaceAll(/--[^\n]*/g, '').trim() === '') return fault('The formula is empty.');
	if (text.length > LONGEST) return fault(`This formula is too long: at most ${LONGEST.toLocaleString('en')} characters.`);
	const whole = FRONT + text + BEHIND;
	const read = readCards(whole);
	if ('fault' in read) {
		const ends = read.fault.from >= FRONT.length + text.trimEnd().length || read.fault.message.startsWith('The script ends');
		return ends
			? { fault: { from: text.trimEnd().length, to: text.length, message: 'The formula ends where more was expected.' } }
			: away(read.fault);
	}
	const [first, second] = read.cards;
	const stray = strayBracket(text);
	if (stray >= 0) return { fault: { from: stray, to: stray + 1, message: 'This bracket closes none that was opened.' } };
	if (first?.kind !== 'assignment' || first.value.kind !== 'group' || second) return fault('A value was expected here.');
	const reader = new ExpressionReader(names);
	try {
		const expression = reader.part(first.value.of);
		const uses = reader.uses.map(({ from, to, ...use }) => ({ ...use, from: from - FRONT.length, to: to - FRONT.length }));
		return { expression, names: uses };
	} catch (error) {
		if (error instanceof Unreadable) return away({ ...error.span, message: error.message });
		throw error;
	}
}

/** Where a closing bracket stands that none was opened for; −1 when there is none. */
function strayBracket(text: string): number {
	let depth = 0;
	for (const { 0: found, index } of text.matchAll(/--[^\n]*|"(?:[^"]|"")*"|[()]/g)) {
		depth += found === '(' ? 1 : found === ')' ? -1 : 0;
		if (depth < 0) return index;
	}
	return -1;
}

class ExpressionReader {
	readonly uses: NameUse[] = [];
	readonly #account: ExpressionNames['account'];
	readonly #names: ScriptNames | undefined;

	constructor({ account, names }: ExpressionNames) {
		this.#account = account;
		this.#names = names;
	}

	part(part: PartCard): Expression {
		switch (part.kind) {
			case 'number': {
				const value = Number(part.text.replaceAll('_', '').replace('%', ''));
				return { kind: 'number', value: part.text.endsWith('%') ? value / 100 : value };
			}
			case 'date':
				if (!isDate(part.text)) throw new Unreadable(part, `${part.text} is no date.`);
				return { kind: 'number', value: dayNumber(part.text) };
			case 'text':
				throw new Unreadable(part, 'A text cannot be calculated with. Members stand in double quotes.');
			case 'parameter':
				throw new Unreadable(part, 'Parameters belong to runbooks: a formula stands without being asked anything.');
			case 'group':
				return this.part(part.of);
			case 'negative':
				return { kind: 'negative', of: this.part(part.of) };
			case 'not':
				return { kind: 'not', of: this.part(part.of) };
			case 'operation':
				return this.#operation(part);
			case 'is':
				return this.#is(part);
			case 'in': {
				const dimension = this.#dimensionOf(part.of);
				return { kind: 'member in', dimension: dimension.id, selections: part.selections.map((each) => this.#selection(each, dimension)) };
			}
			case 'call':
				return this.#call(part);
			case 'over':
			case 'share':
				throw new Unreadable(part, 'A live formula reads leaf cells, no totals. Put what adds up into a runbook.');
			case 'when':
				return {
					kind: 'when',
					cases: part.cases.map(({ condition, value }) => ({ condition: this.part(condition), value: this.part(value) })),
					otherwise: part.otherwise ? this.part(part.otherwise) : null
				};
			case 'read':
				return this.#read(part);
			default:
				return part satisfies never;
		}
	}

	#operation(part: PartCard & { kind: 'operation' }): Expression {
		const [left, right] = this.#alike(part.left, part.right);
		const { operator } = part;
		if (operator === 'and' || operator === 'or') return { kind: operator, left, right };
		if (['+', '-', '*', '/', '^'].includes(operator)) return { kind: 'binary', operator: operator as Arithmetic, left, right };
		if (part.left.kind === 'operation' && COMPARISONS.has(part.left.operator))
			throw new Unreadable(part, 'Compare two values at a time, and join the comparisons with and.');
		return { kind: 'compare', operator: operator as Comparison, left, right };
	}

	/** Beside the current period, an account of choice stands for the period it holds. */
	#alike(left: PartCard, right: PartCard): [Expression, Expression] {
		const parts = [this.part(left), this.part(right)] as const;
		if (!parts.some(({ kind }) => kind === 'period now')) return [...parts];
		return parts.map((each) => (each.kind === 'account' && this.#isChoice(each.member) ? { kind: 'period of', read: each } : each)) as [
			Expression,
			Expression
		];
	}

	#isChoice(account: number): boolean {
		const { model } = this.#names ?? {};
		const ordinal = model?.accounts.ordinal(account);
		return ordinal !== undefined && model!.account(ordinal)?.valueType === 'choice';
	}

	#needNames(span: Span): ScriptNames {
		if (this.#names) return this.#names;
		throw new Unreadable(span, 'Figures are read at the form’s own place here; members and periods are for live formulas and runbooks.');
	}

	#isPeriodWord = ({ dimension, word }: NameCard): boolean =>
		dimension === undefined &&
		this.#names !== undefined &&
		this.#names.member(this.#names.model.accounts, word) === undefined &&
		(this.#names.levels.has(word) || this.#names.dimension(word) === this.#names.model.periods.dimension);

	#read(part: ReadCard): Expression {
		if (part.places.length === 0 && this.#isPeriodWord(part.name)) return { kind: 'period now' };
		const member = this.#account(part.name);
		if (typeof member === 'string') throw new Unreadable(part.name, member);
		const read: AccountRead = { kind: 'account', member };
		if (this.#names) this.#use(part.name, this.#names.model.accounts, member);
		if (part.places.length === 0) return read;
		const names = this.#needNames(part);
		const at: Record<number, number> = {};
		for (const place of part.places) {
			if (place.kind === 'shift') {
				const level = names.levels.get(place.level);
				if (level === undefined)
					throw new Unreadable(
						place,
						`“${place.level}” is no level of the calendar to shift by. There are ${[...names.levels.keys()].join(', ')}.`
					);
				if (!Number.isInteger(place.by) || Math.abs(place.by) > 1_000)
					throw new Unreadable(place, 'A shift is a whole number of periods, at most 1,000.');
				if (read.shift) throw new Unreadable(place, 'One shift is enough.');
				if (place.by !== 0) read.shift = { level, by: place.by };
				continue;
			}
			if (place.kind !== 'member')
				throw new Unreadable(
					place,
					place.kind === 'parameter'
						? 'Parameters belong to runbooks: name the member.'
						: 'A live formula reads leaf cells, no totals. Put what adds up into a runbook.'
				);
			const { dimension, id } = this.#member(place.name);
			if (dimension === names.model.periods.dimension)
				throw new Unreadable(place, 'A live formula looks at other periods by a shift, such as {Month - 1}.');
			if (dimension === names.model.accounts) throw new Unreadable(place, 'The account stands before the braces.');
			at[dimension.id] = id;
		}
		if (Object.keys(at).length > 0) read.at = at;
		return read;
	}

	/** A member by its name, and whose it is; of several dimensions with one of that name, the one that is asked for. */
	#member(name: NameCard, within?: Dimension): { dimension: Dimension; id: number } {
		const names = this.#needNames(name);
		const named = name.dimension === undefined ? within : this.#dimensionNamed(name, name.dimension);
		const found = named
			? [{ dimension: named, ordinal: names.member(named, name.word) }].filter(({ ordinal }) => ordinal !== undefined)
			: names.everywhere(name.word);
		if (found.length === 0) {
			const dimensions = named ? [named] : names.dimensions;
			const near = names.nearest(name.word, dimensions);
			throw new Unreadable(
				name,
				`No member “${name.word}” in ${dimensions.map((each) => each.name).join(', ')}.${near ? ` Did you mean “${near}”?` : ''}`
			);
		}
		if (found.length > 1)
			throw new Unreadable(
				name,
				`“${name.word}” is a name in ${found.map(({ dimension }) => dimension.name).join(' and ')}. Put the dimension in front: ${quoted(found[0]!.dimension.name)}:${quoted(name.word)}.`
			);
		const { dimension } = found[0]!;
		const { id } = dimension.member(found[0]!.ordinal!);
		this.#use(name, dimension, id);
		return { dimension, id };
	}

	#use({ from, to, dimension: front }: NameCard, dimension: Dimension, member: number): void {
		this.uses.push({ from, to, dimension: dimension.id, member, qualified: front !== undefined });
	}

	#dimensionNamed(span: Span, name: string): Dimension {
		const names = this.#needNames(span);
		const found = names.dimension(name);
		if (found) return found;
		throw new Unreadable(span, `There is no dimension “${name}”. There are ${names.dimensions.map((each) => each.name).join(', ')}.`);
	}

	/** What a test looks at: a dimension, or the period by a level's name. */
	#dimensionOf(part: PartCard): Dimension {
		const names = this.#needNames(part);
		if (part.kind !== 'read' || part.places.length > 0) throw new Unreadable(part, 'A dimension was expected before is or in.');
		return this.#isPeriodWord(part.name) ? names.model.periods.dimension : this.#dimensionNamed(part.name, part.name.word);
	}

	#is({ of, member }: PartCard & { kind: 'is' }): Expression {
		const dimension = this.#dimensionOf(of);
		const names = this.#needNames(member);
		const { name } = member;
		const isAccount =
			name.dimension === undefined &&
			names.member(dimension, name.word) === undefined &&
			names.member(names.model.accounts, name.word) !== undefined;
		if (isAccount) {
			const read = this.#read(member);
			if (read.kind !== 'account' || !this.#isChoice(read.member))
				throw new Unreadable(member, `“${name.word}” holds no choice of a member.`);
			return { kind: 'member is choice', dimension: dimension.id, read };
		}
		return {
			kind: 'member in',
			dimension: dimension.id,
			selections: [{ kind: 'these', members: [this.#member(name, dimension).id] }]
		};
	}

	#selection(card: SelectionCard, dimension: Dimension): Selection {
		return card.narrowed.reduce((selection, narrow) => this.#narrowed(selection, narrow, dimension), this.#term(card, dimension));
	}

	/** A selection without those whose attribute does not fit, or without some. */
	#narrowed(selection: Selection, narrow: NarrowCard, dimension: Dimension): Selection {
		if (narrow.kind === 'except') return { kind: 'except', from: selection, without: this.#term(narrow.selection, dimension) };
		const { attribute, operator, values } = narrow;
		const known = dimension.members.map((_, ordinal) => dimension.attribute(attribute, ordinal)).find((value) => value !== undefined);
		if (known === undefined) throw new Unreadable(narrow, `${dimension.name} has no attribute “${attribute}”.`);
		const wanted = typeof known === 'boolean' ? values.map((value) => value === 'yes') : values;
		const test: AttributeTest =
			wanted.length === 1
				? { attribute, operator: operator as Comparison, value: wanted[0]! }
				: { attribute, operator: 'one of', value: wanted };
		return { kind: 'where', in: selection, test };
	}

	/** What a selection is before anything is taken out of it. */
	#term(card: SelectionCard, dimension: Dimension): Selection {
		const names = this.#needNames(card);
		if (card.how === 'parameter' || card.ofParameter) throw new Unreadable(card, 'Parameters belong to runbooks: name the members.');
		if (card.how === 'first' || card.how === 'last')
			throw new Unreadable(card, 'In a live formula the first periods of years are chosen beside it: give it a scope there.');
		if (card.how === 'level') throw new Unreadable(card, 'Every month passes such a test. Name the periods.');
		const place = (word: string, span: Span): MemberReference =>
			this.#member({ ...span, dimension: card.how === 'member' ? card.dimension : undefined, word }, dimension).id;
		if (card.how === 'range') {
			const between = names.model.periods.dimension === dimension ? periodsBetween(names, card) : undefined;
			if (between) return between;
			return { kind: 'range', from: place(card.word, card.at), to: place(card.last!, card.lastAt!) };
		}
		if (card.how !== 'member' && names.member(dimension, card.word) === undefined && names.dimension(card.word) === dimension)
			return { kind: 'all' };
		const reference = place(card.word, { from: card.at.from, to: card.at.to });
		return card.how === 'member' ? { kind: 'these', members: [reference] } : { kind: card.how, of: reference };
	}

	#call({ name, args, from, to }: PartCard & { kind: 'call' }): Expression {
		const needs = ARGUMENTS[name]!;
		if (args.length < needs.least || args.length > needs.most) throw new Unreadable({ from, to }, `${name} takes ${needs.words}.`);
		if (name === 'todate')
			throw new Unreadable({ from, to }, 'A live formula reads leaf cells, no totals. Put what runs up into a runbook or a form’s line.');
		if (name === 'previous') {
			const names = this.#needNames({ from, to });
			const read = this.part(args[0]!);
			if (read.kind !== 'account' || read.shift) throw new Unreadable(args[0]!, 'previous reads an account at the current period.');
			const { periods } = names.model;
			return { ...read, shift: { level: periods.facts(periods.leaf(0).ordinal)!.level, by: -1 } };
		}
		return { kind: 'call', name: name as FunctionName, args: args.map((each) => this.part(each)) };
	}
}

/** The leaf periods from one period to another. */
function periodsBetween(names: ScriptNames, { word, last }: SelectionCard): Selection | undefined {
	const { periods } = names.model;
	const [from, to] = [word, last!].map((each) => names.member(periods.dimension, each));
	if (from === undefined || to === undefined) return undefined;
	const [first, end] = [periods.range(from).from, periods.range(to).to];
	return { kind: 'these', members: periods.leaves.slice(first, end + 1).map(({ ordinal }) => periods.dimension.member(ordinal).id) };
}

const COMPARISONS = new Set(['=', '<>', '<', '<=', '>', '>=']);

/** How many values each function takes, in numbers and in words. */
export const ARGUMENTS: Record<string, { least: number; most: number; words: string }> = {
	abs: { least: 1, most: 1, words: 'one value' },
	floor: { least: 1, most: 1, words: 'one value' },
	ceil: { least: 1, most: 1, words: 'one value' },
	round: { least: 1, most: 2, words: 'a value, and the number of decimals' },
	min: { least: 2, most: 20, words: 'two or more values' },
	max: { least: 2, most: 20, words: 'two or more values' },
	days: { least: 0, most: 0, words: 'nothing: it is the days of the current period' },
	empty: { least: 1, most: 1, words: 'one value' },
	coalesce: { least: 2, most: 20, words: 'two or more values, the first that is there counts' },
	previous: { least: 1, most: 1, words: 'one account' },
	todate: { least: 2, most: 2, words: 'an account and a level: todate(Sales, Year)' }
};

/** What a live formula of a model may name. */
export const namesOfModel = (names: ScriptNames): ExpressionNames => ({
	names,
	account: ({ dimension, word }) => {
		const { accounts } = names.model;
		if (dimension !== undefined && names.dimension(dimension) !== accounts)
			return `“${word}” is no account: a value is read from an account.`;
		const ordinal = names.member(accounts, word);
		if (ordinal !== undefined) return accounts.member(ordinal).id;
		const near = names.nearest(word, [accounts]);
		return `There is no account “${word}”.${near ? ` Did you mean “${near}”?` : ''}`;
	}
});
