import { page } from '$app/state';
import { numberStyle, readNumber } from '$lib/core';

/** How the person who is signed in writes numbers and dates. */
const locale = (): string => (page.data as { person?: { locale?: string } }).person?.locale ?? 'en-GB';

/** A number typed into any field, in the person's own way; undefined when it is none. A percentage is its fraction. */
export function typedNumber(text: string): number | undefined {
	return readNumber(text, numberStyle(locale()))?.amount;
}

/** A percentage typed into a field that asks for one: `5` and `5%` are both 5 %, and give 0.05. */
export function typedPercent(text: string): number | undefined {
	const read = readNumber(text, numberStyle(locale()));
	return read && (read.unit === 'percent' ? read.amount : read.amount / 100);
}

/** A number as the person would type it, without groups. */
export function asTyped(value: number): string {
	return String(Number(value.toPrecision(15))).replace('.', numberStyle(locale()).decimal);
}
