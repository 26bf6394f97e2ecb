import { ARITHMETIC, compared, FUNCTIONS, isTrue, LOGIC, type At } from '../formula';
import { EMPTY, isEmpty } from '../number';
import { isDriver } from './domain';
import { operandReader, type OperandReader, type Reading } from './operand';
import type { Assignment, Operand, Term } from './tree';

/** A term ready to be worked out: at the address set last, in a leaf period. */
export interface ReadyTerm {
	target(address: Int32Array): void;
	value(leaf: number): number;
	/** Whether it has a place there at all. */
	isThere(leaf: number): boolean;
	/** Whether its operands give it one, be it told to fill everything or not. */
	hasOperands(leaf: number): boolean;
	/** The reader of one of its operands. */
	reader(operand: Operand): OperandReader;
}

type Test = (leaf: number) => boolean;

/** Makes closures of an assignment's term; operands that are read twice are read once. */
export function readyTerm(reading: Reading, assignment: Assignment): ReadyTerm {
	const { model } = reading;
	const readers = new Map<string, OperandReader>();
	const current: { address: Int32Array } = { address: new Int32Array(0) };
	const readerOf = (operand: Operand): OperandReader => {
		const key = keyOf(operand);
		let known = readers.get(key);
		if (!known) readers.set(key, (known = operandReader(reading, operand)));
		return known;
	};
	const daysOf: At = (leaf) => model.periods.days(leaf);
	const value = compile(assignment.term);
	const test = domain(assignment.term);
	return {
		target(address) {
			current.address = address;
			for (const reader of readers.values()) reader.target(address);
		},
		value,
		isThere: assignment.everywhere ? () => true : (test ?? (() => false)),
		hasOperands: test ?? (() => false),
		reader: readerOf
	};

	function compile(term: Term): At {
		switch (term.kind) {
			case 'number':
				return () => term.value;
			case 'read': {
				const reader = readerOf(term.operand);
				return (leaf) => reader.at(leaf);
			}
			case 'period now':
				return (leaf) => leaf;
			case 'period of': {
				const reader = readerOf(term.operand);
				return (leaf) => {
					const ordinal = model.periods.dimension.ordinal(reader.at(leaf));
					return ordinal === undefined ? EMPTY : model.periods.range(ordinal).from;
				};
			}
			case 'negative': {
				const of = compile(term.of);
				return (leaf) => -of(leaf);
			}
			case 'not': {
				const of = compile(term.of);
				return (leaf) => LOGIC.not(of(leaf));
			}
			case 'arithmetic': {
				const [left, right, apply] = [compile(term.left), compile(term.right), ARITHMETIC[term.operator]];
				return (leaf) => apply(left(leaf), right(leaf));
			}
			case 'compare': {
				const [left, right] = [compile(term.left), compile(term.right)];
				return (leaf) => compared(term.operator, left(leaf), right(leaf), term.unit);
			}
			case 'and':
			case 'or': {
				const [left, right, joined] = [compile(term.left), compile(term.right), LOGIC[term.kind]];
				return (leaf) => joined(left(leaf), right(leaf));
			}
			case 'member in':
				return term.axis < 0 ? (leaf) => term.members[leaf]! : () => term.members[current.address[term.axis]!]!;
			case 'member is choice':
				return memberIsChoice(term.axis, readerOf(term.operand));
			case 'when': {
				const cases = term.cases.map(({ condition, value }) => ({ condition: compile(condition), value: compile(value) }));
				const otherwise = term.otherwise && compile(term.otherwise);
				return (leaf) => {
					for (const { condition, value } of cases) if (isTrue(condition(leaf))) return value(leaf);
					return otherwise ? otherwise(leaf) : EMPTY;
				};
			}
			case 'call': {
				const args = term.args.map(compile);
				const call = FUNCTIONS[term.name];
				return (leaf) => call(args, leaf, daysOf);
			}
			default:
				return term satisfies never;
		}
	}

	function memberIsChoice(axis: number, reader: OperandReader): At {
		return (leaf) => {
			const chosen = reader.at(leaf);
			// Never true where nothing is chosen.
			if (isEmpty(chosen)) return 0;
			if (axis < 0) {
				const ordinal = model.periods.dimension.ordinal(chosen);
				if (ordinal === undefined) return 0;
				const { from, to } = model.periods.range(ordinal);
				return leaf >= from && leaf <= to ? 1 : 0;
			}
			const ordinal = model.dimensions[axis]!.ordinal(chosen);
			return ordinal !== undefined && model.dimensions[axis]!.leavesOf(ordinal).includes(current.address[axis]!) ? 1 : 0;
		};
	}

	/** Where a term has a place: a product where both sides have, everything else where any side has; undefined says nothing. */
	function domain(term: Term): Test | undefined {
		switch (term.kind) {
			case 'number':
			case 'period now':
			case 'member in':
				return undefined;
			case 'read':
			case 'period of':
			case 'member is choice': {
				if (!isDriver(model, term.operand, assignment)) return undefined;
				const reader = readerOf(term.operand);
				return (leaf) => !isEmpty(reader.at(leaf));
			}
			case 'negative':
			case 'not':
				return domain(term.of);
			case 'arithmetic': {
				const isSum = term.operator === '+' || term.operator === '-';
				const [left, right] = [domain(term.left), domain(term.right)];
				if (!left || !right) return left ?? right;
				return isSum ? (leaf) => left(leaf) || right(leaf) : (leaf) => left(leaf) && right(leaf);
			}
			case 'compare':
			case 'and':
			case 'or':
				return anyOf([domain(term.left), domain(term.right)]);
			case 'when':
				return anyOf([
					...term.cases.flatMap(({ condition, value }) => [domain(condition), domain(value)]),
					term.otherwise && domain(term.otherwise)
				]);
			case 'call':
				return anyOf(term.args.map(domain));
			default:
				return term satisfies never;
		}
	}
}

function anyOf(tests: readonly (Test | undefined)[]): Test | undefined {
	const known = tests.filter((test) => test !== undefined);
	if (known.length < 2) return known[0];
	return (leaf) => known.some((test) => test(leaf));
}

const keyOf = ({ account, axes, fold, shift, period, span }: Operand): string =>
	JSON.stringify([account, [...axes].sort(([one], [other]) => one - other), fold, shift ?? 0, period ?? -1, span ?? 0]);
