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
	code: 'not a number' | 'may not write' | 'nothing to spread over' | 'missing rate' | 'too many cells' | 'not possible here';
	message: string;
}

export type EnterResult = { changes: LeafChange[]; warning: string | undefined } | { fault: EnterFault };

/** More new cells than this from one entry are refused. */
const MOST_CELLS = 50_000;

/**
 * The leaf changes of one entry at a cell of any level.
 * @param members one ordinal per dimension; range the leaf periods of the cell
 * @param shown the figure that stands there in the reader's currency
 * @param currency the reader's currency, or `local`
 */
export function enter(
	{ model, cube, overlay, guard }: { model: Model; cube: Cube; overlay: Overlay; guard: WriteGuard },
	{
		members,
		range,
		shown,
		currency,
		input,
		method = 'in proportion'
	}: { members: Address; range: PeriodRange; shown: number; currency: string; input: EntryInput; method?: SpreadMethod }
): EnterResult {
	if (input.kind === 'fault') return { fault: { code: 'not a number', message: input.message } };
	const verdict = guard.verdict(members, range);
	if (verdict.kind !== 'enter' && verdict.kind !== 'spread') return { fault: { code: 'may not write', message: verdict.reason } };
	const cells = leafCells(model, cube, overlay, members, range);
	if (input.kind === 'clear') return clear(model, cube, overlay, guard, cells);
	const target = input.kind === 'set' ? input.value : changed(shown, input);
	if (verdict.kind === 'enter') return enterLeaf(model, cube, overlay, members, range, currency, target);
	return enterParent(model, guard, cells, members, range, currency, target, method);
}

const changed = (shown: number, input: Extract<EntryInput, { kind: 'change' }>): number => {
	const basis = isEmpty(shown) ? 0 : shown;
	if (input.operator === '*') return basis * input.amount;
	return input.percent ? basis * (1 + input.amount) : basis + input.amount;
};

function enterLeaf(
	model: Model,
	cube: Cube,
	overlay: Overlay,
	members: Address,
	range: PeriodRange,
	currency: string,
	target: number
): EnterResult {
	const leaf = model.periods.leaf(range.from);
	const account = model.account(members[model.accountAxis]!)!;
	const rate = rateAt(model, new Translator(model, currency, undefined), members, account, range.from);
	if (isEmpty(rate)) return { fault: missingRate(model, members, currency) };
	const address = Int32Array.from(members);
	// Amounts typed in the cell's own currency are kept to the account's decimals; through a rate they stay unrounded.
	const after = rate === 1 ? roundTo(target, Math.max(account.decimals, 6)) : target / rate;
	return {
		changes: [
			{
				address,
				year: leaf.fiscalYear,
				position: leaf.position,
				before: overlay.read(cube, address, leaf.fiscalYear, leaf.position),
				after
			}
		],
		warning: undefined
	};
}

function enterParent(
	model: Model,
	guard: WriteGuard,
	present: LeafCell[],
	members: Address,
	range: PeriodRange,
	currency: string,
	target: number,
	method: SpreadMethod
): EnterResult {
	const kinds = new Set(present.map((cell) => model.account(cell.address[model.accountAxis]!)).filter((account) => account !== undefined));
	const behaviours = new Set([...kinds].map((account) => account.timeBehaviour));
	if (range.from !== range.to && behaviours.size > 1)
		return {
			fault: {
				code: 'not possible here',
				message: 'Flows and balances lie beneath this figure; enter them one by one, or choose a single month.'
			}
		};
	let cells = restrictToEntryPeriods(model, present, range);
	if (cells.length === 0) cells = emptyCells(model, guard, members, range);
	if (cells.length > MOST_CELLS)
		return {
			fault: {
				code: 'too many cells',
				message: `This would write ${cells.length} cells; the limit is ${MOST_CELLS}. Choose a narrower figure.`
			}
		};
	const leaves: SpreadLeaf[] = [];
	const translator = new Translator(model, currency, undefined);
	for (const cell of cells) {
		const account = model.account(cell.address[model.accountAxis]!)!;
		const period = model.periods.at(cell.year, cell.position)!.index;
		const rate = rateAt(model, translator, cell.address, account, period);
		if (isEmpty(rate)) return { fault: missingRate(model, cell.address, currency) };
		leaves.push({ value: cell.value, weight: cell.weight, rate, fixed: guard.leafVerdict(cell.address, period).kind !== 'enter' });
	}
	const first = cells[0] && model.account(cells[0].address[model.accountAxis]!);
	// An average over n periods is met by leaves that add up to n times the target.
	const averaged = first?.timeBehaviour === 'average' ? range.to - range.from + 1 : 1;
	const alike = first !== undefined && first.consolidation !== 'sum';
	const outcome = spread(leaves, target * averaged, first?.decimals ?? 2, alike ? 'same value' : method);
	if ('fault' in outcome)
		return {
			fault: { code: outcome.fault === 'nothing may change' ? 'may not write' : 'nothing to spread over', message: outcome.message }
		};
	const changes = cells.flatMap((cell, index) => {
		const after = outcome.values[index]!;
		return leaves[index]!.fixed || after === cell.value
			? []
			: [{ address: cell.address, year: cell.year, position: cell.position, before: cell.value, after }];
	});
	return { changes, warning: outcome.warning };
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
 * Where nothing is yet: the unassigned leaf of general dimensions, every writable leaf of the others, and every period
 * (the last for balances).
 */
function emptyCells(model: Model, guard: WriteGuard, members: Address, range: PeriodRange): LeafCell[] {
	const choices = model.dimensions.map((dimension, axis) => {
		const leaves: { leaf: number; weight: number }[] = [];
		dimension.eachWeightedLeaf(members[axis]!, (leaf, weight) => leaves.push({ leaf, weight }));
		const unassigned = leaves.filter(({ leaf }) => leaf === dimension.unassigned);
		if (dimension.kind === 'general' && leaves.length > 1 && unassigned.length > 0) return unassigned;
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
function clear(model: Model, cube: Cube, overlay: Overlay, guard: WriteGuard, cells: LeafCell[]): EnterResult {
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
