import { dayNumber } from '../calendar';
import type { Model } from '../model';
import { EMPTY, isEmpty, roundTo } from '../number';
import { isDriver } from './domain';
import { operandReader, type OperandReader, type Reading } from './operand-reader';
import type { Arithmetic, Assignment, Comparison, FunctionName, Operand, Term } from './tree';

/** A term ready to be worked out: at the address set last, in a leaf period. */
export interface ReadyTerm {
	target(address: Int32Array): void;
	value(leaf: number): number;
	/** Whether it has a place there at all. */
	isThere(leaf: number): boolean;
	/** The reader of one of its operands. */
	reader(operand: Operand): OperandReader;
}

type At = (leaf: number) => number;
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
	const value = compile(assignment.term);
	const test = domain(assignment.term);
	return {
		target(address) {
			current.address = address;
			for (const reader of readers.values()) reader.target(address);
		},
		value,
		isThere: assignment.everywhere ? () => true : (test ?? (() => false)),
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
				return (leaf) => {
					const truth = of(leaf);
					return isEmpty(truth) ? EMPTY : truth === 0 ? 1 : 0;
				};
			}
			case 'arithmetic': {
				const [left, right, apply] = [compile(term.left), compile(term.right), ARITHMETIC[term.operator]];
				return (leaf) => apply(left(leaf), right(leaf));
			}
			case 'compare': {
				const [left, right, holds] = [compile(term.left), compile(term.right), COMPARISONS[term.operator]];
				return (leaf) => {
					const [one, other] = [left(leaf), right(leaf)];
					return isEmpty(one) || isEmpty(other) ? EMPTY : holds(one, other) ? 1 : 0;
				};
			}
			case 'and': {
				const [left, right] = [compile(term.left), compile(term.right)];
				return (leaf) => {
					const [one, other] = [left(leaf), right(leaf)];
					if (one === 0 || other === 0) return 0;
					return isEmpty(one) || isEmpty(other) ? EMPTY : 1;
				};
			}
			case 'or': {
				const [left, right] = [compile(term.left), compile(term.right)];
				return (leaf) => {
					const [one, other] = [left(leaf), right(leaf)];
					if (isTrue(one) || isTrue(other)) return 1;
					return isEmpty(one) || isEmpty(other) ? EMPTY : 0;
				};
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
				return (leaf) => call(args, leaf, model);
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
			return ordinal !== undefined && model.dimensions[axis]!.tree.isUnder(current.address[axis]!, ordinal) ? 1 : 0;
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

const isTrue = (truth: number): boolean => !isEmpty(truth) && truth !== 0;

/** What the operators do with empty sides: empty + 5 = 5, empty × anything = empty, ÷ 0 = empty. */
const ARITHMETIC: Record<Arithmetic, (left: number, right: number) => number> = {
	'+': (left, right) => (isEmpty(left) ? right : isEmpty(right) ? left : left + right),
	'-': (left, right) => (isEmpty(left) ? -right : isEmpty(right) ? left : left - right),
	'*': (left, right) => left * right,
	'/': (left, right) => (right === 0 ? EMPTY : left / right),
	'^': (left, right) => (isEmpty(left) || isEmpty(right) ? EMPTY : left ** right)
};

const COMPARISONS: Record<Comparison, (left: number, right: number) => boolean> = {
	'=': (left, right) => left === right,
	'<>': (left, right) => left !== right,
	'<': (left, right) => left < right,
	'<=': (left, right) => left <= right,
	'>': (left, right) => left > right,
	'>=': (left, right) => left >= right
};

const among = (args: readonly At[], leaf: number): number[] => args.map((arg) => arg(leaf)).filter((value) => !isEmpty(value));

/** The functions: each takes its arguments unworked, so that one that skips them may. */
const FUNCTIONS: Record<FunctionName, (args: readonly At[], leaf: number, model: Model) => number> = {
	abs: ([of], leaf) => Math.abs(of!(leaf)),
	floor: ([of], leaf) => Math.floor(of!(leaf)),
	ceil: ([of], leaf) => Math.ceil(of!(leaf)),
	round: ([of, decimals], leaf) => {
		const value = of!(leaf);
		return isEmpty(value) ? EMPTY : roundTo(value, decimals ? Math.max(-12, Math.min(12, Math.trunc(decimals(leaf)) || 0)) : 0);
	},
	min: (args, leaf) => {
		const present = among(args, leaf);
		return present.length === 0 ? EMPTY : Math.min(...present);
	},
	max: (args, leaf) => {
		const present = among(args, leaf);
		return present.length === 0 ? EMPTY : Math.max(...present);
	},
	empty: ([of], leaf) => (isEmpty(of!(leaf)) ? 1 : 0),
	coalesce: (args, leaf) => {
		for (const arg of args) {
			const value = arg(leaf);
			if (!isEmpty(value)) return value;
		}
		return EMPTY;
	},
	days: (_, leaf, { periods }) => dayNumber(periods.leaf(leaf).end) - dayNumber(periods.leaf(leaf).start) + 1
};

const keyOf = ({ account, axes, fold, shift, period, span }: Operand): string =>
	JSON.stringify([account, [...axes].sort(([one], [other]) => one - other), fold, shift ?? 0, period ?? -1, span ?? 0]);
