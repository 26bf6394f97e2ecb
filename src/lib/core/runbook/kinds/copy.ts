import { Shifts } from '../../calendar';
import { addsUp, Block, isTranslated, rateUse, translationFactors } from '../../cube';
import { factPeriod, type Model } from '../../model';
import { isEmpty } from '../../number';
import { eachCell, type Scope } from '../../script';
import type { CopyStep, OverYear, Slice } from '../definition';
import { isReached, layOut } from './over-year';
import { readyMap, type ReadyMap } from './member-map';
import type { StepWork } from '../step-work';
import { inScope, isAddressIn, scopeOf, weightsIn } from '../slice';
import { checkSlice } from '../check-slice';
import { sliceInWords } from '../slice-words';
import { isThere, renamedKeys, renamedSlice, type StepRecord } from './kind';
import { withAccounts } from './scopes';

/** A copy with its members found: what is read, where it may land, and how a source becomes its target. */
export interface ReadyCopy {
	from: Scope;
	limits: Scope;
	onto: { axis: number; ordinal: number; weights: Float64Array }[];
	maps: (ReadyMap & { axis: number })[];
	shift: Int32Array | undefined;
	over: OverYear | undefined;
}

/** Finds what a copy names. @returns a sentence where it cannot be followed */
export function readyCopy(model: Model, step: CopyStep & { limits: Slice }, variables: ReadonlyMap<string, number>): ReadyCopy | string {
	const onto: ReadyCopy['onto'] = [];
	const maps: ReadyCopy['maps'] = [];
	for (const [id, reference] of Object.entries(step.onto)) {
		const dimension = model.dimension(Number(id));
		if (typeof reference === 'object' && 'map' in reference) {
			const ready = dimension ? readyMap(dimension, reference.map) : 'A dimension of this copy is not there any more.';
			if (!dimension || typeof ready === 'string') return String(ready);
			maps.push({ axis: model.dimensions.indexOf(dimension), ...ready });
			continue;
		}
		const member = typeof reference === 'number' ? reference : reference === 'chosen' ? undefined : variables.get(reference.variable);
		const ordinal = member === undefined ? undefined : dimension?.ordinal(member);
		if (!dimension || ordinal === undefined) return `The member to copy onto in ${dimension?.name ?? 'a dimension'} is not there any more.`;
		if (dimension === model.periods.dimension) return 'Copies go to other periods by a shift.';
		if (!dimension.isLeaf(ordinal))
			return `“${dimension.member(ordinal).name}” adds up others. Copy onto a member of ${dimension.name} without any beneath it.`;
		const axis = model.dimensions.indexOf(dimension);
		// Scenarios are not added up: whichever is read stands as it is.
		const isScenario = axis === model.scenarioAxis;
		const weights = isScenario ? new Float64Array(dimension.members.length).fill(1) : weightsIn(model, step.from, axis, variables);
		onto.push({ axis, ordinal, weights });
	}
	const shift = step.shift && step.shift.by !== 0 ? new Shifts(model.periods).table(step.shift.level, step.shift.by) : undefined;
	if (step.over?.way === 'season' && step.over.account !== null) {
		const pattern = model.accounts.ordinal(step.over.account);
		if (pattern === undefined || !model.account(pattern)) return 'The account whose season the year follows is not there any more.';
	}
	return { from: scopeOf(model, step.from, variables), limits: scopeOf(model, step.limits, variables), onto, maps, shift, over: step.over };
}

