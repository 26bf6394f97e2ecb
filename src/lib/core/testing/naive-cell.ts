import { NOTHING } from '../cube';
import { selectMembers, type Dimension } from '../dimension';
import { evaluate, inDomain, type AccountRead, type CellFacts } from '../formula';
import { continuationOf, type AccountDefinition, type Model, type TimeBehaviour } from '../model';

/** A stored value of one origin at a leaf cell; the address as ordinals. */
export interface StoredCell {
	origin: number;
	address: number[];
	/** Index of the leaf period. */
	period: number;
	value: number;
	/** The revision it was written with; 0 where none is given. */
	stamp?: number;
}

/** One figure with what is to be said of it. */
export interface NaiveResult {
	value: number | undefined;
	incomplete: boolean;
	mixed: boolean;
}

/**
 * The value of any cell, worked out the obvious way from all stored values: what the rules say, and nothing for speed.
 * The cube is held against it on random models.
 * @param members one ordinal per dimension; period an ordinal of the period dimension
 */
export function naiveCell(
	model: Model,
	cells: readonly StoredCell[],
	members: readonly number[],
	period: number,
	currency: string
): NaiveResult {
	const result: NaiveResult = { value: undefined, incomplete: false, mixed: false };
	const account = members[model.accountAxis]!;
	const formula = model.formula(account);
	if (formula) {
		const value = evaluate(formula.expression, ({ member }) => {
			const operand = members.with(model.accountAxis, model.accounts.ordinal(member)!);
			const read = naiveCell(model, cells, operand, period, currency);
			result.incomplete ||= read.incomplete;
			result.mixed ||= read.mixed;
			return read.value ?? Number.NaN;
		});
		return { ...result, value: Number.isNaN(value) ? undefined : value };
	}
	const facts = model.account(account);
	const ownLeaf = model.accounts.isLeaf(account) && facts !== undefined;
	const adding = (each: AccountDefinition) => each.consolidation === 'sum' && (each.frequency ?? 'per period') === 'per period';
	const parts: Part[] = [];
	for (const address of leafAddresses(model, cells)) {
		const weight = address.reduce((product, leaf, axis) => product * weightUp(model.dimensions[axis]!, leaf, members[axis]!), 1);
		const leafFacts = factsBeside(model, address);
		if (weight === 0 || !leafFacts || model.formula(address[model.accountAxis]!)) continue;
		if (!ownLeaf && !adding(leafFacts)) continue;
		parts.push({ address, weight, facts: leafFacts, at: (index) => leafAt(model, cells, address, index) });
	}
	return ownLeaf && !adding(facts) ? readByLeaf(model, cells, parts, facts, period, currency) : addUp(model, parts, period, currency);
}

/** A leaf address that counts in the cell asked for. */
interface Part {
	address: number[];
	weight: number;
	facts: AccountDefinition;
	/** Its value in a leaf period, stored or computed. */
	at: (index: number) => number | undefined;
}

/** An account's facts at a leaf: where a member there says opening, movement or closing, that goes first for what adds up. */
export function factsBeside(model: Model, address: readonly number[]): AccountDefinition | undefined {
	const facts = model.account(address[model.accountAxis]!);
	const members = address.map((ordinal, axis) => model.dimensions[axis]!.member(ordinal).id);
	const role = model.definition.balanceRoles?.find(({ member }) => members.includes(member))?.role;
	if (!facts || !role || facts.consolidation !== 'sum' || (facts.frequency ?? 'per period') !== 'per period') return facts;
	// Nor is equity told apart then.
	const kind = facts.kind === 'equity' ? 'asset' : facts.kind;
	return { ...facts, kind, timeBehaviour: role === 'movement' ? 'flow' : role };
}

