import type { Model } from '../model';
import { EMPTY, isEmpty, isValue, Sum } from '../number';
import type { Address } from '../cell';

/** Held by a result, or by an entry of a choice, date or text: it sets aside what stands beneath it, and nothing shows. */
export const NOTHING = Number.POSITIVE_INFINITY;

/** The stamp of what is being written and has no revision yet: newer than everything. */
export const NOW = Number.MAX_SAFE_INTEGER;

/** What one origin holds at a cell, and when that was written: a revision of the model, or `NOW`. */
export interface Contribution {
	origin: number;
	value: number;
	stamp: number;
}

/** Whether an account's loads and additions add up (money, quantities) or the newest stands alone (percents, prices…). */
export function addsUp(model: Model, account: number): boolean {
	const type = model.account(account)?.valueType;
	return type === undefined || type === 'money' || type === 'quantity';
}

/**
 * The value of a cell: the entry if there is one; else the newest of loads and results, where loads stand together and of
 * one runbook's results the lowest step stands; plus the additions. Where values do not add up, the entry or else the
 * newest stands alone. Where entries adjust, they add to what stands beneath them.
 * @param contributions of all origins, empty values among them
 */
export function standing(model: Model, account: number, contributions: readonly Contribution[]): number {
	const adding = addsUp(model, account);
	let entry = EMPTY;
	let newest: Contribution | undefined;
	let additions = EMPTY;
	for (const each of contributions) {
		if (isEmpty(each.value)) continue;
		switch (modeOf(model, each.origin)) {
			case 'entry':
				entry = each.value;
				break;
			case 'adds':
				additions = plus(additions, each.value);
				break;
			default:
				if (!newest || isNewer(model, each, newest)) newest = each;
		}
	}
	// An entry may say that there is nothing, of what does not add up.
	if (entry === NOTHING) return EMPTY;
	if (isValue(entry) && !(adding && adjusts(model, account))) return adding ? plus(entry, additions) : entry;
	const base = newest ? baseOf(model, contributions, newest, adding) : EMPTY;
	return adding ? plus(plus(base, entry), additions) : base;
}

/** What stands beneath entries and additions, where the newest of loads and results is known. */
function baseOf(model: Model, contributions: readonly Contribution[], newest: Contribution, adding: boolean): number {
	if (modeOf(model, newest.origin) === 'sets') {
		const value = lowestStep(model, contributions, newest).value;
		return value === NOTHING ? EMPTY : value;
	}
	if (!adding) return newest.value;
	const loads = new Sum();
	for (const { origin, value } of contributions) if (isValue(value) && modeOf(model, origin) === 'loads') loads.add(value);
	return loads.value;
}

/** Within one runbook the lower step stands, whenever it ran; of one step's results the newest. */
function lowestStep(model: Model, contributions: readonly Contribution[], newest: Contribution): Contribution {
	const own = model.origin(newest.origin)?.result;
	if (!own || own.runbook === null) return newest;
	let lowest = newest;
	for (const each of contributions) {
		if (isEmpty(each.value) || modeOf(model, each.origin) !== 'sets') continue;
		const result = model.origin(each.origin)!.result;
		if (result?.runbook !== own.runbook) continue;
		const rank = model.origin(lowest.origin)!.result!.rank;
		if (result.rank > rank || (result.rank === rank && each.stamp > lowest.stamp)) lowest = each;
	}
	return lowest;
}

/** The origins whose values show in a cell; the others are set aside. */
export function standingOrigins(model: Model, account: number, contributions: readonly Contribution[]): Set<number> {
	const adding = addsUp(model, account);
	const present = contributions.filter(({ value }) => isValue(value));
	const of = (mode: string) => present.filter(({ origin }) => modeOf(model, origin) === mode);
	const shown = new Set(adding ? of('adds').map(({ origin }) => origin) : []);
	const entry = of('entry')[0];
	if (entry) shown.add(entry.origin);
	if (entry && !(adding && adjusts(model, account))) return shown;
	let newest: Contribution | undefined;
	for (const each of [...of('loads'), ...of('sets')]) if (!newest || isNewer(model, each, newest)) newest = each;
	if (!newest) return shown;
	if (modeOf(model, newest.origin) === 'sets') shown.add(lowestStep(model, present, newest).origin);
	else for (const { origin } of adding ? of('loads') : [newest]) shown.add(origin);
	return shown;
}

/** Whether a load or result is newer than another; of equally new ones a result, then the one with the larger number. */
function isNewer(model: Model, one: Contribution, other: Contribution): boolean {
	if (one.stamp !== other.stamp) return one.stamp > other.stamp;
	const [first, second] = [modeOf(model, one.origin), modeOf(model, other.origin)];
	return first === second ? one.origin > other.origin : first === 'sets';
}

/** How an origin counts; what has none is taken for a load. */
export const modeOf = (model: Model, origin: number) => model.origin(origin)?.mode ?? 'loads';

/** Whether entries of an account add to what stands beneath them. */
export const adjusts = (model: Model, account: number): boolean => model.account(account)?.entriesAdjust === true && addsUp(model, account);

const plus = (one: number, other: number): number => (isEmpty(one) ? other : isEmpty(other) ? one : one + other);

/** A cell's contributions with the value without its entry, and what of it adds to whatever is typed. */
export interface Beneath {
	contributions(address: Address, year: number, position: number): Contribution[];
}

/** What a cell shows without its entry. */
export function withoutEntry(model: Model, cube: Beneath, address: Address, year: number, position: number): number {
	const others = cube.contributions(address, year, position).filter(({ origin }) => modeOf(model, origin) !== 'entry');
	return standing(model, address[model.accountAxis]!, others);
}

/** What is to be stored as the entry so that the cell shows `typed`: additions, or all beneath it where entries adjust, stay. */
export function entryFor(model: Model, cube: Beneath, address: Address, year: number, position: number, typed: number): number {
	const account = address[model.accountAxis]!;
	if (!addsUp(model, account)) return typed;
	const others = cube.contributions(address, year, position).filter(({ origin }) => modeOf(model, origin) !== 'entry');
	const stays = adjusts(model, account) ? others : others.filter(({ origin }) => modeOf(model, origin) === 'adds');
	const value = standing(model, account, stays);
	return isEmpty(value) ? typed : typed - value;
}
