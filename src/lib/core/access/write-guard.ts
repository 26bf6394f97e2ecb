import type { PeriodRange } from '../calendar';
import type { Address } from '../cell';
import { classesOf } from '../dimension';
import type { Model } from '../model';
import { coverage } from './read-guard';
import { lockInWords } from './lock';
import { LockTable } from './lock-table';
import type { AccessRules, Grant, SliceRule, Verdict } from './rules';

/** Verdicts that are kept; beyond it they are worked out again. */
const MOST_KEPT = 100_000;

/** What lies beneath a member of an axis: a leaf of each class, where locks matter and where they do not. */
interface Beneath {
	/** Equal for members beneath which there are the same classes. */
	sort: number;
	locked: readonly number[];
	open: readonly number[];
}

interface CompiledSlice {
	/** Per dimension, period last: which ordinals it covers; undefined for all. */
	covers: (Uint8Array | undefined)[];
}

/** The rules of one person over one model, ready to ask. */
export class WriteGuard {
	readonly #model: Model;
	readonly #rules: AccessRules;
	readonly #grants: { grant: Grant; slice: CompiledSlice }[];
	readonly #within: { reason: string; slice: CompiledSlice } | undefined;
	readonly #locks: LockTable;
	/** By lock: where the person may still write although it is held. */
	readonly #heldFor = new Map<number, CompiledSlice[]>();
	readonly #classOf: Int32Array[];
	/** The same where locks do not matter. */
	readonly #openClassOf: Int32Array[];
	/** By axis and member. */
	readonly #beneath: Map<number, Beneath>[];
	readonly #sorts = new Map<string, number>();
	/** By what lies beneath a cell: its verdict, where it names no member of it. */
	readonly #kept = new Map<string, Verdict>();

