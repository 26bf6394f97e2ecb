import type { AccountDefinition } from '../model';
import { favourableSign } from './derived';

/** From where on values are to be watched and acted on, and which way is worse. */
export interface Thresholds {
	watch: number | null;
	act: number | null;
	worse: 'above' | 'below';
}

export type Level = 'fine' | 'watch' | 'act';

/**
 * The thresholds of an account; null where it has none. The way from watching to acting is the worse one; with one of them
 * alone it is the way that is not favourable. Of a percent account 5 means 5 %.
 */
export function thresholdsOf(account: AccountDefinition | undefined): Thresholds | null {
	const read = (value: number | null | undefined) =>
		value === null || value === undefined ? null : account!.valueType === 'percent' ? value / 100 : value;
	const [watch, act] = [read(account?.watchFrom), read(account?.actFrom)];
	if (!account || (watch === null && act === null)) return null;
	const goesUp = watch !== null && act !== null && watch !== act ? act > watch : favourableSign(account) <= 0;
	return { watch, act, worse: goesUp ? 'above' : 'below' };
}

/** How a value stands: at a threshold or beyond it, it counts as reached. */
export function levelOf({ watch, act, worse }: Thresholds, value: number): Level {
	const reaches = (threshold: number | null) => threshold !== null && (worse === 'above' ? value >= threshold : value <= threshold);
	return reaches(act) ? 'act' : reaches(watch) ? 'watch' : 'fine';
}
