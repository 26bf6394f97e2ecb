import type { WriteGuard } from '../access';
import type { PeriodRange } from '../calendar';
import type { Address, CellChange, CellPlace } from '../cell';
import { CLEARED, isTranslated, leafCells, LeafReader, NOTHING, Translator, type LeafCell, type Reader } from '../cube';
import { factPeriod, type AccountDefinition, type Model } from '../model';
import { EMPTY, isEmpty, isValue, roundTo } from '../number';
import type { EntryInput } from './parse';
import { FigureTotal } from './figure-total';
import { spread, type SpreadLeaf, type SpreadMethod } from './spread';
import { spreadWithLive } from './spread-with-live';

/** A leaf cell a person's entry changes; `CLEARED` takes the entry away. */
export type LeafChange = CellPlace & CellChange;

export interface EnterFault {
	code:
		'not a number' | 'may not write' | 'nothing to spread over' | 'missing rate' | 'too many cells' | 'asks first' | 'not possible here';
	message: string;
}

export type EnterResult = { changes: LeafChange[]; warning: string | undefined } | { fault: EnterFault };

/** More cells than this from one entry are refused; more new ones than that ask first. */
const MOST_CELLS = 50_000;
const MOST_NEW_CELLS = 5_000;

/** A figure: one ordinal per dimension, and a run of leaf periods. */
export interface Figure {
	members: Address;
	range: PeriodRange;
}

/** How an entry at a parent reaches its leaves. */
export interface SpreadOptions {
	method?: SpreadMethod;
	/** For `like another`: the figure whose proportions are taken; it differs in leaves only, and may lie in another year. */
	like?: Figure;
	/** Figures whose leaves keep their values. */
	kept?: readonly Figure[];
	/** Where nothing is yet: over all leaves instead of the unassigned ones. */
	overAll?: boolean;
	/** The person has agreed to many new cells. */
	confirmed?: boolean;
}

/** What entries are made in. */
export interface EntryScene {
	/** What the typist sees: a total that is meant is theirs. */
	reader: Reader;
	guard: WriteGuard;
}

export interface Entering extends Figure, SpreadOptions {
	/** The figure that stands there in the reader's currency. */
	shown: number;
	/** The reader's currency, or `local`. */
	currency: string;
	input: EntryInput;
}

/** The leaf changes of one entry at a cell of any level, or why it is not taken. */
export function enter(scene: EntryScene, entering: Entering): EnterResult {
	const { reader, guard } = scene;
	const { model } = reader;
	const { members, range, shown, input } = entering;
	if (input.kind === 'fault') return { fault: { code: 'not a number', message: input.message } };
	const verdict = guard.verdict(members, range);
	if (verdict.kind !== 'enter' && verdict.kind !== 'spread') return { fault: { code: 'may not write', message: verdict.reason } };
	const fact = factPlace(model, members, range);
	if (fact && fact !== 'several years' && !isLeafFigure(model, members)) return enterFacts(scene, entering, input, fact.year);
	if (fact === 'several years')
		return { fault: { code: 'not possible here', message: 'This account has one value a year. Choose a period within one year.' } };
	if (fact && input.kind !== 'clear') {
		// As it is read: at the rate of the last period asked for.
		const last = Math.min(range.to, model.scenario(members[model.scenarioAxis]!)?.span.to ?? range.to);
		const rate = rateAt(model, translatorOf(reader, entering.currency), members, model.factsAt(members)!, last);
		if (isEmpty(rate)) return { fault: missingRate(model, members, entering.currency) };
		const target = input.kind === 'set' ? input.value : changed(shown, input);
		return { changes: [change(scene, members, fact.year, 0, rate === 1 ? target : target / rate)], warning: undefined };
	}
	const cells = leafCells(reader, members, range);
	if (input.kind === 'clear' && isLeafFigure(model, members) && (fact || range.from === range.to)) {
		// The cell itself, whatever it shows: what stands there may say that there is nothing.
		const { fiscalYear, position } = model.periods.leaf(range.from);
		const place = fact ? { year: fact.year, position: 0 } : { year: fiscalYear, position };
		const address = Int32Array.from(members);
		return clear(scene, [{ address, ...place, value: reader.read(address, place.year, place.position), weight: 1 }], input.empties);
	}
	if (input.kind === 'clear') {
		const figure = new FigureTotal(reader, entering, translatorOf(reader, entering.currency));
		return clear(
			scene,
			cells.filter(({ live, address, year, position }) => !live && figure.weight(address, year, position) !== 0),
			input.empties
		);
	}
	if (verdict.kind === 'enter') return enterLeaf(scene, entering, input.kind === 'set' ? input.value : changed(shown, input));
	return enterParent(scene, entering, input, cells);
}

