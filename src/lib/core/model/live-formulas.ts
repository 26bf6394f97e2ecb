import type { PeriodRange } from '../calendar';
import { domainAccounts, readsOf, type AccountRead, type Expression } from '../formula';
import type { Model } from './model';

/** What a per-leaf formula reads: an account at its own cell, or with the members of some axes fixed. */
export interface LiveOperand {
	read: AccountRead;
	account: number;
	/** Leaf ordinal by axis; empty for the formula's own cell. */
	fixed: readonly { axis: number; ordinal: number }[];
}

/** A per-leaf formula by ordinals. */
export interface LiveFormula {
	account: number;
	expression: Expression;
	/** What it reads, itself; and the accounts at whose series its cells are looked for, stored ones only. */
	operands: LiveOperand[];
	drivers: number[];
	/** Which scenarios it stands in; undefined for all. */
	scenarios: Uint8Array | undefined;
	range: PeriodRange;
}

/** The per-leaf formulas of a model in an order in which each comes after those it reads. */
export class LiveFormulas {
	readonly ordered: readonly LiveFormula[];
	readonly #byAccount = new Map<number, LiveFormula[]>();
	/** By account: the formulas that read it, directly or through others, in order. */
	readonly #readers = new Map<number, LiveFormula[]>();

	/** @throws Error when formulas run in a circle, overlap, say no place, or stand on an account that does not add up */
	constructor(model: Model) {
		const formulas = model.definition.formulas
			.filter(({ timing }) => timing === 'per leaf')
			.map(({ account, expression, scope }): LiveFormula => {
				const ordinal = model.accounts.ordinal(account)!;
				const name = model.accounts.member(ordinal).name;
				if (model.account(ordinal)?.consolidation !== 'sum')
					throw new Error(`${name} does not add up, so its formula is to be computed after totals.`);
				if (domainAccounts(expression).size === 0) throw new Error(`The formula of ${name} says where from, not where to.`);
				const period = (member: number | undefined, end: 'from' | 'to', otherwise: number) =>
					member === undefined ? otherwise : model.periods.range(model.periods.dimension.ordinal(member)!)[end];
				return {
					account: ordinal,
					expression,
					operands: readsOf(expression).map((read) => operandOf(model, name, read)),
					drivers: [],
					scenarios: scope?.scenarios && Uint8Array.from(model.scenarios.members, ({ id }) => (scope.scenarios!.includes(id) ? 1 : 0)),
					range: { from: period(scope?.from, 'from', 0), to: period(scope?.to, 'to', model.periods.leaves.length - 1) }
				};
			});
		for (const formula of formulas) {
			const others = this.#byAccount.get(formula.account) ?? [];
			const overlapping = others.find((other) => overlap(formula, other));
			if (overlapping)
				throw new Error(`Two formulas of ${model.accounts.member(formula.account).name} meet in the same scenario and period.`);
			this.#byAccount.set(formula.account, [...others, formula]);
		}
		this.ordered = this.#order(model, formulas);
		for (const formula of this.ordered) {
			const named = [...domainAccounts(formula.expression)].map((member) => model.accounts.ordinal(member)!);
			// A computed operand has its cells where its own drivers have theirs, and where it is an ordinary leaf.
			if (named.every((account) => model.account(account)?.frequency === 'timeless'))
				throw new Error(`The formula of ${model.accounts.member(formula.account).name} says where from, not where to.`);
			formula.drivers = [
				...new Set(named.flatMap((account) => [account, ...(this.#byAccount.get(account) ?? []).flatMap(({ drivers }) => drivers)]))
			];
			const direct = new Set(formula.operands.map(({ account }) => account));
			for (const operand of [
				...direct,
				...[...this.#readers].filter(([, readers]) => readers.some(({ account }) => direct.has(account))).map(([account]) => account)
			]) {
				const known = this.#readers.get(operand) ?? [];
				if (!known.includes(formula)) this.#readers.set(operand, [...known, formula]);
			}
		}
	}

	/** Whether an account is computed per leaf anywhere. */
	has(account: number): boolean {
		return this.#byAccount.has(account);
	}

	/** The formula that computes a leaf of an account in a scenario and leaf period. */
	at(account: number, scenario: number, period: number): LiveFormula | undefined {
		return this.#byAccount.get(account)?.find((formula) => stands(formula, scenario, period));
	}

	/** The formulas whose results a change of an account may move. */
	readers(account: number): readonly LiveFormula[] {
		return this.#readers.get(account) ?? [];
	}

	#order(model: Model, formulas: readonly LiveFormula[]): LiveFormula[] {
		const ordered: LiveFormula[] = [];
		const visit = (formula: LiveFormula, path: readonly number[]) => {
			if (path.includes(formula.account)) {
				const names = [...path.slice(path.indexOf(formula.account)), formula.account].map((account) => model.accounts.member(account).name);
				throw new Error(`Formulas run in a circle: ${names.join(' → ')}.`);
			}
			if (ordered.includes(formula)) return;
			for (const operand of formula.operands)
				for (const other of this.#byAccount.get(operand.account) ?? []) visit(other, [...path, formula.account]);
			ordered.push(formula);
		};
		for (const formula of formulas) visit(formula, []);
		return ordered;
	}
}

/** @throws Error when a fixed place is none of the model, no leaf, or would mix currencies */
function operandOf(model: Model, name: string, read: AccountRead): LiveOperand {
	const account = model.accounts.ordinal(read.member)!;
	const fixed = Object.entries(read.at ?? {}).map(([id, member]) => {
		const axis = model.dimensions.findIndex((dimension) => dimension.id === Number(id));
		const ordinal = axis < 0 ? undefined : model.dimensions[axis]!.ordinal(member);
		if (ordinal === undefined || axis === model.accountAxis || !model.dimensions[axis]!.isLeaf(ordinal))
			throw new Error(`The formula of ${name} reads ${model.accounts.member(account).name} where no leaf is.`);
		if (axis === model.entityAxis && mixesCurrencies(model, account))
			throw new Error(`The formula of ${name} reads ${model.accounts.member(account).name} of one entity in several currencies.`);
		return { axis, ordinal };
	});
	return { read, account, fixed };
}

function mixesCurrencies(model: Model, account: number): boolean {
	const valueType = model.account(account)?.valueType;
	const entities = model.dimensions[model.entityAxis]!;
	const leaves = [...entities.members.keys()].filter((ordinal) => entities.isLeaf(ordinal));
	return (valueType === 'money' || valueType === 'price') && new Set(leaves.map((leaf) => model.currencyOf(leaf))).size > 1;
}

/** Whether a formula stands in a scenario and leaf period. */
export const stands = ({ scenarios, range }: LiveFormula, scenario: number, period: number): boolean =>
	scenarios?.[scenario] !== 0 && period >= range.from && period <= range.to;

function overlap(one: LiveFormula, other: LiveFormula): boolean {
	if (one.range.to < other.range.from || other.range.to < one.range.from) return false;
	if (!one.scenarios || !other.scenarios) return true;
	return one.scenarios.some((stands, scenario) => stands === 1 && other.scenarios![scenario] === 1);
}
