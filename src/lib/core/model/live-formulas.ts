import { Shifts, type PeriodRange } from '../calendar';
import { selectMembers, type Dimension, type Selection } from '../dimension';
import {
	allReads,
	domainAccounts,
	isPlain,
	readsOf,
	sameRead,
	testsIn,
	type AccountRead,
	type Expression,
	type MemberTest
} from '../formula';
import type { Model } from './model';

/** What a per-leaf formula reads: an account at its own cell, with the members of some axes fixed, or in another period. */
export interface LiveOperand {
	read: AccountRead;
	account: number;
	/** Leaf ordinal by axis; empty for the formula's own cell. */
	fixed: readonly { axis: number; ordinal: number }[];
	/** Where it is shifted: the leaf period that is read for each one, −1 beyond the calendar. */
	shift: Int32Array | undefined;
	/** Whether it is read at the cell of the result itself, but for the account. */
	isHere: boolean;
}

/** A per-leaf formula by ordinals. */
export interface LiveFormula {
	account: number;
	expression: Expression;
	/** What it reads, itself; and the accounts at whose series its cells are looked for, stored ones only. */
	operands: LiveOperand[];
	drivers: number[];
	/** The place among the operands of each read of the expression. */
	placeOf: ReadonlyMap<AccountRead, number>;
	/** Whether it is arithmetic over accounts and numbers, nothing else. */
	plain: boolean;
	/** Which scenarios it stands in; undefined for all. */
	scenarios: Uint8Array | undefined;
	range: PeriodRange;
	/** By leaf period, whether it stands there; undefined where all of its range counts. */
	within: Uint8Array | undefined;
	/** The tests of members in it: the leaves of their dimension that pass, by ordinal; of the period by leaf index. */
	tests: ReadonlyMap<MemberTest, Uint8Array>;
	/** Whether what is stored at a cell stands above the result there. */
	mayBeTyped: boolean;
	/** Whether it reads another period, itself or through what it reads: its cells may lie where its operands have none. */
	moving: boolean;
}

/** The per-leaf formulas of a model in an order in which each comes after those it reads. */
export class LiveFormulas {
	readonly ordered: readonly LiveFormula[];
	readonly #byAccount = new Map<number, LiveFormula[]>();
	/** By account: the formulas that read it themselves. */
	readonly #direct = new Map<number, LiveFormula[]>();
	/** By account: the formulas that read it, directly or through others, in order; as they are asked for. */
	readonly #readers = new Map<number, LiveFormula[]>();

	/** @throws Error when formulas run in a circle, overlap, say no place, or stand on an account that does not add up */
	constructor(model: Model) {
		const shifts = new Shifts(model.periods);
		const formulas = model.formulas
			.filter(({ timing }) => timing === 'per leaf')
			.map(({ account, expression, scope, mayBeTyped }): LiveFormula => {
				const ordinal = model.accounts.ordinal(account)!;
				const name = model.accounts.member(ordinal).name;
				if (model.account(ordinal)?.consolidation !== 'sum')
					throw new Error(`${name} does not add up, so its formula is to be computed from totals.`);
				if (domainAccounts(expression).size === 0) throw new Error(`The formula of ${name} says where from, not where to.`);
				const period = (member: number | undefined, end: 'from' | 'to', otherwise: number) =>
					member === undefined ? otherwise : model.periods.range(model.periods.dimension.ordinal(member)!)[end];
				const reads = readsOf(expression);
				return {
					account: ordinal,
					expression,
					operands: reads.map((read) => operandOf(model, shifts, name, read)),
					placeOf: new Map(allReads(expression).map((read) => [read, reads.findIndex((each) => sameRead(each, read))])),
					plain: isPlain(expression),
					drivers: [],
					scenarios: scope?.scenarios && Uint8Array.from(model.scenarios.members, ({ id }) => (scope.scenarios!.includes(id) ? 1 : 0)),
					within:
						scope?.within &&
						Uint8Array.from(model.periods.leaves, ({ position }) =>
							(position === 0) === (scope.within === 'first period of the year') ? 1 : 0
						),
					range: { from: period(scope?.from, 'from', 0), to: period(scope?.to, 'to', model.periods.leaves.length - 1) },
					tests: new Map(testsIn(expression).map((test) => [test, passing(model, name, test)])),
					mayBeTyped: mayBeTyped ?? false,
					moving: false
				};
			});
		for (const formula of formulas) {
			const others = this.#byAccount.get(formula.account) ?? [];
			const overlapping = others.find((other) => overlap(formula, other));
			if (overlapping)
				throw new Error(`Two formulas of ${model.accounts.member(formula.account).name} meet in the same scenario and period.`);
			this.#byAccount.set(formula.account, [...others, formula]);
		}
		for (const formula of formulas)
			for (const account of new Set(formula.operands.map((operand) => operand.account)))
				this.#direct.set(account, [...(this.#direct.get(account) ?? []), formula]);
		this.ordered = this.#order(model, formulas);
		this.#refuseBothWays(model);
		this.#findMoving();
		this.#findDrivers(model);
	}