/** Entries go back through the rates they were read at. */
const translatorOf = (reader: Reader, currency: string): Translator =>
	new Translator(reader.model, currency, undefined, reader.ratesInstead);

const changed = (shown: number, input: Extract<EntryInput, { kind: 'change' }>): number => {
	const basis = isEmpty(shown) ? 0 : shown;
	if (input.operator === '*') return basis * input.amount;
	return input.percent ? basis * (1 + input.amount) : basis + input.amount;
};

const change = ({ reader }: EntryScene, members: Address, year: number, position: number, after: number): LeafChange => {
	const address = Int32Array.from(members);
	return { address, year, position, before: reader.read(address, year, position), after };
};

const isLeafFigure = (model: Model, members: Address): boolean =>
	model.dimensions.every((dimension, axis) => dimension.isLeaf(members[axis]!));

/** The facts of a year, or of all time, beneath a figure are set alike: those that stand there, else all it may stand for. */
function enterFacts(
	scene: EntryScene,
	{ members, range, currency, overAll = false, confirmed = false, kept = [] }: Entering,
	input: Exclude<EntryInput, { kind: 'fault' }>,
	year: number
): EnterResult {
	const { reader, guard } = scene;
	const { model, cube } = reader;
	const facts = model.account(members[model.accountAxis]!)!;
	const period = Math.min(range.to, model.scenario(members[model.scenarioAxis]!)?.span.to ?? range.to);
	const under = model.dimensions.map((dimension, axis) => {
		const leaves = new Set<number>();
		dimension.eachWeightedLeaf(members[axis]!, (leaf) => leaves.add(leaf));
		return leaves;
	});
	const addresses = new Map<string, Int32Array>();
	const note = (address: Int32Array) => {
		if (under.every((leaves, axis) => leaves.has(address[axis]!)) && reader.mayRead(address))
			addresses.set(address.join(), address.slice());
	};
	const address = new Int32Array(model.dimensions.length);
	for (const { year: of, block } of cube.store.blocks())
		for (let series = 0; of === year && series < block.count; series++)
			if (isValue(block.values[series * block.width]!)) note(block.readAddress(series, address));
	reader.eachChanged((changed) => note(changed), { year });
	if (addresses.size === 0 && input.kind !== 'clear') {
		const visit = (axis: number): void => {
			if (axis === under.length) return note(address);
			const { kind, unassigned } = model.dimensions[axis]!;
			const only = !overAll && kind === 'general' && under[axis]!.size > 1 && under[axis]!.has(unassigned);
			for (const leaf of only ? [unassigned] : under[axis]!) {
				if (addresses.size > MOST_CELLS) return;
				address[axis] = leaf;
				visit(axis + 1);
			}
		};
		visit(0);
		if (addresses.size > MOST_NEW_CELLS && !confirmed)
			return { fault: { code: 'asks first', message: `This would fill ${addresses.size} cells that are empty now.` } };
	}
	if (addresses.size > MOST_CELLS)
		return { fault: { code: 'too many cells', message: `This would write more than ${MOST_CELLS} cells. Choose a narrower figure.` } };
	const isKept = keptCells(model, kept);
	const place =
		year === 0 ? { year: model.periods.leaf(period).fiscalYear, position: model.periods.leaf(period).position } : { year, position: 0 };
	const cells = [...addresses.values()]
		.map((each) => ({ address: each, year, position: 0, value: reader.read(each, year, 0), weight: 1 }))
		.filter((cell) => guard.leafVerdict(cell.address, period).kind === 'enter' && !isKept({ ...cell, ...place }));
	if (input.kind === 'clear') return clear(scene, cells, input.empties);
	const changes: LeafChange[] = [];
	for (const { address: each, value } of cells) {
		const rate = rateAt(model, translatorOf(reader, currency), each, facts, period);
		if (isEmpty(rate)) return { fault: missingRate(model, each, currency) };
		const after = input.kind === 'set' ? input.value / rate : changed(isEmpty(value) ? value : value * rate, input) / rate;
		changes.push(change(scene, each, year, 0, after));
	}
	if (changes.length === 0) return { fault: { code: 'nothing to spread over', message: 'There is no cell beneath that may change.' } };
	return { changes, warning: undefined };
}

