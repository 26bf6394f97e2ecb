import type { SyntaxNode } from '@lezer/common';
import { dayNumber, isDate } from '../calendar';
import { selectMembers, type Dimension } from '../dimension';
import type { Model } from '../model';
import { driversOf } from './domain';
import { ARGUMENTS } from './expression';
import { quoted, RESERVED, ScriptNames, unquoted } from './names';
import { parser } from './parser.generated';
import { orderFault } from './run';
import { syntaxFault } from './syntax-fault';
import type {
	Arithmetic,
	AxisRead,
	Assignment,
	CheckedScript,
	Comparison,
	Fold,
	FunctionName,
	NameUse,
	Operand,
	ParameterValue,
	Scope,
	ScriptFault,
	Term
} from './tree';

/** A script longer than this is not read. */
export const LONGEST_SCRIPT = 200_000;

/** Brackets and conditions inside each other. */
const DEEPEST = 400;

/** Faults told at once. */
const MOST_FAULTS = 50;

/** What a script is checked against beside the model. */
export interface ScriptContext {
	names: ScriptNames;
	/** What may be named with a $, with a value to check by. */
	parameters: ReadonlyMap<string, ParameterValue>;
	/** What the step itself is limited to: like a `within` around the whole script. */
	scope?: Scope;
}

/**
 * Reads a script and finds its names: scopes, assignments with their terms, and all faults with their place. A script
 * with a fault has no assignment that must not be run: none is to be run then. O(text × names looked up).
 */
export function checkScript(model: Model, text: string, context: ScriptContext): CheckedScript {
	if (text.length > LONGEST_SCRIPT)
		return {
			assignments: [],
			faults: [{ from: 0, to: 0, message: `This script is too long: at most ${LONGEST_SCRIPT.toLocaleString('en')} characters.` }],
			names: [],
			parameters: new Set()
		};
	return new Checker(model, text, context).check();
}

/** Thrown where the rest of an expression makes no sense any more; kept as a fault. */
class ScriptError extends Error {
	constructor(
		readonly node: { from: number; to: number },
		message: string
	) {
		super(message);
	}
}

const OPERATORS = new Set(['+', '-', '*', '/', '^']);

class Checker {
	readonly #model: Model;
	readonly #text: string;
	readonly #names: ScriptNames;
	readonly #parameters: ReadonlyMap<string, ParameterValue>;
	readonly #faults: ScriptFault[] = [];
	readonly #uses: NameUse[] = [];
	readonly #asked = new Set<string>();
	readonly #outer: Scope;
	#lets = new Map<string, Term>();
	#depth = 0;

	constructor(model: Model, text: string, { names, parameters, scope }: ScriptContext) {
		this.#model = model;
		this.#text = text;
		this.#names = names;
		this.#parameters = parameters;
		this.#outer = scope ?? { axes: new Map(), periods: undefined };
	}

