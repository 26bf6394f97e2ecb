import type { SyntaxNode } from '@lezer/common';
import { unquoted } from './names';
import { parser } from './parser.generated';
import { syntaxFault } from './syntax-fault';
import { numberOf, textOf } from './name-reader';
import type { ScriptFault } from './tree';

/** A stretch of a script's text, in characters from its start. */
export interface Span {
	from: number;
	to: number;
}

/** A name as it is written: the dimension in front, if it is, and the word. */
export interface NameCard extends Span {
	dimension: string | undefined;
	word: string;
}

/** Members of one dimension in a scope, or a test: one member, a family of one, a run, a level, the first or last period of each of a level, or what a parameter holds. */
export interface SelectionCard extends Span {
	how: 'member' | 'children' | 'leaves' | 'under' | 'range' | 'level' | 'first' | 'last' | 'parameter';
	/** The dimension where it stands in front, and the name or the parameter's name; of a run also the last one. */
	dimension: string | undefined;
	word: string;
	last: string | undefined;
	/** Of a run, where the last one's name stands. */
	lastAt: Span | undefined;
	/** Of a family of a parameter: the word is a parameter's name. */
	ofParameter: boolean;
	/** Where its name stands; of a run the first one. */
	at: Span;
	/** What follows it, as it is written: `where …`, `except …`; and what that says, in order. */
	rest: string;
	narrowed: NarrowCard[];
}

/** What takes members out of a selection: those whose attribute does not fit, or some of them. */
export type NarrowCard = Span &
	({ kind: 'where'; attribute: string; operator: string; values: (string | number)[] } | { kind: 'except'; selection: SelectionCard });

/** Where an account is read, one item of its braces. */
export type PlaceCard = Span &
	(
		| { kind: 'shift'; level: string; by: number }
		| { kind: 'member'; name: NameCard }
		| { kind: 'parameter' | 'parent' | 'total'; dimension: string; parameter: string }
	);

export interface ReadCard extends Span {
	kind: 'read';
	name: NameCard;
	places: PlaceCard[];
}

/** A part of an expression. */
export type PartCard =
	| ReadCard
	| (Span & { kind: 'number' | 'date' | 'text'; text: string })
	| (Span & { kind: 'parameter'; name: string })
	| (Span & { kind: 'negative' | 'not' | 'group'; of: PartCard })
	| (Span & { kind: 'operation'; operator: string; at: Span; left: PartCard; right: PartCard })
	| (Span & { kind: 'is'; of: PartCard; member: ReadCard })
	| (Span & { kind: 'in'; of: PartCard; selections: SelectionCard[] })
	| (Span & { kind: 'call'; name: string; at: Span; args: PartCard[] })
	| (Span & { kind: 'over'; name: string; at: Span; of: PartCard; selection: SelectionCard })
	| (Span & { kind: 'share'; of: PartCard; dimension: NameCard })
	| (Span & { kind: 'when'; cases: { condition: PartCard; value: PartCard }[]; otherwise: PartCard | undefined });

/** A statement as a card. */
export type Card =
	| (Span & { kind: 'comment'; text: string })
	| (Span & { kind: 'scope'; selections: SelectionCard[]; cards: Card[]; notes: string[]; inside: number })
	| (Span & { kind: 'let'; name: string; at: Span; value: PartCard; notes: string[] })
	| (Span & { kind: 'assignment'; target: ReadCard; value: PartCard; everywhere: Span | undefined; notes: string[] });

/** Brackets inside each other that are still shown as cards. */
const DEEPEST = 60;

/**
 * A script as cards: the same tree as its text, each part with where it stands there. Changing a part changes those
 * characters and no others, so that nothing is lost from one form to the other, comments included. O(text).
 */
export function readCards(text: string): { cards: Card[] } | { fault: ScriptFault } {
	const tree = parser.parse(text);
	const fault = syntaxFault(text, tree.topNode, DEEPEST);
	return fault ? { fault } : { cards: new CardReader(text).items(tree.topNode) };
}

class CardReader {
	readonly #text: string;

	constructor(text: string) {
		this.#text = text;
	}