/** All cells a copy may set: where the cells of its source would land, whether they hold something or not. */
export function targetOfCopy(model: Model, { from, limits, onto, maps, shift, over }: ReadyCopy): Scope {
	const axes = new Map<number, Uint8Array>();
	model.dimensions.forEach((dimension, axis) => {
		const source = from.axes.get(axis);
		const fixed = onto.find((each) => each.axis === axis);
		const map = maps.find((each) => each.axis === axis);
		let allowed = source;
		if (fixed) (allowed = new Uint8Array(dimension.members.length))[fixed.ordinal] = 1;
		else if (map) {
			allowed = new Uint8Array(dimension.members.length);
			for (const [leaf, into] of map.into.entries()) if (into >= 0 && (!source || source[leaf] === 1)) allowed[into] = 1;
		}
		const limit = limits.axes.get(axis);
		if (allowed && limit)
			axes.set(
				axis,
				allowed.map((each, ordinal) => each & limit[ordinal]!)
			);
		else if (allowed ?? limit) axes.set(axis, (allowed ?? limit)!);
	});
	const scenarios = model.scenarios.members.flatMap((_, scenario) =>
		(from.axes.get(model.scenarioAxis)?.[scenario] ?? 1) === 1 && model.scenario(scenario) ? [model.scenario(scenario)!.span] : []
	);
	// What a scenario does not speak about is not read, so it empties nothing either.
	const periods = new Uint8Array(model.periods.leaves.length);
	for (const { index } of model.periods.leaves) {
		const to = shift ? shift[index]! : index;
		const isRead = (from.periods?.[index] ?? 1) === 1 && scenarios.some((span) => index >= span.from && index <= span.to);
		if (isRead && to >= 0 && (over || (limits.periods?.[to] ?? 1) === 1)) periods[to] = 1;
	}
	if (over) {
		const years = new Set(model.periods.leaves.filter(({ index }) => periods[index] === 1).map(({ fiscalYear }) => fiscalYear));
		for (const { index, fiscalYear, position } of model.periods.leaves)
			periods[index] = years.has(fiscalYear) && isReached(over, position) && (limits.periods?.[index] ?? 1) === 1 ? 1 : 0;
	}
	return { axes, periods };
}

/**
 * Copies a slice onto another: members collapse by their weights or become others, periods shift, what adds up is
 * multiplied, money and prices are translated by the account that is read. Facts of all time go along, whatever the
 * periods. What is not carried is counted. O(cells read).
 */
