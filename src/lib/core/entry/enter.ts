import type { WriteGuard } from '../access';
import type { PeriodRange } from '../calendar';
import { CLEARED, leafCells, Translator, type Address, type Cube, type LeafCell, type Overlay } from '../cube';
import type { AccountDefinition, Model } from '../model';
import { EMPTY, isEmpty, isValue, roundTo } from '../number';
import type { EntryInput } from './parse';
import { spread, type SpreadLeaf, type SpreadMethod } from './spread';

/** A leaf cell a person's entry changes; `CLEARED` takes the entry away. */
export interface LeafChange {
	address: Int32Array;
	year: number;
	position: number;
	before: number;
	after: number;
}

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
	model: Model;
	cube: Cube;
	overlay: Overlay;
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
	const { model, cube, overlay, guard } = scene;
	const { members, range, shown, input } = entering;
	if (input.kind === 'fault') return { fault: { code: 'not a number', message: input.message } };
	const verdict = guard.verdict(members, range);
	if (verdict.kind !== 'enter' && verdict.kind !== 'spread') return { fault: { code: 'may not write', message: verdict.reason } };
	const fact = factPlace(model, members, range);
	if (fact === 'several years')
		return { fault: { code: 'not possible here', message: 'This account has one value a year. Choose a period within one year.' } };
	if (fact && input.kind !== 'clear') {
		// As it is read: at the rate of the last period asked for.
		const last = Math.min(range.to, model.scenario(members[model.scenarioAxis]!)?.span.to ?? range.to);
		const rate = rateAt(
			model,
			new Translator(model, entering.currency, undefined),
			members,
			model.account(members[model.accountAxis]!)!,
			last
		);
		if (isEmpty(rate)) return { fault: missingRate(model, members, entering.currency) };
		const target = input.kind === 'set' ? input.value : changed(shown, input);
		return { changes: [change(scene, members, fact.year, 0, rate === 1 ? target : target / rate)], warning: undefined };
	}
	const cells = leafCells(model, cube, overlay, members, range);
	if (input.kind === 'clear') return clear(scene, cells);
	if (verdict.kind === 'enter') return enterLeaf(scene, entering, input.kind === 'set' ? input.value : changed(shown, input));
	return enterParent(scene, entering, input, cells);
}

const changed = (shown: number, input: Extract<EntryInput, { kind: 'change' }>): number => {
	const basis = isEmpty(shown) ? 0 : shown;
	if (input.operator === '*') return basis * input.amount;
	return input.percent ? basis * (1 + input.amount) : basis + input.amount;
};

const change = ({ cube, overlay }: EntryScene, members: Address, year: number, position: number, after: number): LeafChange => {
	const address = Int32Array.from(members);
	return { address, year, position, before: overlay.read(cube, address, year, position), after };
};

/** Where a yearly or timeless account keeps the value of a leaf figure; undefined for accounts with one value a period. */
function factPlace(model: Model, members: Address, range: PeriodRange): { year: number } | 'several years' | undefined {
	const frequency = model.account(members[model.accountAxis]!)?.frequency ?? 'per period';
	if (frequency === 'per period' || !model.dimensions.every((dimension, axis) => dimension.isLeaf(members[axis]!))) return undefined;
	if (frequency === 'timeless') return { year: 0 };
	const year = model.periods.leaf(range.from).fiscalYear;
	return model.periods.leaf(range.to).fiscalYear === year ? { year } : 'several years';
}

function enterLeaf(scene: EntryScene, { members, range, currency }: Entering, target: number): EnterResult {
	const { model } = scene;
	const leaf = model.periods.leaf(range.from);
	const account = model.account(members[model.accountAxis]!)!;
	const rate = rateAt(model, new Translator(model, currency, undefined), members, account, range.from);
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
	const { model, guard } = scene;
	const { members, range, shown, currency, method = 'in proportion', kept = [], overAll = false, confirmed = false } = entering;
	const behaviours = new Set(present.map((cell) => model.account(cell.address[model.accountAxis]!)?.timeBehaviour));
	if (range.from !== range.to && behaviours.size > 1)
		return {
			fault: {
				code: 'not possible here',
				message: 'Flows and balances lie beneath this figure; enter them one by one, or choose a single month.'
			}
		};
	let cells = restrictToEntryPeriods(model, present, range);
	let patterns: Map<LeafCell, number> | undefined;
	if (method === 'like another') {
		const found = cellsLike(scene, entering, cells);
		if ('fault' in found) return found;
		cells = found.cells;
		patterns = found.patterns;
	} else if (cells.length === 0) cells = emptyCells(model, guard, members, range, overAll);
	const added = cells.filter((cell) => isEmpty(cell.value)).length;
	if (cells.length > MOST_CELLS)
		return { fault: { code: 'too many cells', message: `This would write more than ${MOST_CELLS} cells. Choose a narrower figure.` } };
	if (added > MOST_NEW_CELLS && !confirmed)
		return { fault: { code: 'asks first', message: `This would fill ${added} cells that are empty now.` } };
	const translator = new Translator(model, currency, undefined);
	const isKept = keptCells(model, kept);
	const leaves: SpreadLeaf[] = [];
	for (const cell of cells) {
		const account = model.account(cell.address[model.accountAxis]!)!;
		const period = model.periods.at(cell.year, cell.position)!.index;
		const rate = rateAt(model, translator, cell.address, account, period);
		if (isEmpty(rate)) return { fault: missingRate(model, cell.address, currency) };
		const fixed = isKept(cell) || guard.leafVerdict(cell.address, period).kind !== 'enter';
		leaves.push({ value: cell.value, weight: cell.weight, rate, fixed, ...(patterns ? { pattern: patterns.get(cell) ?? 0 } : {}) });
	}
	const first = cells[0] && model.account(cells[0].address[model.accountAxis]!);
	const outcome =
		first && first.consolidation !== 'sum'
			? alike(leaves, input)
			: // An average over n periods is met by leaves that add up to n times the target.
				spread(
					leaves,
					(input.kind === 'set' ? input.value : changed(shown, input)) *
						(first?.timeBehaviour === 'average' ? range.to - range.from + 1 : 1),
					first?.decimals ?? 2,
					method
				);
	if ('fault' in outcome)
		return {
			fault: { code: outcome.fault === 'nothing may change' ? 'may not write' : 'nothing to spread over', message: outcome.message }
		};
	const changes = cells.flatMap((cell, index) => {
		const after = outcome.values[index]!;
		return leaves[index]!.fixed || after === cell.value || isEmpty(after)
			? []
			: [{ address: cell.address, year: cell.year, position: cell.position, before: cell.value, after }];
	});
	return { changes, warning: outcome.warning };
}