/** The stored value of a leaf in a period, and the same translated; undefined where it is empty or cannot be translated. */
function valueAt(
	model: Model,
	{ address, facts, at }: Part,
	index: number,
	currency: string,
	rateAtPeriod = index
): { stored: number; translated: number | undefined } | undefined {
	const stored = at(index);
	if (stored === undefined) return undefined;
	const local = model.entityAxis < 0 ? 'EUR' : model.currencyOf(address[model.entityAxis]!);
	if ((facts.valueType !== 'money' && facts.valueType !== 'price') || currency === 'local' || currency === local)
		return { stored, translated: stored };
	const opening = facts.timeBehaviour === 'opening';
	const leaf = model.periods.leaf(opening ? rateAtPeriod - 1 : rateAtPeriod);
	const kind =
		facts.kind === 'equity'
			? 'historical'
			: opening || facts.timeBehaviour === 'closing' || facts.timeBehaviour === 'latest'
				? 'closing'
				: 'average';
	const factor = leaf
		? model.rates(model.rateSetAt(address[model.scenarioAxis]!, leaf.index)!)!.factor(local, currency, kind, leaf.start, leaf.end)
		: Number.NaN;
	return { stored, translated: Number.isNaN(factor) ? undefined : stored * factor };
}

/** The periods of a cell that the scenario speaks about. */
function spanOf(model: Model, { address }: Part, period: number): { from: number; to: number } {
	const range = model.periods.range(period);
	const { span } = model.scenario(address[model.scenarioAxis]!)!;
	return { from: Math.max(range.from, span.from), to: Math.min(range.to, span.to) };
}

function addUp(model: Model, parts: readonly Part[], period: number, currency: string): NaiveResult {
	const result: NaiveResult = { value: undefined, incomplete: false, mixed: false };
	const currencies = new Set<string>();
	const terms: number[] = [];
	for (const part of parts) {
		const { from, to } = spanOf(model, part, period);
		if (to < from) continue;
		const at = (index: number, rateAtPeriod?: number): number | undefined => {
			const found = valueAt(model, part, index, currency, rateAtPeriod);
			if (found && found.translated === undefined) result.incomplete = true;
			return found?.translated;
		};
		const value =
			part.facts.timeBehaviour === 'latest' ? latest(model, part, from, to, at) : overPeriods(part.facts.timeBehaviour, from, to, at);
		if (value === undefined) continue;
		if (part.facts.valueType === 'money') currencies.add(model.entityAxis < 0 ? 'EUR' : model.currencyOf(part.address[model.entityAxis]!));
		terms.push(value * part.weight);
	}
	if (currency === 'local' && currencies.size > 1) return { value: undefined, incomplete: false, mixed: true };
	if (terms.length > 0) result.value = terms.reduce((sum, term) => sum + term, 0);
	return result;
}

/** The last value present between two periods, translated at the rate of the last period. */
function latest(
	model: Model,
	part: Part,
	from: number,
	to: number,
	at: (index: number, rateAtPeriod?: number) => number | undefined
): number | undefined {
	for (let index = to; index >= from; index--) if (valueAt(model, part, index, 'local')) return at(index, to);
	return undefined;
}

