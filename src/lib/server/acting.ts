/** Whose hands do the work at the moment, where somebody stands in for another: kept along everything a request or a job does. */
import { AsyncLocalStorage } from 'node:async_hooks';

const hands = new AsyncLocalStorage<number | null>();

/** The person (id) who acts for another; null where everybody acts for themselves. */
export const actingNow = (): number | null => hands.getStore() ?? null;

/** Does some work by the hands of a person (id). */
export const whileActing = <Result>(person: number | null, work: () => Result): Result => hands.run(person, work);