export function runCopy(work: StepWork, step: CopyStep & { limits: Slice }): void {
	const { model, cube, variables } = work;
	const ready = readyCopy(model, step, variables);
	if (typeof ready === 'string') throw work.fault(ready);
	const { from, limits, onto, maps, shift, over } = ready;
	const shifts = new Shifts(model.periods);
	const factor = typeof step.factor === 'number' ? step.factor : work.number(step.factor.parameter);
	const crossesEntities = [...onto, ...maps].some(({ axis }) => axis === model.entityAxis);
	const rates = new Map<string, Float64Array>();
	const sums = new Block(model.dimensions.length, model.periods.leaves.length);
	const several = new Set<number>();
	const target = new Int32Array(model.dimensions.length);
	const count = new FactorCount(model, factor, step.pricesToo ?? false);
	/** Puts the target of a source into `target`. @returns what amounts are multiplied with; 0 where it goes nowhere */
	const aim = (source: Int32Array): number => {
		target.set(source);
		let times = 1;
		for (const { axis, ordinal, weights } of onto) {
			times *= weights[source[axis]!]!;
			target[axis] = ordinal;
		}
		for (const { axis, into, times: by } of maps) {
			const own = source[axis]!;
			if (into[own]! < 0) return 0;
			target[axis] = into[own]!;
			times *= by[own]!;
		}
		return times;
	};
	/** A value in the currency of its target, by the kind of the account that is read. */
	const inTarget = (source: Int32Array, leaf: number, value: number): number => {
		const account = model.factsAt(source);
		if (!crossesEntities || !account || !isTranslated(account)) return value;
		const [local, currency] = [model.currencyOf(source[model.entityAxis]!), model.currencyOf(target[model.entityAxis]!)];
		if (local === currency) return value;
		const scenario = source[model.scenarioAxis]!;
		const key = `${local} ${currency} ${scenario} ${rateUse(account)}`;
		let factors = rates.get(key);
		if (!factors)
			rates.set(
				key,
				(factors = translationFactors(model, local, currency, (period) => model.rateSetAt(scenario, period), rateUse(account)))
			);
		if (isEmpty(factors[leaf]!)) work.missingRate();
		return value * factors[leaf]!;
	};
	const lastTarget = new Int32Array(model.dimensions.length);
	let series = -1;
	const accounts = from.axes.get(model.accountAxis);
	eachCell(
		{ model, cube },
		(account) => !accounts || accounts[account] === 1,
		(source, first, stored) => {
			work.breathe();
			const leaf = model.account(source[model.accountAxis]!)?.frequency === 'per year' ? yearlyLeaf(source, first) : first;
			if (leaf < 0 || !inScope(from, source, leaf)) return;
			const times = aim(source);
			if (times === 0) return;
			const to = shift ? shift[leaf]! : leaf;
			if (to < 0) {
				// Where the copy is limited to periods, what would lie beyond the calendar was not meant.
				const isBeyond = shift![shifts.run(step.shift!.level, leaf)?.from ?? leaf]! < 0;
				if (!(isBeyond && limits.periods))
					work.leaveOut(target, leaf, isBeyond ? 'The calendar does not reach so far.' : noCounterpart(step));
				return;
			}
			if (over ? !isAddressIn(limits, target) : !inScope(limits, target, to) || (to === leaf && same(source, target))) return;
			const account = target[model.accountAxis]!;
			const value = count.multiply(account, inTarget(source, leaf, stored), times);
			if (isEmpty(value)) return;
			// Cells come series by series: one look-up serves all of its periods.
			if (series < 0 || !same(target, lastTarget)) {
				series = sums.ensure(target);
				lastTarget.set(target);
			}
			const place = series * sums.width + to;
			const before = sums.values[place]!;
			if (isEmpty(before)) sums.values[place] = value;
			else if (addsUp(model, account)) sums.values[place] = before + value;
			else if (before !== value) several.add(place);
		}
	);
	const address = new Int32Array(model.dimensions.length);
	for (let copied = 0; copied < sums.count; copied++) {
		sums.readAddress(copied, address);
		if (model.account(address[model.accountAxis]!)?.frequency === 'timeless') {
			work.leaveOut(address, factPeriod(model, address), 'Amounts of periods cannot be put on an account with one value for all time.');
			continue;
		}
		const values = sums.values.subarray(copied * sums.width, (copied + 1) * sums.width);
		if (several.size > 0)
			for (let leaf = 0; leaf < sums.width; leaf++) {
				if (!several.has(copied * sums.width + leaf)) continue;
				work.leaveOut(address, leaf, 'Several prices or facts would meet in one cell, and they do not add up.');
				values[leaf] = Number.NaN;
			}
		if (over) layOut(work, over, limits, address, values);
		work.writeAll(address, values);
	}
	copyFacts();
	if (factor !== 1) work.note(count.words());

	/** The period by which a fact of a year is read: the first of that year its scenario speaks about and the slice names. */
	function yearlyLeaf(source: Int32Array, first: number): number {
		const { fiscalYear } = model.periods.leaf(first);
		const span = model.scenario(source[model.scenarioAxis]!)?.span;
		for (let place = 0; place < model.periods.width; place++) {
			const leaf = model.periods.at(fiscalYear, place)?.index;
			if (leaf === undefined || (span && (leaf < span.from || leaf > span.to))) continue;
			const to = shift ? shift[leaf]! : leaf;
			if ((from.periods?.[leaf] ?? 1) === 1 && to >= 0 && (limits.periods?.[to] ?? 1) === 1) return leaf;
		}
		return -1;
	}

	/** Facts of all time have no period: neither the shift nor limits to periods speak of them. */
	function copyFacts(): void {
		const places = new Map<number, number>();
		const facts = new Block(model.dimensions.length, 1);
		const source = new Int32Array(model.dimensions.length);
		for (const { year, block } of cube.store.blocks())
			for (let held = 0; year === 0 && held < block.count; held++) {
				block.readAddress(held, source);
				const value = block.values[held * block.width]!;
				const account = source[model.accountAxis]!;
				if (isEmpty(value) || (accounts && accounts[account] === 0) || !isAddressIn(from, source)) continue;
				const times = aim(source);
				if (times === 0 || same(target, source) || !isAddressIn(limits, target)) continue;
				if (model.account(target[model.accountAxis]!)?.frequency !== 'timeless') {
					work.leaveOut(target, factPeriod(model, target), 'A fact of all time cannot be put on an account with a value a period.');
					continue;
				}
				const facing = crossesEntities && isTranslated(model.account(account)!);
				if (facing && model.currencyOf(source[model.entityAxis]!) !== model.currencyOf(target[model.entityAxis]!)) {
					work.leaveOut(
						target,
						factPeriod(model, target),
						'A fact of all time has no period, so there is no rate to bring it into another currency.'
					);
					continue;
				}
				const adds = addsUp(model, target[model.accountAxis]!);
				const copied = count.multiply(target[model.accountAxis]!, value, times);
				const place = facts.ensure(target);
				const known = places.get(place);
				if (known !== undefined && !adds && known !== copied) places.set(place, Number.NaN);
				else places.set(place, adds ? (known ?? 0) + copied : copied);
			}
		for (const [place, value] of places) {
			facts.readAddress(place, target);
			if (isEmpty(value))
				work.leaveOut(target, factPeriod(model, target), 'Several prices or facts would meet in one cell, and they do not add up.');
			else work.writeFact(target, value);
		}
	}
}

