import { rateUse, SeriesStore, translationFactors } from '../cube';
import type { Model } from '../model';

/** Noise of differences of decimal amounts is cut here: a hundred-millionth of a unit. */
const PRECISION = 1e8;

/**
 * Turns amounts run up since the start of the fiscal year into each period's own, in place: what a period's amount
 * exceeds the one before it by. The one before comes from the file where it has that period, else from what this import
 * had stored. A balance that is no longer in the file has become 0: it is taken back out, since the file states its
 * periods in full. Flow accounts only; the others (closing balances, prices) are what they are at the period's end.
 * O(series × periods).
 * @param loaded what the file says, by cell
 * @param stored what this import holds, movements
 * @param periods leaf periods (indexes) the file speaks about
 */
export function differenceToDate(
	model: Model,
	loaded: SeriesStore,
	stored: SeriesStore,
	periods: ReadonlySet<number>,
	covers: (address: Int32Array) => boolean
): void {
	const address = new Int32Array(model.dimensions.length);
	const byYear = new Map<number, number[]>();
	for (const index of [...periods].sort((a, b) => a - b)) {
		const { fiscalYear, position } = model.periods.leaf(index);
		byYear.set(fiscalYear, [...(byYear.get(fiscalYear) ?? []), position]);
	}
	const isFlow = () => model.factsAt(address)?.timeBehaviour === 'flow';
	// Balances that have left the file need a place to be taken out at.
	for (const { year, block } of stored.blocks()) {
		if (!byYear.has(year)) continue;
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			if (isFlow() && covers(address)) loaded.ensureBlockOf(address, year).ensure(address);
		}
	}
	for (const { year, block } of loaded.blocks()) {
		const positions = byYear.get(year) ?? [];
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			if (!isFlow()) continue;
			const before = stored.blockOf(address, year);
			const standing = before ? before.find(address) : -1;
			let runUp = 0;
			let next = 0;
			for (let position = 0; position < block.width; position++) {
				const place = series * block.width + position;
				if (positions[next] === position) {
					next++;
					const stated = block.values[place]!;
					const toDate = stated === stated ? stated : 0;
					const movement = Math.round((toDate - runUp) * PRECISION) / PRECISION;
					block.values[place] = stated === stated || movement !== 0 ? movement : Number.NaN;
					runUp = toDate;
				} else if (standing >= 0) {
					const own = before!.values[standing * block.width + position]!;
					if (own === own) runUp += own;
				}
			}
		}
	}
}

/**
 * The same for a file whose amounts are in several currencies: what a period adds is found in the currency the amounts are
 * written in, and then translated at the rates of that period. Amounts run up do not translate: their months had other rates.
 * @param loaded what the file says, translated, by cell; the movements are put into it
 * @param written the same before it was translated, by currency
 */
export function differenceToDateInCurrencies(
	model: Model,
	loaded: SeriesStore,
	written: ReadonlyMap<string, SeriesStore>,
	stored: SeriesStore,
	periods: ReadonlySet<number>,
	covers: (address: Int32Array) => boolean
): void {
	const address = new Int32Array(model.dimensions.length);
	const factors = new Map<string, Float64Array>();
	/** What one unit of a currency is worth at the address, period by period. */
	const factorsFrom = (currency: string): Float64Array | undefined => {
		const local = model.entityAxis < 0 ? model.definition.reportingCurrency : model.currencyOf(address[model.entityAxis]!);
		const account = model.factsAt(address);
		if (!account || currency === local) return undefined;
		const scenario = address[model.scenarioAxis]!;
		const key = `${currency} ${local} ${rateUse(account)} ${scenario}`;
		let known = factors.get(key);
		if (!known) {
			const setAt = (period: number) => model.rateSetAt(scenario, period);
			factors.set(key, (known = translationFactors(model, currency, local, setAt, rateUse(account))));
		}
		return known;
	};
	const empty = () => new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
	const isFlow = () => model.factsAt(address)?.timeBehaviour === 'flow';
	// What only stood before, and is no longer in the file, goes in the currency it is kept in.
	const left = empty();
	for (const { year, block } of stored.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			if (isFlow() && covers(address) && (loaded.blockOf(address, year)?.find(address) ?? -1) < 0)
				left.ensureBlockOf(address, year).ensure(address);
		}
	differenceToDate(model, left, stored, periods, () => false);
	for (const { block } of loaded.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			if (isFlow()) block.values.fill(Number.NaN, series * block.width, (series + 1) * block.width);
		}
	const add = (from: SeriesStore, currency: string | undefined) => {
		for (const { year, block } of from.blocks())
			for (let series = 0; series < block.count; series++) {
				block.readAddress(series, address);
				if (!isFlow()) continue;
				const own = currency === undefined ? undefined : factorsFrom(currency);
				const into = loaded.ensureBlockOf(address, year);
				const at = into.ensure(address);
				for (let position = 0; position < block.width; position++) {
					const value = block.values[series * block.width + position]!;
					if (value !== value) continue;
					const place = at * into.width + position;
					const before = into.values[place]!;
					const amount = own ? value * own[model.periods.at(year, position)!.index]! : value;
					into.values[place] = before === before ? before + amount : amount;
				}
			}
	};
	add(left, undefined);
	for (const [currency, store] of written) {
		// What stood before, as it was in this currency.
		const before = empty();
		for (const { year, block } of store.blocks())
			for (let series = 0; series < block.count; series++) {
				block.readAddress(series, address);
				const there = stored.blockOf(address, year);
				const at = there ? there.find(address) : -1;
				if (at < 0 || isInAnother(written, currency, address, year)) continue;
				const own = factorsFrom(currency);
				const into = before.ensureBlockOf(address, year);
				const place = into.ensure(address);
				for (let position = 0; position < into.width; position++) {
					const value = there!.values[at * into.width + position]!;
					into.values[place * into.width + position] = own ? value / own[model.periods.at(year, position)?.index ?? 0]! : value;
				}
			}
		differenceToDate(model, store, before, periods, () => false);
		add(store, currency);
	}
}

/** Whether a currency before this one has the address too: then that one goes on from what stood before. */
function isInAnother(written: ReadonlyMap<string, SeriesStore>, currency: string, address: Int32Array, year: number): boolean {
	for (const [other, store] of written) {
		if (other === currency) return false;
		if ((store.blockOf(address, year)?.find(address) ?? -1) >= 0) return true;
	}
	return false;
}