/** Where a yearly or timeless account keeps its values within a run of periods; undefined for accounts with one value a period. */
function factPlace(model: Model, members: Address, range: PeriodRange): { year: number } | 'several years' | undefined {
	const frequency = model.account(members[model.accountAxis]!)?.frequency ?? 'per period';
	if (frequency === 'per period') return undefined;
	if (frequency === 'timeless') return { year: 0 };
	const year = model.periods.leaf(range.from).fiscalYear;
	return model.periods.leaf(range.to).fiscalYear === year ? { year } : 'several years';
}

function enterLeaf(scene: EntryScene, { members, range, currency }: Entering, target: number): EnterResult {
	const { model } = scene.reader;
	const leaf = model.periods.leaf(range.from);
	const account = model.factsAt(members)!;
	const rate = rateAt(model, translatorOf(scene.reader, currency), members, account, range.from);
	if (isEmpty(rate)) return { fault: missingRate(model, members, currency) };
	// Amounts typed in the cell's own currency are kept to the account's decimals; through a rate they stay unrounded.
	const after = rate === 1 ? roundTo(target, Math.max(account.decimals, 6)) : target / rate;
	return { changes: [change(scene, members, leaf.fiscalYear, leaf.position, after)], warning: undefined };
}

function enterParent(
	scene: EntryScene,
	entering: Entering,
	input: Extract<EntryInput, { kind: 'set' | 'change' }>,
	present: LeafCell[]
): EnterResult {
	const { reader, guard } = scene;
	const { model } = reader;
	const { members, range, shown, currency, method = 'in proportion', kept = [], confirmed = false } = entering;
	const figure = new FigureTotal(reader, entering, translatorOf(reader, currency));
	const own = figure.stored(present);
	const counting = [...own, ...present.filter(({ live, address, year, position }) => live && figure.weight(address, year, position) !== 0)];
	let cells = own;
	let patterns: Map<LeafCell, number> | undefined;
	if (method === 'like another') {
		const found = cellsLike(scene, entering, cells);
		if ('fault' in found) return found;
		cells = found.cells;
		patterns = found.patterns;
	} else if (cells.length === 0) cells = emptyCells(scene, entering, figure);
	const behaviours = new Set([...counting, ...cells].map((cell) => model.factsAt(cell.address)?.timeBehaviour));
	if (range.from !== range.to && behaviours.size > 1)
		return {
			fault: {
				code: 'not possible here',
				message: 'Flows and balances lie beneath this figure; enter them one by one, or choose a single month.'
			}
		};
	const added = cells.filter((cell) => isEmpty(cell.value)).length;
	if (cells.length > MOST_CELLS)
		return { fault: { code: 'too many cells', message: `This would write more than ${MOST_CELLS} cells. Choose a narrower figure.` } };
	if (added > MOST_NEW_CELLS && !confirmed)
		return { fault: { code: 'asks first', message: `This would fill ${added} cells that are empty now.` } };
	const isKept = keptCells(model, kept);
	const leaves: SpreadLeaf[] = [];
	for (const cell of cells) {
		const period = model.periods.at(cell.year, cell.position)!.index;
		const rate = figure.rate(cell.address, cell.year, cell.position);
		if (isEmpty(rate)) return { fault: missingRate(model, cell.address, currency) };
		const fixed = isKept(cell) || guard.leafVerdict(cell.address, period).kind !== 'enter';
		leaves.push({ value: cell.value, weight: cell.weight, rate, fixed, ...(patterns ? { pattern: patterns.get(cell) ?? 0 } : {}) });
	}
	const first = cells[0] && model.factsAt(cells[0].address);
	if (currency === 'local' && currenciesOf(model, [...cells, ...counting]).size > 1)
		return {
			fault: {
				code: 'not possible here',
				message: 'Several currencies lie beneath, so there is no local amount to type. Choose a reporting currency.'
			}
		};
	const isCoded = first && ['choice', 'date', 'text'].includes(first.valueType);
	if (first?.consolidation === 'none' && !isCoded && cells.length > 1)
		return {
			fault: {
				code: 'not possible here',
				message: `${model.accounts.member(members[model.accountAxis]!).name} shows nothing above single members and periods. Type it where it is kept.`
			}
		};
	// An average over n periods is met by leaves that add up to n times the target: only periods of the span are there.
	const span = cells[0] ? figure.spanOf(cells[0].address[model.scenarioAxis]!) : range;
	const times = first?.timeBehaviour === 'average' ? span.to - span.from + 1 : 1;
	const target = input.kind === 'set' ? input.value : changed(shown, input);
	const isFed = method !== 'same value' && first?.consolidation === 'sum' && feedsItself(model, cells, figure);
	const outcome =
		first && first.consolidation !== 'sum'
			? alike(scene, cells, leaves, input, shown)
			: isFed
				? spreadWithLive({
						reader,
						figure,
						cells,
						leaves: leaves.map((leaf, place) => {
							const { address, year, position } = cells[place]!;
							return { ...leaf, weight: figure.weight(address, year, position) };
						}),
						target,
						method,
						isKept
					})
				: spread(leaves, target * (method === 'same value' ? 1 : times) - liveBeside(figure, method) * times, first?.decimals ?? 2, method);
	if ('fault' in outcome)
		return {
			fault: {
				code:
					outcome.fault === 'nothing may change'
						? 'may not write'
						: outcome.fault === 'no way to reach it'
							? 'not possible here'
							: 'nothing to spread over',
				message: outcome.message
			}
		};
	const changes = cells.flatMap((cell, index) => {
		const after = outcome.values[index]!;
		// A last value may lie in a period of its own: what stands in the last one is what changes.
		const before = reader.read(cell.address, cell.year, cell.position);
		// A result that is typed over stands as it was worked out, also where it is the same: else it would move along.
		return leaves[index]!.fixed || (after === before && !cell.live) || isEmpty(after)
			? []
			: [{ address: cell.address, year: cell.year, position: cell.position, before, after }];
	});
	return { changes, warning: outcome.warning };
}