	check(): CheckedScript {
		const tree = parser.parse(this.#text);
		const assignments: Assignment[] = [];
		const broken = syntaxFault(this.#text, tree.topNode, DEEPEST);
		if (broken) this.#faults.push(broken);
		else this.#items(tree.topNode, this.#outer, assignments);
		if (!broken && assignments.length === 0 && this.#faults.length === 0)
			this.#faults.push({
				from: 0,
				to: 0,
				message: 'The script writes nothing yet. Write an assignment, such as  Rent = Rent{Month - 1}.'
			});
		const disorder = this.#faults.length === 0 ? orderFault(this.#model, assignments) : undefined;
		if (disorder) this.#faults.push({ from: disorder.assignment.from, to: disorder.assignment.to, message: disorder.message });
		return { assignments, faults: this.#faults.slice(0, MOST_FAULTS), names: this.#uses, parameters: this.#asked };
	}

	// — Statements

	#items(parent: SyntaxNode, scope: Scope, into: Assignment[]): void {
		const lets = this.#lets;
		this.#lets = new Map(lets);
		for (let node = parent.firstChild; node; node = node.nextSibling) {
			if (this.#faults.length > MOST_FAULTS) break;
			try {
				if (node.name === 'Within') this.#items(node, this.#narrow(node, scope), into);
				else if (node.name === 'Let') this.#let(node);
				else if (node.name === 'Assignment') into.push(this.#assignment(node, scope));
			} catch (error) {
				if (!(error instanceof ScriptError)) throw error;
				this.#faults.push({ from: error.node.from, to: error.node.to, message: error.message });
			}
		}
		this.#lets = lets;
	}

	/** The scope inside a `within`: what was allowed outside and is named here. */
	#narrow(within: SyntaxNode, scope: Scope): Scope {
		const members = new Map<Dimension, Set<number>>();
		let dimension: Dimension | undefined;
		for (const node of within.getChildren('Selection')) {
			const selected = this.#selection(node, dimension);
			dimension = selected.dimension;
			const set = members.get(dimension) ?? new Set();
			for (const ordinal of selected.ordinals) set.add(ordinal);
			members.set(dimension, set);
		}
		const axes = new Map(scope.axes);
		let { periods } = scope;
		for (const [of, chosen] of members) {
			const leaves = leavesOf(of, chosen);
			if (of === this.#model.periods.dimension) periods = both(periods, this.#leafPeriods(chosen));
			else {
				const axis = this.#model.dimensions.indexOf(of);
				axes.set(axis, both(axes.get(axis), leaves)!);
			}
		}
		return { axes, periods };
	}

	#leafPeriods(ordinals: Iterable<number>): Uint8Array {
		const { periods } = this.#model;
		const found = new Uint8Array(periods.leaves.length);
		for (const ordinal of ordinals) {
			const { from, to } = periods.range(ordinal);
			if (to >= from) found.fill(1, from, to + 1);
		}
		return found;
	}

	#let(node: SyntaxNode): void {
		const name = this.#textOf(node.getChild('Identifier')!);
		if (RESERVED.has(name)) throw new ScriptError(node, `“${name}” is a word of the language. Choose another name.`);
		this.#lets.set(name, this.#term(lastChild(node)));
	}

	#assignment(node: SyntaxNode, scope: Scope): Assignment {
		const target = node.getChild('Target')!;
		const name = target.getChild('Name')!;
		const account = this.#account(name);
		const model = this.#model;
		if (!model.accounts.isLeaf(account)) {
			const { name: called } = model.accounts.member(account);
			throw new ScriptError(name, `“${called}” is made of other accounts: write to one of them.`);
		}
		const fixed = new Map<number, number>();
		const axes = new Map(scope.axes);
		let { periods } = scope;
		const place = target.getChild('Place');
		for (const item of place?.getChildren('PlaceItem') ?? []) {
			const where = this.#placeItem(item);
			if (where.kind !== 'member')
				throw new ScriptError(item, 'A target is set to members only; shifts and totals belong to what is read.');
			const { dimension, ordinal } = where;
			if (dimension === model.periods.dimension) periods = both(periods, this.#leafPeriods([ordinal]));
			else {
				const axis = model.dimensions.indexOf(dimension);
				if (!dimension.isLeaf(ordinal))
					throw new ScriptError(
						item,
						`“${dimension.member(ordinal).name}” adds up others: a target is set to a member without any beneath it.`
					);
				if (axis === model.accountAxis) throw new ScriptError(item, 'The account stands before the braces.');
				fixed.set(axis, ordinal);
				axes.set(axis, leavesOf(dimension, [ordinal]));
			}
		}
		const term = this.#term(node.getChild('Equals')!.nextSibling!);
		const assignment = {
			from: node.from,
			to: node.to,
			account,
			fixed,
			term,
			everywhere: node.getChild('Everywhere') !== null,
			scope: { axes, periods }
		};
		if (!assignment.everywhere && driversOf(model, term, assignment).length === 0)
			throw new ScriptError(
				node,
				'This says where from, not where to: read an account at the current cell, name the members in a within, or add everywhere.'
			);
		return assignment;
	}

	// — Names

	#textOf = (node: { from: number; to: number }): string => this.#text.slice(node.from, node.to);

	#words(name: SyntaxNode): { dimension: string | undefined; word: string; node: SyntaxNode } {
		const words: SyntaxNode[] = [];
		for (let child = name.firstChild; child; child = child.nextSibling) if (child.name !== 'Colon') words.push(child);
		const last = words.at(-1)!;
		return { dimension: words.length > 1 ? unquoted(this.#textOf(words[0]!)) : undefined, word: unquoted(this.#textOf(last)), node: last };
	}

	/** A member by its name; of several dimensions with one of that name, the one that is asked for. */
	#member(name: SyntaxNode, within?: Dimension): { dimension: Dimension; ordinal: number } {
		const { dimension: prefix, word } = this.#words(name);
		const named = prefix === undefined ? within : this.#dimensionNamed(name, prefix);
		if (named) {
			const ordinal = this.#names.member(named, word);
			if (ordinal === undefined) throw this.#unknown(name, word, [named]);
			return this.#use(name, named, ordinal, prefix !== undefined);
		}
		const found = this.#names.everywhere(word);
		if (found.length === 0) throw this.#unknown(name, word, this.#names.dimensions);
		if (found.length > 1)
			throw new ScriptError(
				name,
				`“${word}” is a name in ${listed(found.map(({ dimension }) => dimension.name))}. Put the dimension in front: ${quoted(found[0]!.dimension.name)}:${quoted(word)}.`
			);
		return this.#use(name, found[0]!.dimension, found[0]!.ordinal, false);
	}

	#use(node: SyntaxNode, dimension: Dimension, ordinal: number, qualified: boolean) {
		this.#uses.push({ from: node.from, to: node.to, dimension: dimension.id, member: dimension.member(ordinal).id, qualified });
		return { dimension, ordinal };
	}

