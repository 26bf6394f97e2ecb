import type { SyntaxNode } from '@lezer/common';
import { dayNumber, isDate } from '../calendar';
import type { Dimension } from '../dimension';
import { unquoted } from '../formula';
import { lastUnit } from '../model';
import { operandsIn } from './domain';
import { ARGUMENTS } from './expression';
import { lastChild, listed, numberOf, ScriptError } from './name-reader';
import { leavesOf, SelectionReader } from './selection-reader';
import { DEEPEST } from './syntax-fault';
import type { Arithmetic, AxisRead, Comparison, Fold, FunctionName, Operand, Term } from './tree';

const OPERATORS = new Set(['+', '-', '*', '/', '^']);

/** Reads expressions: places, operands and the terms they are part of. */
export class TermReader extends SelectionReader {
	protected lets = new Map<string, Term>();
	protected depth = 0;

	protected placeItem(
		item: SyntaxNode
	):
		| { kind: 'member'; dimension: Dimension; ordinal: number }
		| { kind: 'parent' | 'total'; dimension: Dimension }
		| { kind: 'whole'; level: string }
		| { kind: 'shift'; level: string; by: number } {
		const name = item.getChild('Name');
		const shift = item.getChild('SumSign');
		if (name && shift) {
			const { word } = this.words(name);
			const level = this.names.levels.get(word);
			if (level === undefined)
				throw new ScriptError(
					name,
					`“${word}” is no level of the calendar to shift by. There are ${listed([...this.names.levels.keys()])}.`
				);
			const number = numberOf(this.textOf(item.getChild('Number')!));
			if (!Number.isInteger(number) || number > 1_000) throw new ScriptError(item, 'A shift is a whole number of periods, at most 1,000.');
			return { kind: 'shift', level, by: this.textOf(shift) === '-' ? -number : number };
		}
		if (name) return { kind: 'member', ...this.member(name) };
		const word = item.firstChild!;
		const asked = unquoted(this.textOf(word));
		const level = this.names.levels.get(asked);
		if (item.getChild('TotalOf') && level !== undefined) return { kind: 'whole', level };
		const dimension = this.dimensionNamed(word, asked);
		if (item.getChild('ParentOf') || item.getChild('TotalOf')) {
			if (dimension === this.model.periods.dimension)
				throw new ScriptError(item, `Say which level: {${[...this.names.levels.keys()][0]}: total} is the whole of it.`);
			return { kind: item.getChild('ParentOf') ? 'parent' : 'total', dimension };
		}
		const { ordinals } = this.selectedBy(item.getChild('Parameter')!, dimension);
		if (ordinals.length !== 1)
			throw new ScriptError(item, `${this.textOf(item.getChild('Parameter')!)} names ${ordinals.length} members; one is needed here.`);
		return { kind: 'member', dimension, ordinal: ordinals[0]! };
	}

	protected operand(account: number, place: SyntaxNode | null): Operand {
		const axes = new Map<number, AxisRead>();
		const operand: Operand = { account, axes, fold: 'sum' };
		for (const item of place?.getChildren('PlaceItem') ?? []) {
			const where = this.placeItem(item);
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
			if (dimension === this.model.periods.dimension) {
				operand.period = (where as { ordinal: number }).ordinal;
				continue;
			}
			const axis = this.model.dimensions.indexOf(dimension);
			if (axis === this.model.accountAxis) throw new ScriptError(item, 'The account stands before the braces.');
			if (where.kind !== 'member') axes.set(axis, { kind: where.kind });
			else if (dimension.isLeaf(where.ordinal)) axes.set(axis, { kind: 'member', ordinal: where.ordinal });
			else axes.set(axis, { kind: 'of', ordinal: where.ordinal });
		}
		if (operand.period !== undefined && (operand.shift || operand.span))
			throw new ScriptError(place!, 'A period by name, or a shift of the current one: not both.');
		return operand;
	}

	protected term(node: SyntaxNode): Term {
		if (++this.depth > DEEPEST) {
			this.depth = 0;
			throw new ScriptError(node, 'Too many brackets stand inside each other here. Use let to name a part.');
		}
		const term = this.termAt(node);
		this.depth--;
		return term;
	}