/** The local currencies of cells that hold money or prices. */
function currenciesOf(model: Model, cells: readonly LeafCell[]): Set<string> {
	const found = new Set<string>();
	if (model.entityAxis < 0) return found;
	for (const { address } of cells)
		if (isTranslated(model.account(address[model.accountAxis]!)!)) found.add(model.currencyOf(address[model.entityAxis]!));
	return found;
}

/** What live results add to a figure that no leaf of it moves: it stays, and the leaves take the rest. */
function liveBeside(figure: FigureTotal, method: SpreadMethod): number {
	return method === 'same value' || figure.liveAccounts.length === 0 ? 0 : figure.live(undefined, true);
}

/** Whether live results that count in a figure follow from what would be spread over. */
function feedsItself(model: Model, cells: readonly LeafCell[], figure: FigureTotal): boolean {
	const accounts = new Set(cells.map(({ address }) => address[model.accountAxis]!));
	return figure.liveAccounts.some((live) =>
		[...model.live.followedFrom(live)].some((account) => account !== live && accounts.has(account))
	);
}

/**
 * Prices and percents are set alike or scaled, never divided: the leaves that may change take one value, one difference or
 * one factor, such that the figure shows what was typed.
 */
function alike(
	{ reader }: EntryScene,
	cells: readonly LeafCell[],
	leaves: readonly SpreadLeaf[],
	input: Extract<EntryInput, { kind: 'set' | 'change' }>,
	shown: number
): ReturnType<typeof spread> {
	const { model } = reader;
	const free = leaves.filter(({ fixed }) => !fixed);
	if (free.length === 0) return spread(leaves, 0, 6, 'same value');
	const facts = model.account(cells[0]!.address[model.accountAxis]!)!;
	const inFigure = (leaf: SpreadLeaf) => (isEmpty(leaf.value) ? EMPTY : leaf.value * leaf.rate);
	const toOwn = (leaf: SpreadLeaf, value: number) => (leaf.rate === 1 ? roundTo(value, Math.max(facts.decimals, 6)) : value / leaf.rate);
	/** How each leaf counts in the figure: by its weigher, or all the same. */
	const counts = leaves.map((_, place) => weightOfLeaf(reader, facts, cells[place]!));
	const isChange = input.kind === 'change';
	const hasFixed = leaves.some(({ fixed }) => fixed);
	const averaged = facts.consolidation === 'weighted by' || facts.consolidation === 'average';
	if (!hasFixed || !averaged) {
		const next = (leaf: SpreadLeaf) =>
			isChange ? (isEmpty(leaf.value) ? leaf.value : toOwn(leaf, changed(inFigure(leaf), input))) : toOwn(leaf, input.value);
		return { values: leaves.map((leaf) => (leaf.fixed ? leaf.value : next(leaf))), warning: undefined };
	}
	const total = (list: readonly number[]) => list.reduce((one, other) => one + other, 0);
	const present = leaves
		.map((leaf, place) => ({ leaf, count: counts[place]! }))
		.filter(({ leaf, count }) => isValue(leaf.value) && isValue(count));
	const movable = present.filter(({ leaf }) => !leaf.fixed);
	const [whole, weight] = [total(present.map(({ count }) => count)), total(movable.map(({ count }) => count))];
	const goal = isChange ? changed(shown, input) : input.value;
	const rest = goal * whole - total(present.filter(({ leaf }) => leaf.fixed).map(({ leaf, count }) => inFigure(leaf) * count));
	if (weight === 0)
		return { fault: 'nothing may change', message: 'What may change beneath has no weight here, so it cannot move this figure.' };
	const standing = total(movable.map(({ leaf, count }) => inFigure(leaf) * count));
	const next = (leaf: SpreadLeaf): number => {
		if (!isChange) return toOwn(leaf, rest / weight);
		if (isEmpty(leaf.value)) return leaf.value;
		if (input.operator === '+' && !input.percent) return toOwn(leaf, inFigure(leaf) + (rest - standing) / weight);
		return standing === 0 ? leaf.value : toOwn(leaf, (inFigure(leaf) * rest) / standing);
	};
	return { values: leaves.map((leaf) => (leaf.fixed ? leaf.value : next(leaf))), warning: undefined };
}