/** Prices, percents and facts: every leaf cell beneath in one heap, and one rule over it. */
function readByLeaf(
	model: Model,
	cells: readonly StoredCell[],
	parts: readonly Part[],
	facts: AccountDefinition,
	period: number,
	currency: string
): NaiveResult {
	const heap: { value: number; weight: number | undefined }[] = [];
	const currencies = new Set<string>();
	let incomplete = false;
	const frequency = facts.frequency ?? 'per period';
	for (const part of parts) {
		const { from, to } = spanOf(model, part, period);
		const range = model.periods.range(period);
		if (frequency === 'per year') {
			const [first, last] = [model.periods.leaf(range.from), model.periods.leaf(range.to)];
			const year = model.periods.leaves.find((leaf) => leaf.fiscalYear === first.fiscalYear)!;
			const value = first.fiscalYear === last.fiscalYear ? valueAt(model, part, year.index, 'local')?.stored : undefined;
			if (value === undefined) continue;
			const translated = valueAt(model, { ...part, at: () => value }, to, currency)?.translated;
			if (translated === undefined) incomplete = true;
			else heap.push({ value: translated, weight: undefined });
			continue;
		}
		if (facts.timeBehaviour === 'latest') {
			const last = Array.from({ length: Math.max(0, to - from + 1) }, (_, offset) => to - offset).find((index) =>
				valueAt(model, part, index, 'local')
			);
			if (last === undefined) continue;
			currencies.add(model.entityAxis < 0 ? 'EUR' : model.currencyOf(part.address[model.entityAxis]!));
			const translated = valueAt(model, part, last, currency, to)?.translated;
			if (translated === undefined) {
				incomplete = true;
				continue;
			}
			const weigher = typeof facts.weight === 'number' ? model.accounts.ordinal(facts.weight) : undefined;
			const address = weigher === undefined ? undefined : part.address.with(model.accountAxis, weigher);
			const weighing = address && {
				address,
				weight: 1,
				facts: factsBeside(model, address)!,
				at: (index: number) => leafAt(model, cells, address, index)
			};
			const weight =
				weighing && overPeriods(weighing.facts.timeBehaviour, from, to, (index) => valueAt(model, weighing, index, currency)?.translated);
			heap.push({ value: translated, weight });
			continue;
		}
		for (let index = from; index <= to; index++) {
			const found = valueAt(model, part, index, currency);
			if (!found) continue;
			currencies.add(model.entityAxis < 0 ? 'EUR' : model.currencyOf(part.address[model.entityAxis]!));
			if (found.translated === undefined) {
				incomplete = true;
				continue;
			}
			const weigher = typeof facts.weight === 'number' ? model.accounts.ordinal(facts.weight) : undefined;
			const address = weigher === undefined ? undefined : part.address.with(model.accountAxis, weigher);
			const weightPart = address && {
				address,
				weight: 1,
				facts: factsBeside(model, address)!,
				at: (index: number) => leafAt(model, cells, address, index)
			};
			heap.push({ value: found.translated, weight: weightPart && valueAt(model, weightPart, index, currency)?.translated });
		}
	}
	if (currency === 'local' && currencies.size > 1 && facts.valueType === 'price')
		return { value: undefined, incomplete: false, mixed: true };
	if (heap.length === 0) return { value: undefined, incomplete, mixed: false };
	const first = heap[0]!.value;
	const agree = heap.every(({ value }) => value === first);
	if (frequency !== 'per period' || facts.valueType === 'choice') return { value: agree ? first : undefined, incomplete, mixed: false };
	if (facts.consolidation === 'average')
		return { value: heap.reduce((sum, { value }) => sum + value, 0) / heap.length, incomplete, mixed: false };
	if (facts.consolidation === 'none') return { value: heap.length === 1 ? first : undefined, incomplete, mixed: false };
	if (agree) return { value: first, incomplete, mixed: false };
	const weighted = heap.filter(({ weight }) => weight !== undefined);
	const weight = weighted.reduce((sum, each) => sum + each.weight!, 0);
	const value = weight === 0 ? undefined : weighted.reduce((sum, each) => sum + each.value * each.weight!, 0) / weight;
	return { value, incomplete: incomplete || weighted.length < heap.length, mixed: false };
}

/** Only the periods that a behaviour looks at are read: a rate missing elsewhere does not matter. */
function overPeriods(behaviour: TimeBehaviour, from: number, to: number, at: (index: number) => number | undefined): number | undefined {
	if (behaviour === 'closing') return at(to);
	if (behaviour === 'opening') return at(from);
	if (behaviour === 'none') return from === to ? at(from) : undefined;
	const values = Array.from({ length: to - from + 1 }, (_, offset) => at(from + offset));
	const present = values.filter((value) => value !== undefined);
	if (present.length === 0) return undefined;
	const total = present.reduce((sum, value) => sum + value, 0);
	return behaviour === 'flow' ? total : total / values.length;
}

/** Cells by address and period, found once a list: the tests ask the same list thousands of times. */
const indexes = new WeakMap<readonly StoredCell[], Map<string, StoredCell[]>>();