/** Prices and percents are set alike or scaled, never divided. */
function alike(leaves: readonly SpreadLeaf[], input: Extract<EntryInput, { kind: 'set' | 'change' }>): ReturnType<typeof spread> {
	if (input.kind === 'set')
		return spread(
			leaves.map((leaf) => ({ ...leaf, rate: 1 })),
			input.value,
			6,
			'same value'
		);
	if (leaves.every(({ fixed }) => fixed)) return spread(leaves, 0, 6, 'same value');
	return {
		values: leaves.map((leaf) => (leaf.fixed || isEmpty(leaf.value) ? leaf.value : changed(leaf.value, input))),
		warning: undefined
	};
}

/** Whether a leaf cell lies under one of the figures that keep their values. */
function keptCells(model: Model, kept: readonly Figure[]): (cell: LeafCell) => boolean {
	return ({ address, year, position }) => {
		const period = model.periods.at(year, position)!.index;
		return kept.some(
			({ members, range }) =>
				period >= range.from &&
				period <= range.to &&
				model.dimensions.every((dimension, axis) => dimension.tree.isUnder(address[axis]!, members[axis]!))
		);
	};
}

/** The leaf cells that correspond to those of another figure, with what each of these pushes. Its own cells elsewhere go to nothing. */
function cellsLike(
	{ model, cube, overlay }: EntryScene,
	{ members, range, currency, like }: Entering,
	own: LeafCell[]
): { cells: LeafCell[]; patterns: Map<LeafCell, number> } | { fault: EnterFault } {
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
	const translator = new Translator(model, currency, undefined);
	const patterns = new Map<LeafCell, number>();
	for (const cell of leafCells(model, cube, overlay, like.members, like.range)) {
		const period = model.periods.at(cell.year, cell.position)!.index;
		const rate = rateAt(model, translator, cell.address, model.account(cell.address[model.accountAxis]!)!, period);
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

/** Balances are entered in the last (opening: the first) period of the figure, everything else in all of them. */
function restrictToEntryPeriods(model: Model, cells: LeafCell[], range: PeriodRange): LeafCell[] {
	return cells.filter((cell) => {
		const behaviour = model.account(cell.address[model.accountAxis]!)?.timeBehaviour;
		const index = model.periods.at(cell.year, cell.position)!.index;
		const span = model.scenario(cell.address[model.scenarioAxis]!)?.span ?? range;
		if (behaviour === 'closing') return index === Math.min(range.to, span.to);
		if (behaviour === 'opening') return index === Math.max(range.from, span.from);
		return true;
	});
}

/**
 * Where nothing is yet: the unassigned leaf of general dimensions (all leaves when asked), every writable leaf of the others, and every period
 * (the last for balances).
 */
function emptyCells(model: Model, guard: WriteGuard, members: Address, range: PeriodRange, overAll: boolean): LeafCell[] {
	const choices = model.dimensions.map((dimension, axis) => {
		const leaves: { leaf: number; weight: number }[] = [];
		dimension.eachWeightedLeaf(members[axis]!, (leaf, weight) => leaves.push({ leaf, weight }));
		const unassigned = leaves.filter(({ leaf }) => leaf === dimension.unassigned);
		if (!overAll && dimension.kind === 'general' && leaves.length > 1 && unassigned.length > 0) return unassigned;
		if (axis !== model.accountAxis) return leaves;
		return leaves.filter(({ leaf }) => model.account(leaf)?.consolidation === 'sum' && !model.formula(leaf));
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
			if (guard.leafVerdict(address, index).kind !== 'enter') continue;
			const leaf = model.periods.leaf(index);
			cells.push({ address: address.slice(), year: leaf.fiscalYear, position: leaf.position, value: EMPTY, weight });
		}
	};
	visit(0, 1);
	return restrictToEntryPeriods(model, cells, range);
}

/** Takes entries away; what they set aside shows again. Cells without an entry or a draft stay as they are. */
function clear({ model, cube, overlay, guard }: EntryScene, cells: LeafCell[]): EnterResult {
	const changes: LeafChange[] = [];
	let kept = 0;
	for (const cell of cells) {
		const period = model.periods.at(cell.year, cell.position)!.index;
		if (guard.leafVerdict(cell.address, period).kind !== 'enter') {
			kept++;
			continue;
		}
		const hasEntry = cube
			.contributions(cell.address, cell.year, cell.position)
			.some(({ origin }) => model.origin(origin)?.mode === 'entry');
		if (hasEntry) changes.push({ ...cell, before: cell.value, after: CLEARED });
		else if (isValue(overlay.get(cell.address, cell.year, cell.position))) changes.push({ ...cell, before: cell.value, after: EMPTY });
	}
	if (changes.length === 0 && kept === 0 && cells.length > 0)
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