/** What a price counts with in its total: 1, or the value of the account that weighs it at the same cell. */
function weightOfLeaf({ model, read }: Reader, facts: AccountDefinition, { address, year, position }: LeafCell): number {
	const weigher =
		typeof facts.weight === 'number' && facts.consolidation === 'weighted by' ? model.accounts.ordinal(facts.weight) : undefined;
	if (weigher === undefined) return 1;
	return new LeafReader(model, read).value(address.with(model.accountAxis, weigher), year, position);
}

/** Whether a leaf cell lies under one of the figures that keep their values. */
function keptCells(model: Model, kept: readonly Figure[]): (cell: LeafCell) => boolean {
	const figures = kept.map(({ members, range }) => ({
		range,
		leaves: model.dimensions.map((dimension, axis) => new Set(dimension.leavesOf(members[axis]!)))
	}));
	return ({ address, year, position }) => {
		const period = model.periods.at(year, position)!.index;
		return figures.some(
			({ range, leaves }) => period >= range.from && period <= range.to && leaves.every((under, axis) => under.has(address[axis]!))
		);
	};
}

/** The leaf cells that correspond to those of another figure, with what each of these pushes. Its own cells elsewhere go to nothing. */
function cellsLike(
	{ reader }: EntryScene,
	{ members, range, currency, like }: Entering,
	own: LeafCell[]
): { cells: LeafCell[]; patterns: Map<LeafCell, number> } | { fault: EnterFault } {
	const { model } = reader;
	if (!like) return { fault: { code: 'nothing to spread over', message: 'Choose the figure whose proportions are to be taken.' } };
	const moved = model.dimensions.map(
		(dimension, axis) =>
			members[axis] !== like.members[axis] && {
				to: members[axis]!,
				leaf: dimension.isLeaf(members[axis]!) && dimension.isLeaf(like.members[axis]!)
			}
	);
	if (moved.some((each) => each && !each.leaf))
		return {
			fault: { code: 'not possible here', message: 'The two figures may differ in single members only, such as scenario, year or account.' }
		};
	const shift = range.from - like.range.from;
	const known = new Map(own.map((cell) => [`${cell.address.join()} ${cell.year} ${cell.position}`, cell]));
	const translator = translatorOf(reader, currency);
	const patterns = new Map<LeafCell, number>();
	for (const cell of leafCells(reader, like.members, like.range)) {
		const period = model.periods.at(cell.year, cell.position)!.index;
		const rate = rateAt(model, translator, cell.address, model.factsAt(cell.address)!, period);
		const leaf = model.periods.leaves[period + shift];
		if (!leaf || leaf.index < range.from || leaf.index > range.to || isEmpty(rate)) continue;
		const address = cell.address.map((ordinal, axis) => (moved[axis] ? moved[axis].to : ordinal));
		const key = `${address.join()} ${leaf.fiscalYear} ${leaf.position}`;
		let target = known.get(key);
		if (!target) known.set(key, (target = { address, year: leaf.fiscalYear, position: leaf.position, value: EMPTY, weight: cell.weight }));
		patterns.set(target, (patterns.get(target) ?? 0) + cell.value * rate * cell.weight);
	}
	return { cells: [...known.values()], patterns };
}

