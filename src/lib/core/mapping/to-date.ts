import type { SeriesStore } from '../cube';
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
	const isFlow = () => model.account(address[model.accountAxis]!)?.timeBehaviour === 'flow';
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