	/** What reads another period, or reads what does. */
	#findMoving(): void {
		const reached = this.ordered.filter(({ operands }) => operands.some(({ shift }) => shift !== undefined));
		for (const formula of reached) formula.moving = true;
		for (let formula = reached.pop(); formula; formula = reached.pop())
			for (const reader of this.#direct.get(formula.account) ?? [])
				if (!reader.moving) {
					reader.moving = true;
					reached.push(reader);
				}
	}

	/** A computed operand has its cells where its own drivers have theirs, and where it is an ordinary leaf. */
	#findDrivers(model: Model): void {
		const drivers = new Map(
			this.ordered.map((formula) => {
				const named = [...domainAccounts(formula.expression)].map((member) => model.accounts.ordinal(member)!);
				if (named.every((account) => model.account(account)?.frequency === 'timeless'))
					throw new Error(`The formula of ${model.accounts.member(formula.account).name} says where from, not where to.`);
				return [formula, new Set(named)];
			})
		);
		// Those that look back at each other find theirs together.
		for (let grown = true; grown;) {
			grown = false;
			for (const own of drivers.values())
				for (const account of own)
					for (const other of this.#byAccount.get(account) ?? [])
						for (const driver of drivers.get(other)!)
							if (!own.has(driver)) {
								own.add(driver);
								grown = true;
							}
		}
		for (const [formula, own] of drivers) formula.drivers = [...own];
	}

