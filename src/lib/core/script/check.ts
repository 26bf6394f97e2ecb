import type { SyntaxNode } from '@lezer/common';
import type { Dimension } from '../dimension';
import { RESERVED } from '../formula';
import type { Model } from '../model';
import { driversOf } from './domain';
import { lastChild, ScriptError } from './name-reader';
import type { ScriptNames } from './names';
import { parseScript } from './parse';
import { orderFault } from './run';
import { both, leavesOf } from './selection-reader';
import { syntaxFault } from './syntax-fault';
import { TermReader } from './term-reader';
import type { Assignment, CheckedScript, ParameterValue, Scope, ScriptFault } from './tree';

/** A script longer than this is not read. */
export const LONGEST_SCRIPT = 200_000;

/** Faults told at once. */
const MOST_FAULTS = 50;

/** What a script is checked against beside the model. */
export interface ScriptContext {
	names: ScriptNames;
	/** What may be named with a $, with a value to check by. */
	parameters: ReadonlyMap<string, ParameterValue>;
	/** What the step itself is limited to: like a `within` around the whole script. */
	scope?: Scope;
	/** Where something was typed: only statements that reach there are looked at, and not how they stand to the others. */
	near?: { from: number; to: number };
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
			parameters: new Set(),
			passedOver: new Map()
		};
	return new Checker(model, text, context).check();
}

class Checker extends TermReader {
	readonly #faults: ScriptFault[] = [];
	readonly #outer: Scope;
	readonly #near: ScriptContext['near'];
	/** Whether the accounts of the scope one is in were picked by what they are. */
	#namesKinds = false;
	/** Accounts that `value` passes over, by the reason. */
	readonly #passedOver = new Map<string, number>();

	constructor(model: Model, text: string, { names, parameters, scope, near }: ScriptContext) {
		super(model, text, names, parameters);
		this.#near = near;
		this.#outer = scope ?? { axes: new Map(), periods: undefined };
	}

	check(): CheckedScript {
		const tree = parseScript(this.text);
		const assignments: Assignment[] = [];
		const broken = syntaxFault(this.text, tree.topNode);
		if (broken) this.#faults.push(broken);
		else this.#items(tree.topNode, this.#outer, assignments);
		if (this.#near) return { assignments, faults: this.#faults, names: this.uses, parameters: this.asked, passedOver: this.#passedOver };
		if (!broken && assignments.length === 0 && this.#faults.length === 0)
			this.#faults.push({
				from: 0,
				to: 0,
				message: 'The script writes nothing yet. Write an assignment, such as  Rent = Rent{Month - 1}.'
			});
		const disorder = this.#faults.length === 0 ? orderFault(this.model, assignments) : undefined;
		if (disorder) this.#faults.push({ from: disorder.assignment.from, to: disorder.assignment.to, message: disorder.message });
		return {
			assignments,
			faults: this.#faults.slice(0, MOST_FAULTS),
			names: this.uses,
			parameters: this.asked,
			passedOver: this.#passedOver
		};
	}

	#items(parent: SyntaxNode, scope: Scope, into: Assignment[]): void {
		const lets = this.lets;
		this.lets = new Map(lets);
		for (let node = parent.firstChild; node; node = node.nextSibling) {
			if (this.#faults.length > MOST_FAULTS) break;
			// What is named by a let may be read near by.
			if (this.#near && node.name !== 'Let' && (node.to < this.#near.from || node.from > this.#near.to)) continue;
			try {
				if (node.name === 'Within') {
					const outside = this.#namesKinds;
					const narrowed = this.#narrow(node, scope);
					this.#items(node, narrowed, into);
					this.#namesKinds = outside;
				} else if (node.name === 'Let') this.#let(node);
				else if (node.name === 'Assignment') into.push(...this.#assignments(node, scope));
			} catch (error) {
				if (!(error instanceof ScriptError)) throw error;
				this.#faults.push({ from: error.node.from, to: error.node.to, message: error.message });
			}
		}
		this.lets = lets;
	}

	/** The scope inside a `within`: what was allowed outside and is named here. */
	#narrow(within: SyntaxNode, scope: Scope): Scope {
		const members = new Map<Dimension, Set<number>>();
		let dimension: Dimension | undefined;
		for (const node of within.getChildren('Selection')) {
			const selected = this.selection(node, dimension);
			dimension = selected.dimension;
			if (dimension === this.model.accounts && node.getChild('Where')) this.#namesKinds = true;
			const set = members.get(dimension) ?? new Set();
			for (const ordinal of selected.ordinals) set.add(ordinal);
			members.set(dimension, set);
		}
		const axes = new Map(scope.axes);
		let { periods } = scope;
		for (const [of, chosen] of members) {
			const leaves = leavesOf(of, chosen);
			if (of === this.model.periods.dimension) periods = both(periods, this.leafPeriods(chosen));
			else {
				const axis = this.model.dimensions.indexOf(of);
				axes.set(axis, both(axes.get(axis), leaves)!);
			}
		}
		return { axes, periods };
	}

	#let(node: SyntaxNode): void {
		const name = this.textOf(node.getChild('Identifier')!);
		if (RESERVED.has(name)) throw new ScriptError(node, `“${name}” is a word of the language. Choose another name.`);
		this.lets.set(name, this.term(lastChild(node)));
	}