function cellsAt(cells: readonly StoredCell[], address: readonly number[], period: number): StoredCell[] {
	let index = indexes.get(cells);
	if (!index) {
		indexes.set(cells, (index = new Map()));
		for (const cell of cells) {
			const key = `${cell.address.join()} ${cell.period}`;
			index.set(key, [...(index.get(key) ?? []), cell]);
		}
	}
	return index.get(`${address.join()} ${period}`) ?? [];
}

/** Every leaf address with a value, and wherever a per-leaf formula might have one. */
function leafAddresses(model: Model, cells: readonly StoredCell[]): number[][] {
	const found = new Map(cells.map(({ address }) => [address.join(), address]));
	for (const { account } of model.live.ordered)
		for (const { address } of cells) {
			// Looking back from its first periods, a scenario sees the one it continues from.
			for (const scenario of model.scenarios.members.keys()) {
				const target = address.with(model.accountAxis, account).with(model.scenarioAxis, scenario);
				found.set(target.join(), target);
			}
		}
	return [...found.values()];
}

/** Results of formulas, each worked out once a list: what looks back is asked from every later period. */
const results = new WeakMap<readonly StoredCell[], Map<string, number | undefined>>();

/** The value of a leaf in a period: by the formula that stands there, else as stored. */
function leafAt(model: Model, cells: readonly StoredCell[], address: readonly number[], index: number): number | undefined {
	let known = results.get(cells);
	if (!known) results.set(cells, (known = new Map()));
	const key = `${address.join()} ${index}`;
	if (!known.has(key)) known.set(key, workOut(model, cells, address, index));
	return known.get(key);
}

function workOut(model: Model, cells: readonly StoredCell[], address: readonly number[], index: number): number | undefined {
	const account = address[model.accountAxis]!;
	const formula = model.live.at(account, address[model.scenarioAxis]!, index);
	const stored = effective(model, cellsAt(cells, address, index), model.account(account)!);
	if (!formula || (formula.mayBeTyped && stored !== undefined)) return stored;
	const leaf = model.periods.leaf(index);
	const frozen = model.frozen?.get(address, leaf.fiscalYear, leaf.position) ?? Number.NaN;
	if (!Number.isNaN(frozen)) return frozen === NOTHING ? undefined : frozen;
	const operand = ({ member, at, shift }: AccountRead) => {
		const place = address.with(model.accountAxis, model.accounts.ordinal(member)!);
		for (const [id, fixed] of Object.entries(at ?? {})) {
			const axis = model.dimensions.findIndex((dimension) => dimension.id === Number(id));
			place[axis] = model.dimensions[axis]!.ordinal(fixed)!;
		}
		const here = shift ? shifted(model, index, shift) : index;
		if (here === undefined) return Number.NaN;
		// Before a scenario's own periods the one it continues from speaks, unless a scenario is named.
		if (shift && at?.[model.scenarios.id] === undefined)
			place[model.scenarioAxis] = continuationOf(model, place[model.scenarioAxis]!, here)?.scenario ?? place[model.scenarioAxis]!;
		const frequency = model.account(place[model.accountAxis]!)?.frequency ?? 'per period';
		const { fiscalYear } = model.periods.leaf(here);
		const read = frequency === 'per year' ? model.periods.leaves.findIndex((leaf) => leaf.fiscalYear === fiscalYear) : here;
		return leafAt(model, cells, place, read) ?? Number.NaN;
	};
	const isUnder = (id: number, ordinal: number) =>
		id === model.periods.dimension.id
			? model.periods.dimension.tree.isUnder(model.periods.leaf(index).ordinal, ordinal)
			: model.dimension(id)!.tree.isUnder(address[model.dimensions.findIndex((dimension) => dimension.id === id)]!, ordinal);
	const facts: CellFacts = {
		leaf: index,
		periodOf: (member) => {
			const ordinal = model.periods.dimension.ordinal(member);
			return ordinal === undefined ? Number.NaN : model.periods.range(ordinal).from;
		},
		daysOf: (at) => (Date.parse(model.periods.leaf(at).end) - Date.parse(model.periods.leaf(at).start)) / 86_400_000 + 1,
		isIn: ({ dimension, selections }) =>
			selections.some((selection) => selectMembers(model.dimension(dimension)!, selection).some((ordinal) => isUnder(dimension, ordinal))),
		isChosen: (dimension, member) => {
			const ordinal = model.dimension(dimension)!.ordinal(member);
			return ordinal !== undefined && isUnder(dimension, ordinal);
		}
	};
	const value = inDomain(formula.expression, operand) ? evaluate(formula.expression, operand, facts) : Number.NaN;
	return value === 0 || !Number.isFinite(value) ? undefined : value;
}

