/** Whether whoever asks may move closed figures, and why they do: kept along everything a request does. */
import { AsyncLocalStorage } from 'node:async_hooks';

export interface Restating {
	may: boolean;
	/** What they said; null where nothing was said yet. */
	reason: string | null;
	person: number;
}

const asked = new AsyncLocalStorage<Restating>();

/** Undefined outside a request: what the command line and migrations do is not asked about. */
export const restatingNow = (): Restating | undefined => asked.getStore();

export const whileRestating = <Result>(restating: Restating, work: () => Result): Result => asked.run(restating, work);