/**
 * Where nothing is yet: the unassigned leaf of general dimensions (all leaves when asked), every writable leaf of the others, and every period
 * (the last for balances).
 */
function emptyCells({ reader, guard }: EntryScene, { members, range, overAll = false }: Entering, figure: FigureTotal): LeafCell[] {
	const { model } = reader;
	const choices = model.dimensions.map((dimension, axis) => {
		const leaves: { leaf: number; weight: number }[] = [];
		dimension.eachWeightedLeaf(members[axis]!, (leaf, weight) => leaves.push({ leaf, weight }));
		const unassigned = leaves.filter(({ leaf }) => leaf === dimension.unassigned);
		if (!overAll && dimension.kind === 'general' && leaves.length > 1 && unassigned.length > 0) return unassigned;
		return leaves;
	});
	const cells: LeafCell[] = [];
	const address = new Int32Array(choices.length);
	const visit = (axis: number, weight: number): void => {
		if (axis < choices.length) {
			for (const choice of choices[axis]!) {
				address[axis] = choice.leaf;
				visit(axis + 1, weight * choice.weight);
			}
			return;
		}
		if (cells.length > MOST_CELLS) return;
		for (let index = range.from; index <= range.to; index++) {
			const leaf = model.periods.leaf(index);
			if (figure.weight(address, leaf.fiscalYear, leaf.position) === 0 || guard.leafVerdict(address, index).kind !== 'enter') continue;
			cells.push({ address: address.slice(), year: leaf.fiscalYear, position: leaf.position, value: EMPTY, weight });
		}
	};
	visit(0, 1);
	return cells;
}

/** Takes entries away; what they set aside shows again. Cells without an entry or a draft stay as they are. */
function clear({ reader, guard }: EntryScene, cells: LeafCell[], empties = false): EnterResult {
	const { model, cube } = reader;
	const changes: LeafChange[] = [];
	let kept = 0;
	for (const cell of cells) {
		const period = model.periods.at(cell.year, cell.position)?.index ?? factPeriod(model, cell.address);
		if (guard.leafVerdict(cell.address, period).kind !== 'enter') {
			kept++;
			continue;
		}
		const hasEntry = cube
			.contributions(cell.address, cell.year, cell.position)
			.some(({ origin }) => model.origin(origin)?.mode === 'entry');
		if (empties && isValue(reader.withoutEntry(cell.address, cell.year, cell.position)))
			changes.push({ ...cell, before: cell.value, after: NOTHING });
		else if (hasEntry) changes.push({ ...cell, before: cell.value, after: CLEARED });
		else if (isValue(reader.changed(cell.address, cell.year, cell.position))) changes.push({ ...cell, before: cell.value, after: EMPTY });
	}
	if (changes.length === 0 && kept === 0 && cells.some(({ value }) => isValue(value)))
		return {
			fault: {
				code: 'not possible here',
				message: 'This figure was loaded, not typed, so there is no entry to take away. Type 0 to make it zero.'
			}
		};
	return { changes, warning: kept > 0 ? `${kept} closed cells beneath kept their values.` : undefined };
}

/** What one unit of a cell's currency is worth in the reader's; empty where the rate is missing. */
function rateAt(model: Model, translator: Translator, address: Address, account: AccountDefinition, period: number): number {
	const entity = model.entityAxis < 0 ? -1 : address[model.entityAxis]!;
	const factors = translator.factors(account, entity, address[model.scenarioAxis]!);
	return factors ? factors[period]! : 1;
}

function missingRate(model: Model, address: Address, currency: string): EnterFault {
	return {
		code: 'missing rate',
		message: `There is no rate from ${currency} to ${model.currencyOf(address[model.entityAxis]!)} here, so the amount cannot be stored. Enter it in the local currency.`
	};
}