	#dimensionNamed(node: { from: number; to: number }, name: string): Dimension {
		const found = this.#names.dimension(name);
		if (found) return found;
		throw new ScriptError(node, `There is no dimension “${name}”. There are ${listed(this.#names.dimensions.map((each) => each.name))}.`);
	}

	#unknown(node: SyntaxNode, word: string, dimensions: readonly Dimension[]): ScriptError {
		const near = this.#names.nearest(word, dimensions);
		return new ScriptError(
			node,
			`No member “${word}” in ${listed(
				dimensions.map(({ name }) => name),
				'or'
			)}.${near ? ` Did you mean “${near}”?` : ''}`
		);
	}

	#account(name: SyntaxNode): number {
		const found = this.#member(name, this.#model.accounts);
		if (found.dimension !== this.#model.accounts)
			throw new ScriptError(name, `“${found.dimension.member(found.ordinal).name}” is no account but belongs to ${found.dimension.name}.`);
		return found.ordinal;
	}

	#parameter(node: SyntaxNode): ParameterValue {
		const name = this.#textOf(node).slice(1);
		this.#asked.add(name);
		const value = this.#parameters.get(name);
		if (value) return value;
		const known = [...this.#parameters.keys()];
		throw new ScriptError(
			node,
			known.length > 0
				? `There is no parameter or variable $${name}. There are ${listed(known.map((each) => `$${each}`))}.`
				: `There is no parameter or variable $${name}.`
		);
	}

	// — Selections

	#selection(node: SyntaxNode, implied?: Dimension): { dimension: Dimension; ordinals: number[] } {
		const first = node.firstChild!;
		let selected = this.#selectionTerm(first, implied);
		for (const where of node.getChildren('Where')) selected = { ...selected, ordinals: this.#where(where, selected) };
		for (const except of node.getChildren('Except')) {
			const without = this.#selectionTerm(lastChild(except), selected.dimension);
			const gone = new Set(without.ordinals.flatMap((ordinal) => without.dimension.tree.under(ordinal)));
			// A parent with something taken out is what is left beneath it.
			const leaves = selected.ordinals.flatMap((ordinal) => selected.dimension.tree.leaves(ordinal));
			selected = { ...selected, ordinals: [...new Set(leaves)].filter((ordinal) => !gone.has(ordinal)) };
		}
		return selected;
	}

	#selectionTerm(node: SyntaxNode, implied: Dimension | undefined): { dimension: Dimension; ordinals: number[] } {
		switch (node.name) {
			case 'Name': {
				const found = this.#member(node, implied);
				return { dimension: found.dimension, ordinals: [found.ordinal] };
			}
			case 'Parameter':
				return this.#selectedBy(node, implied);
			case 'Prefixed': {
				const dimension = this.#dimensionNamed(node.firstChild!, unquoted(this.#textOf(node.firstChild!)));
				return this.#selectionTerm(lastChild(node), dimension);
			}
			case 'Range': {
				const [one, other] = node.getChildren('Name');
				const from = this.#member(one!, implied);
				const to = this.#member(other!, from.dimension);
				return { dimension: from.dimension, ordinals: this.#range(node, from.dimension, from.ordinal, to.ordinal) };
			}
			case 'Level': {
				const level = this.#words(node.getChild('Name')!).word;
				const { periods } = this.#model;
				const wanted = this.#names.levels.get(level);
				if (wanted === undefined)
					throw new ScriptError(node, `There is no level “${level}”. There are ${listed([...this.#names.levels.keys()])}.`);
				const ordinals = [...periods.dimension.members.keys()].filter((ordinal) => periods.facts(ordinal)?.level === wanted);
				return { dimension: periods.dimension, ordinals };
			}
			case 'Family': {
				const kind = this.#textOf(node.firstChild!) as 'children' | 'leaves' | 'under';
				const root = lastChild(node);
				if (root.name === 'Name') {
					const { dimension: prefix, word } = this.#words(root);
					// “leaves of Route”: of the whole dimension, unless a member has that name.
					const whole =
						prefix === undefined && !(implied && this.#names.member(implied, word) !== undefined) ? this.#names.dimension(word) : undefined;
					if (whole && this.#names.everywhere(word).length === 0) {
						const every = selectMembers(whole, { kind: 'all' });
						const { tree } = whole;
						return {
							dimension: whole,
							ordinals: every.filter((each) => (kind === 'leaves' ? tree.isLeaf(each) : kind === 'under' || tree.parent[each]! < 0))
						};
					}
				}
				const of = this.#selectionTerm(root, implied);
				const { tree } = of.dimension;
				const family = (ordinal: number) =>
					kind === 'children' ? tree.children(ordinal) : kind === 'leaves' ? tree.leaves(ordinal) : tree.under(ordinal);
				return { dimension: of.dimension, ordinals: [...new Set(of.ordinals.flatMap(family))] };
			}
			default:
				throw new ScriptError(node, 'A selection was expected here.');
		}
	}

	#selectedBy(node: SyntaxNode, implied: Dimension | undefined): { dimension: Dimension; ordinals: number[] } {
		const value = this.#parameter(node);
		if (value.kind !== 'selection') throw new ScriptError(node, `${this.#textOf(node)} is a ${value.kind}, not a member.`);
		const dimension = this.#names.dimensions.find(({ id }) => id === value.dimension);
		if (!dimension || (implied && implied !== dimension))
			throw new ScriptError(
				node,
				`${this.#textOf(node)} names members of ${dimension?.name ?? 'no dimension of this model'}, not of ${implied?.name ?? 'this one'}.`
			);
		const ordinals = selectMembers(dimension, value.selection, { variables: this.#model.variables });
		return { dimension, ordinals };
	}

	#range(node: SyntaxNode, dimension: Dimension, from: number, to: number): number[] {
		if (dimension !== this.#model.periods.dimension) {
			const member = (ordinal: number) => dimension.member(ordinal).id;
			return selectMembers(dimension, { kind: 'range', from: member(from), to: member(to) });
		}
		const { periods } = this.#model;
		const [first, last] = [periods.range(from).from, periods.range(to).to];
		if (last < first) throw new ScriptError(node, `${dimension.member(from).name} lies after ${dimension.member(to).name}.`);
		return periods.leaves.slice(first, last + 1).map(({ ordinal }) => ordinal);
	}

	/** Those of a selection whose attribute fits; of accounts also by their kind. */
	#where(node: SyntaxNode, { dimension, ordinals }: { dimension: Dimension; ordinals: readonly number[] }): number[] {
		const names = node.getChildren('Name');
		const attribute = this.#words(names[0]!).word;
		const values: (string | number | boolean)[] = [];
		for (let child = names[0]!.nextSibling; child; child = child.nextSibling)
			if (child.name === 'Name') values.push(this.#words(child).word);
			else if (child.name === 'Number') values.push(numberOf(this.#textOf(child)));
			else if (child.name === 'Text') values.push(textOf(this.#textOf(child)));
			else if (child.name === 'DateValue') values.push(this.#textOf(child.getChild('Day')!));
		const isKind = dimension === this.#model.accounts && attribute === 'kind';
		if (!isKind && !dimension.members.some((_, ordinal) => dimension.attribute(attribute, ordinal) !== undefined))
			throw new ScriptError(names[0]!, `${dimension.name} has no attribute “${attribute}”.`);
		const operator = node.getChild('CompareSign') ? (this.#textOf(node.getChild('CompareSign')!) as Comparison) : '=';
		return ordinals.filter((ordinal) => {
			const found = isKind ? this.#model.account(ordinal)?.kind : dimension.attribute(attribute, ordinal);
			if (found === undefined) return operator === '<>';
			return values.some((value) => {
				const wanted = typeof found === 'boolean' ? value === 'yes' || value === true : value;
				if (operator === '=') return found === wanted;
				if (operator === '<>') return found !== wanted;
				return operator === '<'
					? found < wanted
					: operator === '<='
						? found <= wanted
						: operator === '>'
							? found > wanted
							: found >= wanted;
			});
		});
	}

	// — Places

	#placeItem(
		item: SyntaxNode
	):
		| { kind: 'member'; dimension: Dimension; ordinal: number }
		| { kind: 'parent' | 'total'; dimension: Dimension }
		| { kind: 'whole'; level: string }
		| { kind: 'shift'; level: string; by: number } {
		const name = item.getChild('Name');
		const shift = item.getChild('SumSign');
		if (name && shift) {
			const { word } = this.#words(name);
			const level = this.#names.levels.get(word);
			if (level === undefined)
				throw new ScriptError(
					name,
					`“${word}” is no level of the calendar to shift by. There are ${listed([...this.#names.levels.keys()])}.`
				);
			const number = numberOf(this.#textOf(item.getChild('Number')!));
			if (!Number.isInteger(number) || number > 1_000) throw new ScriptError(item, 'A shift is a whole number of periods, at most 1,000.');
			return { kind: 'shift', level, by: this.#textOf(shift) === '-' ? -number : number };
		}
		if (name) return { kind: 'member', ...this.#member(name) };
		const word = item.firstChild!;
		const asked = unquoted(this.#textOf(word));
		const level = this.#names.levels.get(asked);
		if (item.getChild('TotalOf') && level !== undefined) return { kind: 'whole', level };
		const dimension = this.#dimensionNamed(word, asked);
		if (item.getChild('ParentOf') || item.getChild('TotalOf')) {
			if (dimension === this.#model.periods.dimension)
				throw new ScriptError(item, `Say which level: {${[...this.#names.levels.keys()][0]}: total} is the whole of it.`);
			return { kind: item.getChild('ParentOf') ? 'parent' : 'total', dimension };
		}
		const { ordinals } = this.#selectedBy(item.getChild('Parameter')!, dimension);
		if (ordinals.length !== 1)
			throw new ScriptError(item, `${this.#textOf(item.getChild('Parameter')!)} names ${ordinals.length} members; one is needed here.`);
		return { kind: 'member', dimension, ordinal: ordinals[0]! };
	}

	#operand(account: number, place: SyntaxNode | null): Operand {
		const axes = new Map<number, AxisRead>();
		const operand: Operand = { account, axes, fold: 'sum' };
		for (const item of place?.getChildren('PlaceItem') ?? []) {
			const where = this.#placeItem(item);
			if (where.kind === 'shift') {
				if (operand.shift) throw new ScriptError(item, 'One shift is enough.');
				operand.shift = { level: where.level, by: where.by };
				continue;
			}
			if (where.kind === 'whole') {
				operand.span = { level: where.level, to: 'end' };
				continue;
			}
			const { dimension } = where;
			if (dimension === this.#model.periods.dimension) {
				operand.period = (where as { ordinal: number }).ordinal;
				continue;
			}
			const axis = this.#model.dimensions.indexOf(dimension);
			if (axis === this.#model.accountAxis) throw new ScriptError(item, 'The account stands before the braces.');
			if (where.kind !== 'member') axes.set(axis, { kind: where.kind });
			else if (dimension.isLeaf(where.ordinal)) axes.set(axis, { kind: 'member', ordinal: where.ordinal });
			else axes.set(axis, { kind: 'over', ordinals: [where.ordinal] });
		}
		if (operand.period !== undefined && (operand.shift || operand.span))
			throw new ScriptError(place!, 'A period by name, or a shift of the current one: not both.');
		return operand;
	}

	// — Terms

	#term(node: SyntaxNode): Term {
		if (++this.#depth > DEEPEST) {
			this.#depth = 0;
			throw new ScriptError(node, 'Too many brackets stand inside each other here. Use let to name a part.');
		}
		const term = this.#termAt(node);
		this.#depth--;
		return term;
	}

	#termAt(node: SyntaxNode): Term {
		switch (node.name) {
			case 'Number':
				return { kind: 'number', value: numberOf(this.#textOf(node)) };
			case 'DateValue': {
				const day = this.#textOf(node.getChild('Day')!);
				if (!isDate(day)) throw new ScriptError(node, `${day} is no date.`);
				return { kind: 'number', value: dayNumber(day) };
			}
			case 'Text':
				throw new ScriptError(node, 'A text cannot be calculated with. Members stand in double quotes.');
			case 'Parameter': {
				const value = this.#parameter(node);
				if (value.kind === 'number') return { kind: 'number', value: value.value };
				throw new ScriptError(node, `${this.#textOf(node)} is a ${value.kind === 'text' ? 'text' : 'member'}, not a number.`);
			}
			case 'Group':
				return this.#term(node.firstChild!.nextSibling!);
			case 'Negative':
				if (this.#textOf(node.firstChild!) === '+') return this.#term(lastChild(node));
				return { kind: 'negative', of: this.#term(lastChild(node)) };
			case 'Not':
				return { kind: 'not', of: this.#term(lastChild(node)) };
			case 'Power':
			case 'Product':
			case 'Sum': {
				const operator = this.#textOf(node.firstChild!.nextSibling!);
				if (!OPERATORS.has(operator)) throw new ScriptError(node, `“${operator}” is no operator.`);
				const [left, right] = this.#alike(this.#term(node.firstChild!), this.#term(lastChild(node)));
				return { kind: 'arithmetic', operator: operator as Arithmetic, left, right };
			}
			case 'Compare': {
				if (node.firstChild!.name === 'Compare')
					throw new ScriptError(node, 'Compare two values at a time, and join the comparisons with and.');
				const [left, right] = this.#alike(this.#term(node.firstChild!), this.#term(lastChild(node)));
				return { kind: 'compare', operator: this.#textOf(node.firstChild!.nextSibling!) as Comparison, left, right };
			}
			case 'And':
			case 'Or':
				return { kind: node.name === 'And' ? 'and' : 'or', left: this.#term(node.firstChild!), right: this.#term(lastChild(node)) };
			case 'Is':
				return this.#is(node);
			case 'In':
				return this.#in(node);
			case 'When': {
				const parts: SyntaxNode[] = [];
				let otherwise: Term | undefined;
				let isElse = false;
				for (let child = node.firstChild; child; child = child.nextSibling) {
					if (child.name === 'else') isElse = true;
					else if (child.name !== 'when' && child.name !== 'then') {
						if (isElse) otherwise = this.#term(child);
						else parts.push(child);
					}
				}
				const cases = Array.from({ length: parts.length / 2 }, (_, index) => ({
					condition: this.#term(parts[index * 2]!),
					value: this.#term(parts[index * 2 + 1]!)
				}));
				return { kind: 'when', cases, otherwise };
			}
			case 'Call':
				return this.#call(node);
			case 'Over': {
				const operand = this.#readInside(node.getChild('Read') ?? node);
				const fold = this.#textOf(node.getChild('OverName')!) as Fold;
				const { dimension, ordinals } = this.#selection(node.getChild('Selection')!);
				if (dimension === this.#model.periods.dimension) throw new ScriptError(node, 'Over periods, use todate or a level: {Year: total}.');
				const axis = this.#model.dimensions.indexOf(dimension);
				if (axis === this.#model.accountAxis) throw new ScriptError(node, 'Name the parent account instead of adding up accounts.');
				return { kind: 'read', operand: { ...operand, fold, axes: new Map([...operand.axes, [axis, { kind: 'over', ordinals }]]) } };
			}
			case 'Share': {
				const operand = this.#readInside(node.getChild('Read') ?? node);
				const dimension = this.#dimensionNamed(node.getChild('Name')!, this.#words(node.getChild('Name')!).word);
				const axis = this.#model.dimensions.indexOf(dimension);
				if (axis < 0 || axis === this.#model.accountAxis)
					throw new ScriptError(node, 'A share is taken over a dimension other than accounts and periods.');
				const whole: Operand = { ...operand, axes: new Map([...operand.axes, [axis, { kind: 'total' }]]) };
				return { kind: 'arithmetic', operator: '/', left: { kind: 'read', operand }, right: { kind: 'read', operand: whole } };
			}
			case 'Read':
				return this.#read(node);
			default:
				throw new ScriptError(node, 'A value was expected here.');
		}
	}

	#readInside(node: SyntaxNode): Operand {
		if (node.name !== 'Read') throw new ScriptError(node, 'Name one account here, with its place in braces where needed.');
		const term = this.#read(node);
		if (term.kind !== 'read') throw new ScriptError(node, 'Name one account here.');
		return term.operand;
	}

	#read(node: SyntaxNode): Term {
		const name = node.getChild('Name')!;
		const place = node.getChild('Place');
		const { dimension: prefix, word } = this.#words(name);
		const known = prefix === undefined && !place ? this.#lets.get(word) : undefined;
		if (known) return known;
		// A level or the period dimension by itself is the current period.
		if (prefix === undefined && !place && this.#isPeriodWord(word)) return { kind: 'period now' };
		const isAccountName = prefix === undefined && this.#names.member(this.#model.accounts, word) !== undefined;
		const found = this.#member(name, isAccountName ? this.#model.accounts : undefined);
		if (found.dimension === this.#model.periods.dimension && !place)
			return { kind: 'number', value: this.#model.periods.range(found.ordinal).from };
		if (found.dimension !== this.#model.accounts)
			throw new ScriptError(
				name,
				`“${word}” belongs to ${found.dimension.name}. A value is read from an account; put members into braces.`
			);
		return { kind: 'read', operand: this.#operand(found.ordinal, place) };
	}

	#isPeriodWord(word: string): boolean {
		if (this.#names.member(this.#model.accounts, word) !== undefined) return false;
		return this.#names.levels.has(word) || this.#names.dimension(word) === this.#model.periods.dimension;
	}

	/** Beside a period, an account of choice stands for the period it holds. */
	#alike(left: Term, right: Term): [Term, Term] {
		const period = (term: Term) => term.kind === 'period now';
		const asPeriod = (term: Term): Term =>
			term.kind === 'read' && this.#isChoice(term.operand) ? { kind: 'period of', operand: term.operand } : term;
		return period(left) || period(right) ? [asPeriod(left), asPeriod(right)] : [left, right];
	}

	#isChoice = ({ account }: Operand): boolean => this.#model.account(account)?.valueType === 'choice';

	/** The axis a word names for a member test; −1 for the period. */
	#axisOf(node: SyntaxNode): { axis: number; dimension: Dimension } {
		const name = node.name === 'Read' && !node.getChild('Place') ? node.getChild('Name') : null;
		if (!name) throw new ScriptError(node, 'A dimension was expected before is or in.');
		const { word } = this.#words(name);
		if (this.#isPeriodWord(word)) return { axis: -1, dimension: this.#model.periods.dimension };
		const dimension = this.#dimensionNamed(name, word);
		return { axis: this.#model.dimensions.indexOf(dimension), dimension };
	}

	#is(node: SyntaxNode): Term {
		const { axis, dimension } = this.#axisOf(node.firstChild!);
		const right = lastChild(node);
		const name = right.getChild('Name')!;
		const { dimension: prefix, word } = this.#words(name);
		const own = this.#names.member(dimension, word);
		if (prefix === undefined && own === undefined && this.#names.member(this.#model.accounts, word) !== undefined) {
			const term = this.#read(right);
			if (term.kind !== 'read' || !this.#isChoice(term.operand)) throw new ScriptError(right, `“${word}” holds no choice of a member.`);
			return { kind: 'member is choice', axis, operand: term.operand };
		}
		const { ordinal } = this.#member(name, dimension);
		return { kind: 'member in', axis, members: this.#covered(axis, dimension, [ordinal]) };
	}

	#in(node: SyntaxNode): Term {
		const { axis, dimension } = this.#axisOf(node.firstChild!);
		const ordinals = node.getChildren('Selection').flatMap((each) => {
			const selected = this.#selection(each, dimension);
			if (selected.dimension !== dimension)
				throw new ScriptError(each, `These are members of ${selected.dimension.name}, not of ${dimension.name}.`);
			return selected.ordinals;
		});
		return { kind: 'member in', axis, members: this.#covered(axis, dimension, ordinals) };
	}

	/** The leaves that lie beneath some members; for the period by leaf index. */
	#covered = (axis: number, dimension: Dimension, ordinals: readonly number[]): Uint8Array =>
		axis < 0 ? this.#leafPeriods(ordinals) : leavesOf(dimension, ordinals);

	#call(node: SyntaxNode): Term {
		const name = this.#textOf(node.getChild('FunctionName')!);
		const args: SyntaxNode[] = [];
		for (let child = node.firstChild!.nextSibling; child; child = child.nextSibling)
			if (child.name !== '(' && child.name !== ')' && child.name !== ',') args.push(child);
		const needs = ARGUMENTS[name]!;
		// todate(x, Year) names a level, which is no value.
		if (args.length < needs.least || args.length > needs.most) throw new ScriptError(node, `${name} takes ${needs.words}.`);
		if (name === 'previous' || name === 'todate') {
			const operand = this.#readInside(args[0]!);
			if (operand.shift || operand.period !== undefined || operand.span)
				throw new ScriptError(args[0]!, `${name} reads an account at the current period.`);
			if (name === 'previous') return { kind: 'read', operand: { ...operand, shift: { level: this.#leafLevel(), by: -1 } } };
			const level = this.#names.levels.get(this.#words(args[1]!.getChild('Name') ?? args[1]!).word);
			if (level === undefined)
				throw new ScriptError(args[1]!, `Name a level of the calendar here: ${listed([...this.#names.levels.keys()], 'or')}.`);
			return { kind: 'read', operand: { ...operand, span: { level, to: 'here' } } };
		}
		return { kind: 'call', name: name as FunctionName, args: args.map((each) => this.#term(each)) };
	}

	#leafLevel = (): string => this.#model.periods.facts(this.#model.periods.leaf(0).ordinal)!.level;
}

function lastChild(node: SyntaxNode): SyntaxNode {
	let last = node.lastChild!;
	while (last.name === 'Comment' || last.name === 'Everywhere') last = last.prevSibling!;
	return last;
}

/** The leaves beneath some members, by ordinal. */
function leavesOf(dimension: Dimension, ordinals: Iterable<number>): Uint8Array {
	const found = new Uint8Array(dimension.members.length);
	for (const ordinal of ordinals) for (const leaf of dimension.tree.leaves(ordinal)) found[leaf] = 1;
	return found;
}

function both(one: Uint8Array | undefined, other: Uint8Array): Uint8Array {
	return one ? other.map((allowed, index) => allowed & one[index]!) : other;
}

const listed = (words: readonly string[], joined = 'and'): string =>
	words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')} ${joined} ${words.at(-1)}`;

function numberOf(text: string): number {
	const value = Number(text.replaceAll('_', '').replace('%', ''));
	return text.endsWith('%') ? value / 100 : value;
}

const textOf = (text: string): string => text.slice(1, -1).replaceAll("''", "'");