/** Multiplies what a factor is for, and counts what it was and was not applied to. */
class FactorCount {
	readonly #model: Model;
	readonly #factor: number;
	readonly #pricesToo: boolean;
	#multiplied = 0;
	#prices = 0;
	#coded = 0;

	constructor(model: Model, factor: number, pricesToo: boolean) {
		this.#model = model;
		this.#factor = factor;
		this.#pricesToo = pricesToo;
	}

	/** @param times by what amounts count on their way: weights and signs; a price keeps its amount */
	multiply(account: number, value: number, times: number): number {
		const type = this.#model.account(account)?.valueType;
		if (addsUp(this.#model, account)) {
			this.#multiplied++;
			return value * this.#factor * times;
		}
		if (type === 'price' || type === 'percent') {
			if (!this.#pricesToo) {
				this.#prices++;
				return value;
			}
			this.#multiplied++;
			return value * this.#factor;
		}
		this.#coded++;
		return value;
	}

	words(): string {
		const left = [
			...(this.#prices > 0 ? [`${this.#prices.toLocaleString('en')} prices and percents`] : []),
			...(this.#coded > 0 ? [`${this.#coded.toLocaleString('en')} choices, dates and texts`] : [])
		];
		const multiplied = `${this.#multiplied.toLocaleString('en')} values read were multiplied`;
		return left.length === 0 ? `${multiplied}.` : `${multiplied}; ${left.join(' and ')} were taken as they are.`;
	}
}

const noCounterpart = ({ shift }: CopyStep): string =>
	`The period has no counterpart ${Math.abs(shift!.by)} ${shift!.level}${Math.abs(shift!.by) === 1 ? '' : 's'} ${shift!.by < 0 ? 'earlier' : 'later'}: there are fewer.`;

function same(one: Int32Array, other: Int32Array): boolean {
	for (let axis = 0; axis < one.length; axis++) if (one[axis] !== other[axis]) return false;
	return true;
}

const OVER = {
	'one period': ', the year’s total into one period',
	evenly: ', spread evenly over the year',
	season: ', spread over the year by season'
} as const;

/** A slice put onto other members or periods. */
export const copy: StepRecord<CopyStep> = {
	title: 'Copy',
	firstName: 'Copy',
	blank: { kind: 'copy', from: {}, onto: {}, shift: null, factor: 1 },
	unlimited: 'Wherever it leads',
	originMode: ({ adds }) => (adds ? 'adds' : 'sets'),
	setsAll: ({ onlyWhereValues }) => !onlyWhereValues,
	check: (model, step, { values, variables, find, writes }) => {
		checkSlice(model, step.from, variables, 'What is copied', find);
		for (const [id, reference] of Object.entries(step.onto)) {
			const dimension = model.dimension(Number(id));
			if (typeof reference === 'object' && 'map' in reference) {
				const ready = dimension && readyMap(dimension, reference.map);
				if (typeof ready === 'string') find('error', ready);
				else if (reference.map.lines.length === 0)
					find('error', `No line says which member of ${dimension?.name ?? 'a dimension'} becomes which.`);
			} else if (!isThere(model, Number(id), reference, variables))
				find('error', `The member of ${model.dimension(Number(id))?.name ?? 'a dimension'} to copy onto is not there any more.`);
		}
		if (typeof step.factor !== 'number' && values.get(step.factor.parameter)?.kind !== 'number')
			find('error', `The factor $${step.factor.parameter} is no number.`);
		if (Object.keys(step.onto).length === 0 && !step.shift && !step.over)
			find('error', 'The copy would write where it reads. Choose members to copy onto, or a shift of periods.');
		if (Object.keys(step.from).length === 0) find('hint', 'The whole model is copied. Limit what is read.');
		const accounts = scopeOf(model, step.from, variables).axes.get(model.accountAxis);
		const map = step.onto[model.accounts.id];
		const ready = typeof map === 'object' && 'map' in map ? readyMap(model.accounts, map.map) : undefined;
		const becomes = (account: number) => (typeof ready === 'object' && ready.into[account]! >= 0 ? ready.into[account]! : account);
		// Whether each of them can be written is said by the run: a copy of many accounts meets some that cannot.
		for (const account of model.accounts.members.keys())
			if (model.account(account) && (!accounts || accounts[account] === 1)) writes(becomes(account), { asIs: true });
	},
	reach: (model, step, { variables }) => {
		const ready = readyCopy(model, step, variables);
		if (typeof ready === 'string') return { writes: [], reads: [], periods: undefined };
		const target = targetOfCopy(model, ready);
		return { writes: [target], reads: [ready.from, ...seasonRead(model, step.over, target)], periods: target.periods };
	},
	run: (work, step) => runCopy(work, step),
	renamed: (own, to) => ({
		...own,
		from: renamedSlice(own.from, to),
		onto: renamedKeys(own.onto, to, (reference) => renamedReference(reference, to.member)),
		...(own.over?.way === 'season' && own.over.account !== null && { over: { ...own.over, account: to.member(own.over.account) } })
	}),
	inWords: (own, names) => {
		const from = sliceInWords(own.from, names) || 'everything';
		const onto = Object.values(own.onto).map((reference) => {
			if (typeof reference === 'number') return names.get(reference) ?? '?';
			if (reference === 'chosen') return '?';
			return 'map' in reference
				? `what a table of ${reference.map.lines.length === 1 ? 'one line' : `${reference.map.lines.length} lines`} says`
				: `$${reference.variable}`;
		});
		const over = own.over ? OVER[own.over.way] : '';
		const shift = own.shift
			? `, ${Math.abs(own.shift.by)} ${own.shift.level}${Math.abs(own.shift.by) === 1 ? '' : 's'} ${own.shift.by < 0 ? 'earlier' : 'later'}`
			: '';
		const factor = own.factor === 1 ? '' : `, × ${typeof own.factor === 'number' ? own.factor : `$${own.factor.parameter}`}`;
		return `Copies ${from}${onto.length > 0 ? ` onto ${onto.join(', ')}` : ''}${shift}${over}${factor}`;
	}
};

function renamedReference(reference: CopyStep['onto'][number], member: (id: number) => number): CopyStep['onto'][number] {
	if (typeof reference === 'number') return member(reference);
	if (typeof reference !== 'object' || !('map' in reference)) return reference;
	const lines = reference.map.lines.map((line) => ({ ...line, from: member(line.from), to: member(line.to) }));
	// Two lines of the member that is gone and the one in its place: the first stands.
	return { map: { ...reference.map, lines: lines.filter(({ from }, at) => lines.findIndex((line) => line.from === from) === at) } };
}

/** What a copy reads to know a season: an account at its target, or its target the year before in whichever scenario speaks of it. */
function seasonRead(model: Model, over: OverYear | undefined, target: Scope): Scope[] {
	if (over?.way !== 'season') return [];
	const axes = new Map(target.axes);
	if (over.account === null) {
		axes.delete(model.scenarioAxis);
		return [{ axes, periods: undefined }];
	}
	const leaf = model.accounts.ordinal(over.account)!;
	return [withAccounts(model, { axes, periods: target.periods }, [leaf, ...model.live.followedFrom(leaf)])];
}