	protected termAt(node: SyntaxNode): Term {
		switch (node.name) {
			case 'Number':
				return { kind: 'number', value: numberOf(this.textOf(node)) };
			case 'DateValue': {
				const day = this.textOf(node.getChild('Day')!);
				if (!isDate(day)) throw new ScriptError(node, `${day} is no date.`);
				return { kind: 'number', value: dayNumber(day) };
			}
			case 'Text':
				throw new ScriptError(node, 'A text cannot be calculated with. Members stand in double quotes.');
			case 'Parameter': {
				const value = this.parameter(node);
				if (value.kind === 'number') return { kind: 'number', value: value.value };
				throw new ScriptError(node, `${this.textOf(node)} is a ${value.kind === 'text' ? 'text' : 'member'}, not a number.`);
			}
			case 'Group':
				return this.term(node.firstChild!.nextSibling!);
			case 'Negative':
				if (this.textOf(node.firstChild!) === '+') return this.term(lastChild(node));
				return { kind: 'negative', of: this.term(lastChild(node)) };
			case 'Not':
				return { kind: 'not', of: this.term(lastChild(node)) };
			case 'Power':
			case 'Product':
			case 'Sum': {
				const operator = this.textOf(node.firstChild!.nextSibling!);
				if (!OPERATORS.has(operator)) throw new ScriptError(node, `“${operator}” is no operator.`);
				const [left, right] = this.alike(this.term(node.firstChild!), this.term(lastChild(node)));
				return { kind: 'arithmetic', operator: operator as Arithmetic, left, right };
			}
			case 'Compare': {
				if (node.firstChild!.name === 'Compare')
					throw new ScriptError(node, 'Compare two values at a time, and join the comparisons with and.');
				const [left, right] = this.alike(this.term(node.firstChild!), this.term(lastChild(node)));
				const units = [...operandsIn(left), ...operandsIn(right)].map(({ account }) => lastUnit(this.model, account));
				const unit = units.length === 0 ? 0 : Math.min(...units);
				return { kind: 'compare', operator: this.textOf(node.firstChild!.nextSibling!) as Comparison, left, right, unit };
			}
			case 'And':
			case 'Or':
				return { kind: node.name === 'And' ? 'and' : 'or', left: this.term(node.firstChild!), right: this.term(lastChild(node)) };
			case 'Is':
				return this.is(node);
			case 'In':
				return this.in(node);
			case 'When': {
				const parts: SyntaxNode[] = [];
				let otherwise: Term | undefined;
				let isElse = false;
				for (let child = node.firstChild; child; child = child.nextSibling) {
					if (child.name === 'else') isElse = true;
					else if (child.name !== 'when' && child.name !== 'then') {
						if (isElse) otherwise = this.term(child);
						else parts.push(child);
					}
				}
				const cases = Array.from({ length: parts.length / 2 }, (_, index) => ({
					condition: this.term(parts[index * 2]!),
					value: this.term(parts[index * 2 + 1]!)
				}));
				return { kind: 'when', cases, otherwise };
			}
			case 'Call':
				return this.call(node);
			case 'Over':
				return this.over(node, this.textOf(node.getChild('OverName')!) as Fold);
			case 'Share': {
				const operand = this.readInside(node.getChild('Read') ?? node);
				const dimension = this.dimensionNamed(node.getChild('Name')!, this.words(node.getChild('Name')!).word);
				const axis = this.model.dimensions.indexOf(dimension);
				if (axis < 0 || axis === this.model.accountAxis)
					throw new ScriptError(node, 'A share is taken over a dimension other than accounts and periods.');
				const whole: Operand = { ...operand, axes: new Map([...operand.axes, [axis, { kind: 'total' }]]) };
				return { kind: 'arithmetic', operator: '/', left: { kind: 'read', operand }, right: { kind: 'read', operand: whole } };
			}
			case 'Read':
				return this.read(node);
			default:
				throw new ScriptError(node, 'A value was expected here.');
		}
	}

	/** A fold of one account over a selection. */
	protected over(node: SyntaxNode, fold: Fold): Term {
		const operand = this.readInside(node.getChild('Read') ?? node);
		const { dimension, ordinals } = this.selection(node.getChild('Selection')!);
		if (dimension === this.model.periods.dimension) throw new ScriptError(node, 'Over periods, use todate or a level: {Year: total}.');
		const axis = this.model.dimensions.indexOf(dimension);
		if (axis === this.model.accountAxis) throw new ScriptError(node, 'Name the parent account instead of adding up accounts.');
		return { kind: 'read', operand: { ...operand, fold, axes: new Map([...operand.axes, [axis, { kind: 'over', ordinals }]]) } };
	}

	protected readInside(node: SyntaxNode): Operand {
		if (node.name !== 'Read') throw new ScriptError(node, 'Name one account here, with its place in braces where needed.');
		const term = this.read(node);
		if (term.kind !== 'read') throw new ScriptError(node, 'Name one account here.');
		return term.operand;
	}

	protected read(node: SyntaxNode): Term {
		const name = node.getChild('Name')!;
		const place = node.getChild('Place');
		const { dimension: prefix, word } = this.words(name);
		const known = prefix === undefined && !place ? this.lets.get(word) : undefined;
		if (known) return known;
		if (this.isValueWord(name)) return { kind: 'read', operand: this.operand(this.account(name), place) };
		// A level or the period dimension by itself is the current period.
		if (prefix === undefined && !place && this.isPeriodWord(word)) return { kind: 'period now' };
		const isAccountName = prefix === undefined && this.names.member(this.model.accounts, word) !== undefined;
		const found = this.member(name, isAccountName ? this.model.accounts : undefined);
		if (found.dimension === this.model.periods.dimension && !place)
			return { kind: 'number', value: this.model.periods.range(found.ordinal).from };
		if (found.dimension !== this.model.accounts)
			throw new ScriptError(
				name,
				`“${word}” belongs to ${found.dimension.name}. A value is read from an account; put members into braces.`
			);
		return { kind: 'read', operand: this.operand(found.ordinal, place) };
	}