	/** Looking back at a result of one's own is well, and looking ahead: not both in one circle. */
	#refuseBothWays(model: Model): void {
		const signs = new Map<LiveFormula, number>();
		for (const formula of this.ordered)
			for (const { account, read } of formula.operands) {
				if (!read.shift) continue;
				const circle = this.#circleThrough(formula, account);
				for (const each of circle) {
					const known = signs.get(each);
					const sign = Math.sign(read.shift.by);
					if (known !== undefined && known !== sign)
						throw new Error(
							`The formula of ${model.accounts.member(formula.account).name} looks back and ahead at its own results: there is no order of periods for both.`
						);
					signs.set(each, sign);
				}
			}
	}

	/** The formulas on the ways from an account back to a formula that reads it; none when there is no way. */
	#circleThrough(formula: LiveFormula, account: number): LiveFormula[] {
		const found = new Set<LiveFormula>();
		const visit = (at: number): void => {
			for (const other of this.#byAccount.get(at) ?? [])
				if (!found.has(other)) {
					found.add(other);
					for (const operand of other.operands) visit(operand.account);
				}
		};
		visit(account);
		return found.has(formula) ? [...found].filter((each) => this.readers(each.account).includes(formula)) : [];
	}

	/** Whether an account is computed per leaf anywhere. */
	has(account: number): boolean {
		return this.#byAccount.has(account);
	}

	/** The formula that computes a leaf of an account in a scenario and leaf period. */
	at(account: number, scenario: number, period: number): LiveFormula | undefined {
		return this.#byAccount.get(account)?.find((formula) => stands(formula, scenario, period));
	}

	/** Whether a formula stands at a leaf and hides what is stored there. */
	hides(account: number, scenario: number, period: number): boolean {
		return this.at(account, scenario, period)?.mayBeTyped === false;
	}

	/** The formulas whose results a change of an account may move, each after those it reads in the same period. */
	readers(account: number): readonly LiveFormula[] {
		let known = this.#readers.get(account);
		if (!known) {
			const reached = new Set<LiveFormula>();
			const visit = (at: number): void => {
				for (const reader of this.#direct.get(at) ?? [])
					if (!reached.has(reader)) {
						reached.add(reader);
						visit(reader.account);
					}
			};
			visit(account);
			this.#readers.set(account, (known = this.ordered.filter((formula) => reached.has(formula))));
		}
		return known;
	}

	/** The formulas that read an account themselves. */
	directReaders(account: number): readonly LiveFormula[] {
		return this.#direct.get(account) ?? [];
	}

	/** An account and all it follows from, directly or through other formulas. */
	followedFrom(account: number): ReadonlySet<number> {
		const found = new Set<number>();
		const visit = (at: number): void => {
			if (found.has(at)) return;
			found.add(at);
			for (const { operands } of this.#byAccount.get(at) ?? []) for (const operand of operands) visit(operand.account);
		};
		visit(account);
		return found;
	}

	/** Whether what an account comes to at an address follows from figures of that address alone, in whatever period. */
	staysAtAddress(account: number): boolean {
		return [...this.followedFrom(account)].every((each) =>
			(this.#byAccount.get(each) ?? []).every(({ operands }) => operands.every(({ fixed }) => fixed.length === 0))
		);
	}

	#order(model: Model, formulas: readonly LiveFormula[]): LiveFormula[] {
		const ordered: LiveFormula[] = [];
		const visit = (formula: LiveFormula, path: readonly number[]) => {
			if (path.includes(formula.account)) {
				const names = [...path.slice(path.indexOf(formula.account)), formula.account].map((account) => model.accounts.member(account).name);
				throw new Error(`Formulas run in a circle: ${names.join(' → ')}.`);
			}
			if (ordered.includes(formula)) return;
			// What is read in another period is no circle: it goes on in time.
			for (const { account, shift } of formula.operands)
				if (!shift) for (const other of this.#byAccount.get(account) ?? []) visit(other, [...path, formula.account]);
			ordered.push(formula);
		};
		for (const formula of formulas) visit(formula, []);
		return ordered;
	}
}

/** @throws Error when a fixed place is none of the model, no leaf, or would mix currencies */
function operandOf(model: Model, shifts: Shifts, name: string, read: AccountRead): LiveOperand {
	const account = model.accounts.ordinal(read.member)!;
	const called = model.accounts.member(account).name;
	if (!model.accounts.isLeaf(account) && !model.account(account))
		throw new Error(`The formula of ${name} reads ${called}, which adds up others: per leaf it reads accounts without any beneath them.`);
	if (model.formula(account)) throw new Error(`The formula of ${name} reads ${called}, which is computed from totals.`);
	const fixed = Object.entries(read.at ?? {}).map(([id, member]) => {
		const axis = model.dimensions.findIndex((dimension) => dimension.id === Number(id));
		const ordinal = axis < 0 ? undefined : model.dimensions[axis]!.ordinal(member);
		if (ordinal === undefined || axis === model.accountAxis || !model.dimensions[axis]!.isLeaf(ordinal))
			throw new Error(`The formula of ${name} reads ${model.accounts.member(account).name} where no leaf is.`);
		if (axis === model.entityAxis && mixesCurrencies(model, account))
			throw new Error(`The formula of ${name} reads ${model.accounts.member(account).name} of one entity in several currencies.`);
		return { axis, ordinal };
	});
	return {
		read,
		account,
		fixed,
		shift: read.shift && shifts.table(read.shift.level, read.shift.by),
		isHere: !read.shift && fixed.length === 0 && (model.account(account)?.frequency ?? 'per period') === 'per period'
	};
}

/** A test of attributes over a whole dimension looks at its leaves: what a member above them says, or leaves open, is not theirs. */
function amongLeaves(dimension: Dimension, selection: Selection): Selection {
	if (selection.kind !== 'where') return selection;
	if (selection.in.kind !== 'all') return { ...selection, in: amongLeaves(dimension, selection.in) };
	return {
		...selection,
		in: { kind: 'these', members: dimension.members.filter((_, ordinal) => dimension.isLeaf(ordinal)).map(({ id }) => id) }
	};
}

/** @throws Error when the dimension is none of the model, or the account's */
function passing(model: Model, name: string, { dimension: id, selections }: MemberTest): Uint8Array {
	const { periods } = model;
	const dimension = id === periods.dimension.id ? periods.dimension : model.dimensions.find((each) => each.id === id);
	if (!dimension) throw new Error(`The formula of ${name} asks for members of a dimension that is not there.`);
	return leavesPassing(model, dimension, { kind: 'any of', selections });
}

/** The leaves beneath what a selection yields; what is excepted takes its leaves away, also from a parent that stays. */
function leavesPassing(model: Model, dimension: Dimension, selection: Selection): Uint8Array {
	const { periods } = model;
	const isPeriod = dimension === periods.dimension;
	const found = new Uint8Array(isPeriod ? periods.leaves.length : dimension.members.length);
	const parts = selection.kind === 'any of' ? selection.selections : [];
	for (const part of parts) leavesPassing(model, dimension, part).forEach((passes, leaf) => (found[leaf]! |= passes));
	if (selection.kind === 'any of') return found;
	if (selection.kind === 'except') {
		const without = leavesPassing(model, dimension, selection.without);
		return leavesPassing(model, dimension, selection.from).map((passes, leaf) => (without[leaf] === 1 ? 0 : passes));
	}
	for (const ordinal of selectMembers(dimension, amongLeaves(dimension, selection), { variables: model.variables }))
		if (isPeriod) {
			const { from, to } = periods.range(ordinal);
			if (to >= from) found.fill(1, from, to + 1);
		} else for (const leaf of dimension.leavesOf(ordinal)) found[leaf] = 1;
	return found;
}

function mixesCurrencies(model: Model, account: number): boolean {
	const valueType = model.account(account)?.valueType;
	const entities = model.dimensions[model.entityAxis]!;
	const leaves = [...entities.members.keys()].filter((ordinal) => entities.isLeaf(ordinal));
	return (valueType === 'money' || valueType === 'price') && new Set(leaves.map((leaf) => model.currencyOf(leaf))).size > 1;
}

/** Whether a formula stands in a scenario and leaf period. */
export const stands = ({ scenarios, range, within }: LiveFormula, scenario: number, period: number): boolean =>
	scenarios?.[scenario] !== 0 && period >= range.from && period <= range.to && within?.[period] !== 0;

function overlap(one: LiveFormula, other: LiveFormula): boolean {
	if (one.range.to < other.range.from || other.range.to < one.range.from) return false;
	if (one.within && other.within && !one.within.some((stands, period) => stands === 1 && other.within![period] === 1)) return false;
	if (!one.scenarios || !other.scenarios) return true;
	return one.scenarios.some((stands, scenario) => stands === 1 && other.scenarios![scenario] === 1);
}