	/** @param locks the model's locks, compiled for everybody; none when left out */
	constructor(model: Model, rules: AccessRules, locks: LockTable = new LockTable(model, [])) {
		this.#model = model;
		this.#rules = rules;
		this.#grants = rules.grants.map((grant) => ({ grant, slice: this.#compile(grant.slice) }));
		this.#within = rules.within && {
			slice: this.#compile(rules.within.slice),
			reason: `“${rules.within.name}” is limited to ${this.#named(rules.within.slice)}: nothing else is changed in it.`
		};
		this.#locks = locks;
		for (const { lock, slice } of rules.heldFor ?? []) this.#heldFor.set(lock, [...(this.#heldFor.get(lock) ?? []), this.#compile(slice)]);
		const slices = [
			...this.#grants.map(({ slice }) => slice),
			...[...this.#heldFor.values()].flat(),
			...(this.#within ? [this.#within.slice] : [])
		];
		const axes = [...model.dimensions, model.periods.dimension];
		this.#beneath = model.dimensions.map(() => new Map());
		this.#openClassOf = axes.map(
			(dimension, axis) =>
				classesOf(dimension.members.length, (ordinal) => {
					const scenario = axis === model.scenarioAxis ? ordinal : '';
					// Each is named where it keeps a figure as it is.
					const retired = dimension.member(ordinal).retired ? `retired ${ordinal}` : '';
					// A fact of the year takes entry in other months than its neighbours.
					const frequency = axis === model.accountAxis ? (model.account(ordinal)?.frequency ?? '') : '';
					return `${slices.map((slice) => slice.covers[axis]?.[ordinal] ?? 1).join('')} ${scenario} ${retired} ${frequency}`;
				}).classOf
		);
		this.#classOf = this.#openClassOf.map((open, axis) => {
			const locked = locks.classOf[axis];
			return locked ? classesOf(open.length, (ordinal) => `${open[ordinal]} ${locked[ordinal]}`).classOf : open;
		});
	}

	/**
	 * The verdict on a cell of any level.
	 * @param members one ordinal per dimension
	 * @param range the leaf periods of the cell
	 */
	verdict(members: Address, range: PeriodRange): Verdict {
		const computed = this.#whyComputed(members);
		if (computed) return { kind: 'computed', reason: computed };
		if (!this.#rules.mayEnter) return { kind: 'refused', reason: 'Your role reads figures and does not enter them.' };
		const isLeaf = range.from === range.to && this.#model.dimensions.every((dimension, axis) => dimension.isLeaf(members[axis]!));
		const beneath = this.#model.dimensions.map((_, axis) => this.#beneathOf(axis, members[axis]!));
		const key = `${range.from} ${range.to} ${isLeaf ? 'leaf' : ''} ${beneath.map(({ sort }) => sort).join(' ')}`;
		const kept = this.#kept.get(key);
		if (kept) return kept;
		const verdict = this.#beneathSays(members, range, beneath, isLeaf);
		// Why a figure is computed names its account; all else is the same wherever the same lies beneath.
		if (verdict.kind !== 'computed' && this.#kept.size < MOST_KEPT) this.#kept.set(key, verdict);
		return verdict;
	}

	#beneathSays(members: Address, range: PeriodRange, beneath: readonly Beneath[], isLeaf: boolean): Verdict {
		let firstRefusal: Verdict | undefined;
		for (const leaf of this.#representatives(members, range, beneath)) {
			const verdict = this.leafVerdict(leaf.address, leaf.period);
			if (verdict.kind === 'enter') return { kind: isLeaf ? 'enter' : 'spread' };
			if (!firstRefusal || firstRefusal.kind === 'computed') firstRefusal = verdict;
		}
		return firstRefusal ?? { kind: 'computed', reason: 'Nothing lies beneath this figure.' };
	}

	#beneathOf(axis: number, member: number): Beneath {
		let known = this.#beneath[axis]!.get(member);
		if (known) return known;
		const [locked, open] = [this.#classOf, this.#openClassOf].map((classes) => this.#leavesByClass(axis, member, classes));
		const name = `${axis} ${[...locked!.keys()].join(' ')} ${[...open!.keys()].join(' ')}`;
		let sort = this.#sorts.get(name);
		if (sort === undefined) this.#sorts.set(name, (sort = this.#sorts.size));
		known = { sort, locked: [...locked!.values()], open: [...open!.values()] };
		this.#beneath[axis]!.set(member, known);
		return known;
	}

	#leavesByClass(axis: number, member: number, classes: readonly Int32Array[]): Map<number | string, number> {
		const model = this.#model;
		const leaves = new Map<number | string, number>();
		model.dimensions[axis]!.eachWeightedLeaf(member, (leaf) => {
			const leafClass = classes[axis]![leaf]!;
			if (axis !== model.accountAxis) {
				if (!leaves.has(leafClass)) leaves.set(leafClass, leaf);
				return;
			}
			// Formula accounts and groups take no entry: they make classes of their own.
			const plain = model.account(leaf) !== undefined && model.formula(leaf) === undefined;
			const name = model.live.has(leaf) ? `live ${leaf}` : plain ? leafClass : `computed ${leafClass}`;
			if (!leaves.has(name)) leaves.set(name, leaf);
		});
		return leaves;
	}

	/** The verdict on a leaf cell: `enter`, or why not. */
	leafVerdict(address: Address, period: number): Verdict {
		return this.#leaf(address, period, true);
	}

	/**
	 * The same for an amount that is loaded: the months in which a scenario takes entries are about people typing.
	 * @param mayExtend whether periods after the scenario's span become part of it by the load
	 */
	loadVerdict(address: Address, period: number, mayExtend = false): Verdict {
		return this.#leaf(address, period, false, mayExtend);
	}

	#leaf(address: Address, period: number, typed: boolean, mayExtend = false): Verdict {
		const model = this.#model;
		const computed = this.#whyComputed(address);
		if (computed) return { kind: 'computed', reason: computed };
		if (model.live.hides(address[model.accountAxis]!, address[model.scenarioAxis]!, period))
			return { kind: 'computed', reason: `${model.accounts.member(address[model.accountAxis]!).name} is computed by its formula.` };
		if (!model.account(address[model.accountAxis]!)) return { kind: 'computed', reason: 'This account only groups others.' };
		const window = this.#outsideSpan(address, period, mayExtend) ?? (typed ? this.#outsideEntry(address, period) : undefined);
		if (window) return { kind: 'closed', reason: window };
		for (let axis = 0; axis < model.dimensions.length; axis++) {
			const member = model.dimensions[axis]!.member(address[axis]!);
			if (member.retired) return { kind: 'closed', reason: `${member.name} is retired: it takes no new entries.` };
		}
		if (!this.#rules.mayEnter) return { kind: 'refused', reason: 'Your role reads figures and does not enter them.' };
		const places = [...Array.from(address), model.periods.leaf(period).ordinal];
		if (this.#within && !covers(this.#within.slice, places)) return { kind: 'refused', reason: this.#within.reason };
		const barred = this.#grants.find(({ grant, slice }) => grant.level === 'none' && covers(slice, places));
		if (barred) return { kind: 'refused', reason: `“${barred.grant.name}” keeps you out here.` };
		if (!this.#grants.some(({ grant, slice }) => grant.level === 'write' && covers(slice, places))) {
			const writing = this.#rules.grants.filter(({ level }) => level === 'write').map(({ name }) => name);
			return {
				kind: 'refused',
				reason: writing.length === 0 ? 'You have no grant to write in this model.' : `Your grant is for ${writing.join(', ')}.`
			};
		}
		const { closed, held } = this.#locks.at(places);
		const lock = closed ?? held.find(({ id }) => !this.#heldFor.get(id)?.some((slice) => covers(slice, places)));
		return lock ? { kind: closed ? 'closed' : 'held', reason: lockInWords(lock) } : { kind: 'enter' };
	}

	/** Only periods a scenario speaks about are there: what lies outside its span nobody would see. */
	#outsideSpan(address: Address, period: number, mayExtend: boolean): string | undefined {
		const model = this.#model;
		const ordinal = address[model.scenarioAxis]!;
		const span = model.scenario(ordinal)?.span;
		if (!span || span.to < span.from || this.#meets(address, period, span) || (mayExtend && period > span.to)) return undefined;
		return `${model.scenarios.member(ordinal).name} speaks about ${this.#periodName(span.from)} to ${this.#periodName(span.to)} only.`;
	}

	#outsideEntry(address: Address, period: number): string | undefined {
		const model = this.#model;
		const ordinal = address[model.scenarioAxis]!;
		const scenario = model.scenario(ordinal);
		const scenarioName = model.scenarios.member(ordinal).name;
		if (!scenario || scenario.entry.to < scenario.entry.from) return `${scenarioName} takes no entries.`;
		if (this.#meets(address, period, scenario.entry)) return undefined;
		return `${scenarioName} takes entries from ${this.#periodName(scenario.entry.from)} to ${this.#periodName(scenario.entry.to)}.`;
	}

	/** Whether a cell lies within a run of periods: a fact of the year as soon as some period of its year does. */
	#meets(address: Address, period: number, { from, to }: PeriodRange): boolean {
		if (period >= from && period <= to) return true;
		const model = this.#model;
		if (model.account(address[model.accountAxis]!)?.frequency !== 'per year') return false;
		const year = model.periods.leaf(period).fiscalYear;
		return model.periods.leaf(from).fiscalYear <= year && model.periods.leaf(to).fiscalYear >= year;
	}

	#periodName(index: number): string {
		return this.#model.periods.dimension.member(this.#model.periods.leaf(index).ordinal).name;
	}

	#whyComputed(members: Address): string | undefined {
		const account = members[this.#model.accountAxis]!;
		return this.#model.formula(account) ? `${this.#model.accounts.member(account).name} is computed by its formula.` : undefined;
	}

	/** One leaf cell of every combination of classes beneath a cell. */
	*#representatives(members: Address, range: PeriodRange, beneath: readonly Beneath[]): Generator<{ address: Int32Array; period: number }> {
		const model = this.#model;
		// Where all leaves are under the same locks, one of them says what all say.
		const isUniform = this.#locks.isUniform(members, range);
		const classes = isUniform ? this.#openClassOf : this.#classOf;
		const choices = beneath.map(({ open, locked }) => (isUniform ? open : locked));
		const periods = new Map<string, number>();
		for (let index = range.from; index <= range.to; index++) {
			const takes = choices[model.scenarioAxis]!.map((scenario) => {
				const { entry, span } = model.scenario(scenario) ?? {};
				return entry && span && index >= Math.max(entry.from, span.from) && index <= Math.min(entry.to, span.to) ? 1 : 0;
			});
			const signature = `${classes.at(-1)![model.periods.leaf(index).ordinal]} ${takes.join('')}`;
			if (!periods.has(signature)) periods.set(signature, index);
		}
		const address = new Int32Array(model.dimensions.length);
		const at = new Int32Array(choices.length);
		if (choices.some((each) => each.length === 0)) return;
		for (const period of periods.values()) {
			at.fill(0);
			for (;;) {
				for (let axis = 0; axis < choices.length; axis++) address[axis] = choices[axis]![at[axis]!]!;
				yield { address, period };
				let axis = 0;
				while (axis < choices.length && ++at[axis]! === choices[axis]!.length) at[axis++] = 0;
				if (axis === choices.length) break;
			}
		}
	}

	/** A slice by the names of its members. */
	#named(slice: SliceRule): string {
		const axes = [...this.#model.dimensions, this.#model.periods.dimension];
		const words = axes
			.flatMap((dimension) => {
				const names = (slice[dimension.id] ?? []).flatMap((id) => {
					const ordinal = dimension.ordinal(id);
					return ordinal === undefined ? [] : [dimension.member(ordinal).name];
				});
				return names.length > 0 ? [names.join(' and ')] : [];
			})
			.join(', ');
		return words || 'members that are gone';
	}

	#compile(slice: SliceRule): CompiledSlice {
		return { covers: [...this.#model.dimensions, this.#model.periods.dimension].map((dimension) => coverage(dimension, slice)) };
	}
}

const covers = (slice: CompiledSlice, places: readonly number[]): boolean =>
	places.every((ordinal, axis) => slice.covers[axis]?.[ordinal] !== 0);