/** The leaf period so many periods of a level earlier or later, at the same place in it. */
function shifted(model: Model, index: number, { level, by }: { level: string; by: number }): number | undefined {
	const { periods } = model;
	const runs = periods.dimension.members
		.map((_, ordinal) => ({ ...periods.range(ordinal), level: periods.facts(ordinal)?.level }))
		.filter((run) => run.level === level)
		.sort((one, other) => one.from - other.from);
	const at = runs.findIndex(({ from, to }) => index >= from && index <= to);
	const [own, other] = [runs[at], at < 0 ? undefined : runs[at + by]];
	const place = own && other ? other.from + (index - own.from) : -1;
	return other && place >= other.from && place <= other.to ? place : undefined;
}

/** The product of the weights from a leaf up to, not including, a member; 0 when the leaf is not under it. */
function weightUp(dimension: Dimension, leaf: number, member: number): number {
	let weight = 1;
	for (let at = leaf; at !== member; at = dimension.tree.parent[at]!) {
		if (at < 0) return 0;
		weight *= dimension.tree.weight[at]!;
	}
	return weight;
}

/**
 * What stands at a cell, by the rules as they are written: the entry, else the newest of loads and results (all loads
 * together; of one runbook's results the lowest step's), plus the additions.
 */
function effective(model: Model, cells: readonly StoredCell[], facts: AccountDefinition): number | undefined {
	const modeOf = ({ origin }: StoredCell) => model.origin(origin)!.mode;
	const of = (mode: string) => cells.filter((cell) => modeOf(cell) === mode);
	const adding = facts.valueType === 'money' || facts.valueType === 'quantity';
	const total = (list: readonly StoredCell[]) => (list.length === 0 ? undefined : list.reduce((sum, { value }) => sum + value, 0));
	const byAge = [...of('loads'), ...of('sets')].sort(
		(one, other) =>
			(one.stamp ?? 0) - (other.stamp ?? 0) ||
			Number(modeOf(one) === 'sets') - Number(modeOf(other) === 'sets') ||
			one.origin - other.origin
	);
	const newest = byAge.at(-1);
	let base: number | undefined;
	if (newest && modeOf(newest) === 'loads') base = adding ? total(of('loads')) : newest.value;
	if (newest && modeOf(newest) === 'sets') {
		const { runbook } = model.origin(newest.origin)!.result!;
		const rank = ({ origin }: StoredCell) => model.origin(origin)!.result!.rank;
		const lowest = byAge
			.filter((cell) => modeOf(cell) === 'sets' && model.origin(cell.origin)!.result!.runbook === runbook)
			.reduce((one, other) => (rank(other) >= rank(one) ? other : one));
		base = lowest.value === Number.POSITIVE_INFINITY ? undefined : lowest.value;
	}
	const entry = of('entry').at(-1)?.value;
	if (!adding) return entry ?? base;
	const parts = [
		facts.entriesAdjust ? total([...of('entry')]) : undefined,
		facts.entriesAdjust ? base : (entry ?? base),
		total(of('adds'))
	];
	const present = parts.filter((part) => part !== undefined);
	return present.length === 0 ? undefined : present.reduce((sum, part) => sum + part, 0);
}
