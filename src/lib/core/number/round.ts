import { sum } from './sum';

/** Rounds half away from zero to `decimals` places (0–10), forgiving the last binary digit: 1.005 gives 1.01. */
export function roundTo(value: number, decimals: number): number {
	const scale = 10 ** decimals;
	const scaled = Math.abs(value) * scale;
	if (!Number.isFinite(scaled) || scaled >= 2 ** 52) return value;
	const rounded = Math.round(scaled * (1 + Number.EPSILON)) / scale;
	return rounded === 0 ? 0 : Math.sign(value) * rounded;
}

/** Whether two amounts are the same within half a unit of the last decimal. */
export const sameAmount = (left: number, right: number, decimals: number): boolean => Math.abs(left - right) <= 0.5 * 10 ** -decimals;

/**
 * Rounds parts to `decimals` so that they add up to `total` rounded, by the largest-remainder method
 * (Hamilton's apportionment): the units that rounding down leaves over go to the largest remainders, first come first.
 * @returns the rounded parts, in the order given
 */
export function shareOut(parts: readonly number[], total: number, decimals: number): number[] {
	const scale = 10 ** decimals;
	const wanted = Math.round(roundTo(total, decimals) * scale);
	if (parts.length === 0 || !Number.isSafeInteger(wanted) || parts.some((part) => Math.abs(part * scale) >= 2 ** 52)) return [...parts];
	const floors = parts.map((part) => Math.floor(roundTo(part * scale, 6)));
	const order = parts
		.map((part, index) => ({ index, remainder: part * scale - floors[index]! }))
		.sort((a, b) => b.remainder - a.remainder || a.index - b.index);
	let left = wanted - sum(floors);
	const units = floors;
	// Usually fewer units than parts are left; when the parts do not add up to the total the rest goes round again.
	const each = Math.trunc(left / parts.length);
	left -= each * parts.length;
	for (const { index } of order) {
		const extra = left > 0 ? 1 : left < 0 ? -1 : 0;
		units[index] = units[index]! + each + extra;
		left -= extra;
	}
	return units.map((unit) => (unit === 0 ? 0 : unit / scale));
}