	/** An assignment, or one for each account of the scope where it is `value` that is set. */
	#assignments(node: SyntaxNode, scope: Scope): Assignment[] {
		const name = node.getChild('Target')!.getChild('Name')!;
		if (!this.isValueWord(name)) return [this.#assignment(node, scope)];
		const { model } = this;
		const accounts = scope.axes.get(model.accountAxis);
		if (!accounts) throw new ScriptError(name, '“value” is set for every account of a scope. Name them first: within Account: leaves of …');
		const found: Assignment[] = [];
		const [uses, asked] = [this.uses.length, new Set(this.asked)];
		let names: typeof this.uses | undefined;
		for (let account = 0; account < accounts.length; account++) {
			const facts = model.account(account);
			if (accounts[account] === 0 || !facts || !model.accounts.isLeaf(account)) continue;
			const why =
				model.formula(account) || model.live.has(account)
					? 'computed by a formula'
					: !this.#namesKinds && (facts.consolidation !== 'sum' || (facts.frequency ?? 'per period') !== 'per period')
						? 'no amount that adds up'
						: undefined;
			if (why) {
				this.#passedOver.set(why, (this.#passedOver.get(why) ?? 0) + 1);
				continue;
			}
			this.current = account;
			// The names are the same for every account: kept once.
			this.uses.length = uses;
			const axes = new Map([...scope.axes, [model.accountAxis, Uint8Array.from(accounts, (_, each) => (each === account ? 1 : 0))]]);
			try {
				found.push(this.#assignment(node, { ...scope, axes }));
			} finally {
				this.current = undefined;
			}
			names ??= this.uses.slice(uses);
		}
		this.uses.length = uses;
		this.uses.push(...(names ?? []));
		for (const each of asked) this.asked.add(each);
		if (found.length === 0)
			throw new ScriptError(name, 'No account of this scope takes the statement: all of them are computed, or do not add up.');
		return found;
	}

	#assignment(node: SyntaxNode, scope: Scope): Assignment {
		const target = node.getChild('Target')!;
		const name = target.getChild('Name')!;
		const account = this.account(name);
		const model = this.model;
		if (!model.accounts.isLeaf(account)) {
			const { name: called } = model.accounts.member(account);
			throw new ScriptError(name, `“${called}” is made of other accounts: write to one of them.`);
		}
		const fixed = new Map<number, number>();
		const axes = new Map(scope.axes);
		let { periods } = scope;
		const place = target.getChild('Place');
		for (const item of place?.getChildren('PlaceItem') ?? []) {
			const where = this.placeItem(item);
			if (where.kind !== 'member')
				throw new ScriptError(item, 'A target is set to members only; shifts and totals belong to what is read.');
			const { dimension, ordinal } = where;
			if (dimension === model.periods.dimension) periods = both(periods, this.leafPeriods([ordinal]));
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
		// On the right, too, it is this account.
		const before = this.current;
		this.current = account;
		const term = this.term(node.getChild('Equals')!.nextSibling!);
		this.current = before;
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
}