	items(parent: SyntaxNode): Card[] {
		const cards: Card[] = [];
		for (let node = parent.firstChild; node; node = node.nextSibling) {
			if (node.name === 'Comment') {
				// One that stands on the line of a statement belongs to it.
				const before = cards.at(-1);
				const text = this.#comment(node);
				if (before && before.kind !== 'comment' && !this.#text.slice(before.to, node.from).includes('\n')) before.notes.push(text);
				else if (!this.#isHeadOf(parent, node)) cards.push({ ...span(node), kind: 'comment', text });
			} else if (node.name === 'Within') cards.push(this.#scope(node));
			else if (node.name === 'Let') {
				const name = node.getChild('Identifier')!;
				cards.push({
					...span(node),
					kind: 'let',
					name: this.#of(name),
					at: span(name),
					value: this.#part(node.getChild('Equals')!.nextSibling!),
					notes: this.#notes(node)
				});
			} else if (node.name === 'Assignment') {
				const target = node.getChild('Target')!;
				const everywhere = node.getChild('Everywhere');
				cards.push({
					...span(node),
					kind: 'assignment',
					target: this.#read(target),
					value: this.#part(node.getChild('Equals')!.nextSibling!),
					everywhere: everywhere ? span(everywhere) : undefined,
					notes: this.#notes(node)
				});
			}
		}
		return cards;
	}

	/** Whether a comment stands in the head of a scope, among its selections or on their line. */
	#isHeadOf(parent: SyntaxNode, comment: SyntaxNode): boolean {
		if (parent.name !== 'Within') return false;
		const last = parent.getChildren('Selection').at(-1)!;
		return comment.from < last.to || !this.#text.slice(last.to, comment.from).includes('\n');
	}

	#scope(node: SyntaxNode): Card {
		const selections = node.getChildren('Selection');
		const notes = node
			.getChildren('Comment')
			.filter((comment) => this.#isHeadOf(node, comment))
			.map((comment) => this.#comment(comment));
		return {
			...span(node),
			kind: 'scope',
			selections: selections.map((each) => this.#selection(each)),
			cards: this.items(node),
			notes,
			inside: node.getChild('end')?.from ?? node.lastChild!.from
		};
	}

	/** Comments within a statement. */
	#notes(node: SyntaxNode): string[] {
		const notes: string[] = [];
		node.cursor().iterate((each) => {
			if (each.name === 'Comment') notes.push(this.#comment(each));
		});
		return notes;
	}

	#comment = (node: Span): string => this.#of(node).slice(2).trim();
	#of = ({ from, to }: Span): string => this.#text.slice(from, to);

	#name(node: SyntaxNode): NameCard {
		const words = children(node).filter(({ name }) => name !== 'Colon');
		return {
			...span(node),
			dimension: words.length > 1 ? unquoted(this.#of(words[0]!)) : undefined,
			word: unquoted(this.#of(words.at(-1)!))
		};
	}

	#read(node: SyntaxNode): ReadCard {
		const places = node.getChild('Place')?.getChildren('PlaceItem') ?? [];
		return { ...span(node), kind: 'read', name: this.#name(node.getChild('Name')!), places: places.map((each) => this.#place(each)) };
	}

	#place(node: SyntaxNode): PlaceCard {
		const name = node.getChild('Name');
		const sign = node.getChild('SumSign');
		if (name && sign) {
			const by = Number(this.#of(node.getChild('Number')!).replaceAll('_', ''));
			return { ...span(node), kind: 'shift', level: this.#name(name).word, by: this.#of(sign) === '-' ? -by : by };
		}
		if (name) return { ...span(node), kind: 'member', name: this.#name(name) };
		const parameter = node.getChild('Parameter');
		return {
			...span(node),
			kind: parameter ? 'parameter' : node.getChild('ParentOf') ? 'parent' : 'total',
			dimension: unquoted(this.#of(node.firstChild!)),
			parameter: parameter ? this.#of(parameter).slice(1) : ''
		};
	}

	#selection(node: SyntaxNode): SelectionCard {
		const first = node.firstChild!;
		const rest = this.#text.slice(first.to, node.to).trim();
		const narrowed = [
			...node.getChildren('Where').map((each) => this.#where(each)),
			...node.getChildren('Except').map((each) => this.#except(each))
		];
		return { ...this.#selectionTerm(first), ...span(node), rest, narrowed };
	}

	#where(node: SyntaxNode): NarrowCard {
		const [attribute, ...values] = children(node).filter(({ name }) => ['Name', 'Number', 'Text', 'DateValue'].includes(name));
		const sign = node.getChild('CompareSign');
		return {
			...span(node),
			kind: 'where',
			attribute: this.#name(attribute!).word,
			operator: sign ? this.#of(sign) : '=',
			values: values.map((each) => {
				if (each.name === 'Name') return this.#name(each).word;
				if (each.name === 'Number') return numberOf(this.#of(each));
				return each.name === 'Text' ? textOf(this.#of(each)) : this.#of(each.getChild('Day')!);
			})
		};
	}
	#except = (node: SyntaxNode): NarrowCard => ({ ...span(node), kind: 'except', selection: this.#selectionTerm(lastOf(node)) });

	#selectionTerm(node: SyntaxNode): SelectionCard {
		const plain = {
			...span(node),
			at: span(node),
			dimension: undefined,
			last: undefined,
			lastAt: undefined,
			ofParameter: false,
			rest: '',
			narrowed: []
		};
		switch (node.name) {
			case 'Prefixed':
				return {
					...this.#selectionTerm(lastOf(node)),
					...span(node),
					dimension: unquoted(this.#of(node.firstChild!))
				};
			case 'Parameter':
				return { ...plain, how: 'parameter', word: this.#of(node).slice(1) };
			case 'Range': {
				const [one, other] = node.getChildren('Name').map((each) => this.#name(each));
				return {
					...plain,
					at: span(one!),
					how: 'range',
					dimension: one!.dimension,
					word: one!.word,
					last: other!.word,
					lastAt: span(other!)
				};
			}
			case 'Level':
				return { ...plain, how: 'level', word: this.#name(node.getChild('Name')!).word };
			case 'LeafOfEach':
				return {
					...plain,
					how: this.#of(node.firstChild!) as 'first' | 'last',
					word: this.#name(node.getChild('Level')!.getChild('Name')!).word
				};
			case 'Family': {
				const root = lastOf(node);
				const how = this.#of(node.firstChild!) as 'children' | 'leaves' | 'under';
				if (root.name === 'Parameter') return { ...plain, how, word: this.#of(root).slice(1), ofParameter: true };
				return { ...plain, at: span(root), how, ...wordsOf(this.#name(root)) };
			}
			default:
				return { ...plain, how: 'member', ...wordsOf(this.#name(node)) };
		}
	}

	#part(node: SyntaxNode): PartCard {
		const at = span(node);
		switch (node.name) {
			case 'Number':
				return { ...at, kind: 'number', text: this.#of(node) };
			case 'DateValue':
				return { ...at, kind: 'date', text: this.#of(node.getChild('Day')!) };
			case 'Text':
				return { ...at, kind: 'text', text: this.#of(node) };
			case 'Parameter':
				return { ...at, kind: 'parameter', name: this.#of(node).slice(1) };
			case 'Group':
				return { ...at, kind: 'group', of: this.#part(children(node).find(({ name }) => name !== '(')!) };
			case 'Negative':
				return { ...at, kind: 'negative', of: this.#part(lastOf(node)) };
			case 'Not':
				return { ...at, kind: 'not', of: this.#part(lastOf(node)) };
			case 'Is':
				return { ...at, kind: 'is', of: this.#part(node.firstChild!), member: this.#read(lastOf(node)) };
			case 'In':
				return {
					...at,
					kind: 'in',
					of: this.#part(node.firstChild!),
					selections: node.getChildren('Selection').map((each) => this.#selection(each))
				};
			case 'Call': {
				const name = node.getChild('FunctionName')!;
				const over = node.getChild('Selection');
				if (over) {
					const of = children(node).find((each) => !['FunctionName', '('].includes(each.name))!;
					return { ...at, kind: 'over', name: this.#of(name), at: span(name), of: this.#part(of), selection: this.#selection(over) };
				}
				const args = children(node).filter(({ name }) => !['FunctionName', '(', ')', ','].includes(name));
				return { ...at, kind: 'call', name: this.#of(name), at: span(name), args: args.map((each) => this.#part(each)) };
			}
			case 'Over': {
				const name = node.getChild('OverName')!;
				const of = children(node).find((each) => !['OverName', '('].includes(each.name))!;
				const selection = this.#selection(node.getChild('Selection')!);
				return { ...at, kind: 'over', name: this.#of(name), at: span(name), of: this.#part(of), selection };
			}
			case 'Share': {
				const of = children(node).find((each) => !['share', '('].includes(each.name))!;
				return { ...at, kind: 'share', of: this.#part(of), dimension: this.#name(node.getChild('Name')!) };
			}
			case 'When': {
				const parts = children(node);
				const values = parts.filter(({ name }) => !['when', 'then', 'else'].includes(name)).map((each) => this.#part(each));
				const hasElse = parts.some(({ name }) => name === 'else');
				const otherwise = hasElse ? values.pop() : undefined;
				const cases = Array.from({ length: values.length / 2 }, (_, index) => ({
					condition: values[index * 2]!,
					value: values[index * 2 + 1]!
				}));
				return { ...at, kind: 'when', cases, otherwise };
			}
			case 'Read':
				return this.#read(node);
			default: {
				// Sums, products, powers, comparisons, and, or: two sides with their sign between.
				const [left, sign, right] = children(node);
				return {
					...at,
					kind: 'operation',
					operator: this.#of(sign!),
					at: span(sign!),
					left: this.#part(left!),
					right: this.#part(right!)
				};
			}
		}
	}
}

const span = ({ from, to }: Span): Span => ({ from, to });
const wordsOf = ({ dimension, word }: NameCard) => ({ dimension, word });

/** What a node is made of, comments left out. */
function children(node: SyntaxNode): SyntaxNode[] {
	const found: SyntaxNode[] = [];
	for (let child = node.firstChild; child; child = child.nextSibling) if (child.name !== 'Comment') found.push(child);
	return found;
}

const lastOf = (node: SyntaxNode): SyntaxNode => children(node).at(-1)!;