	protected isPeriodWord(word: string): boolean {
		if (this.names.member(this.model.accounts, word) !== undefined) return false;
		return this.names.levels.has(word) || this.names.dimension(word) === this.model.periods.dimension;
	}

	/** Beside a period, an account of choice stands for the period it holds. */
	protected alike(left: Term, right: Term): [Term, Term] {
		const period = (term: Term) => term.kind === 'period now';
		const asPeriod = (term: Term): Term =>
			term.kind === 'read' && this.isChoice(term.operand) ? { kind: 'period of', operand: term.operand } : term;
		return period(left) || period(right) ? [asPeriod(left), asPeriod(right)] : [left, right];
	}

	protected isChoice = ({ account }: Operand): boolean => this.model.account(account)?.valueType === 'choice';

	/** The axis a word names for a member test; −1 for the period. */
	protected axisOf(node: SyntaxNode): { axis: number; dimension: Dimension } {
		const name = node.name === 'Read' && !node.getChild('Place') ? node.getChild('Name') : null;
		if (!name) throw new ScriptError(node, 'A dimension was expected before is or in.');
		const { word } = this.words(name);
		if (this.isPeriodWord(word)) return { axis: -1, dimension: this.model.periods.dimension };
		const dimension = this.dimensionNamed(name, word);
		return { axis: this.model.dimensions.indexOf(dimension), dimension };
	}

	protected is(node: SyntaxNode): Term {
		const { axis, dimension } = this.axisOf(node.firstChild!);
		const right = lastChild(node);
		const name = right.getChild('Name')!;
		const { dimension: prefix, word } = this.words(name);
		const own = this.names.member(dimension, word);
		if (prefix === undefined && own === undefined && this.names.member(this.model.accounts, word) !== undefined) {
			const term = this.read(right);
			if (term.kind !== 'read' || !this.isChoice(term.operand)) throw new ScriptError(right, `“${word}” holds no choice of a member.`);
			return { kind: 'member is choice', axis, operand: term.operand };
		}
		const { ordinal } = this.member(name, dimension);
		return { kind: 'member in', axis, members: this.covered(axis, dimension, [ordinal]) };
	}

	protected in(node: SyntaxNode): Term {
		const { axis, dimension } = this.axisOf(node.firstChild!);
		const ordinals = node.getChildren('Selection').flatMap((each) => {
			const selected = this.selection(each, dimension);
			if (selected.dimension !== dimension)
				throw new ScriptError(each, `These are members of ${selected.dimension.name}, not of ${dimension.name}.`);
			return selected.ordinals;
		});
		return { kind: 'member in', axis, members: this.covered(axis, dimension, ordinals) };
	}

	/** The leaves that lie beneath some members; for the period by leaf index. */
	protected covered = (axis: number, dimension: Dimension, ordinals: readonly number[]): Uint8Array =>
		axis < 0 ? this.leafPeriods(ordinals) : leavesOf(dimension, ordinals);

	protected call(node: SyntaxNode): Term {
		const name = this.textOf(node.getChild('FunctionName')!);
		if (node.getChild('Selection')) {
			if (name === 'min' || name === 'max') return this.over(node, name);
			throw new ScriptError(node, `${name} takes no selection. Over one there are sum, avg, count, min, max, first and last.`);
		}
		const args: SyntaxNode[] = [];
		for (let child = node.firstChild!.nextSibling; child; child = child.nextSibling)
			if (child.name !== '(' && child.name !== ')' && child.name !== ',') args.push(child);
		const needs = ARGUMENTS[name]!;
		// todate(x, Year) names a level, which is no value.
		if (args.length < needs.least || args.length > needs.most) throw new ScriptError(node, `${name} takes ${needs.words}.`);
		if (name === 'previous' || name === 'todate') {
			const operand = this.readInside(args[0]!);
			if (operand.shift || operand.period !== undefined || operand.span)
				throw new ScriptError(args[0]!, `${name} reads an account at the current period.`);
			if (name === 'previous') return { kind: 'read', operand: { ...operand, shift: { level: this.leafLevel(), by: -1 } } };
			const level = this.names.levels.get(this.words(args[1]!.getChild('Name') ?? args[1]!).word);
			if (level === undefined)
				throw new ScriptError(args[1]!, `Name a level of the calendar here: ${listed([...this.names.levels.keys()], 'or')}.`);
			return { kind: 'read', operand: { ...operand, span: { level, to: 'here' } } };
		}
		return { kind: 'call', name: name as FunctionName, args: args.map((each) => this.term(each)) };
	}

	protected leafLevel = (): string => this.model.periods.facts(this.model.periods.leaf(0).ordinal)!.level;
}
