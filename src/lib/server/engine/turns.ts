/**
 * Who may work in an engine when. The requests of one person come one after another; those of several people may take turns
 * whenever one of them pauses; what changes the figures for all comes alone, with nobody in the middle of anything.
 */
export class Turns {
	readonly #lastOf = new Map<number, Promise<unknown>>();
	/** Work of persons that has begun and not ended. */
	#working = 0;
	#alone: Promise<unknown> = Promise.resolve();
	/** How much waits to come alone, or does. */
	#apart = 0;
	#whenIdle: (() => void) | undefined;

	/** Does something of a person (id; 0 for nobody's) after what they asked before, never beside what comes alone. */
	of<Result>(person: number, work: () => Promise<Result>): Promise<Result> {
		const before = this.#lastOf.get(person) ?? Promise.resolve();
		const done = before.then(async () => {
			while (this.#apart > 0) await this.#alone;
			this.#working++;
			try {
				return await work();
			} finally {
				this.#working--;
				if (this.#working === 0) this.#whenIdle?.();
			}
		});
		const settled = done.catch(() => {}).then(() => void (this.#lastOf.get(person) === settled && this.#lastOf.delete(person)));
		this.#lastOf.set(person, settled);
		return done;
	}

	/** Does something while nobody is in the middle of anything; who comes later waits for it. */
	alone<Result>(work: () => Promise<Result>): Promise<Result> {
		this.#apart++;
		const done = this.#alone.then(async () => {
			try {
				if (this.#working > 0) await new Promise<void>((idle) => (this.#whenIdle = idle));
				this.#whenIdle = undefined;
				return await work();
			} finally {
				this.#apart--;
			}
		});
		this.#alone = done.catch(() => {});
		return done;
	}
}

/** The longest a piece of work keeps the thread before others have their turn. */
const LONGEST_MILLISECONDS = 20;

/** Cuts long work: between its pieces others have their turn, once it has kept them waiting for a while. */
export class Pace {
	#since = performance.now();

	/** To be awaited between two pieces. */
	async rest(): Promise<void> {
		if (performance.now() - this.#since < LONGEST_MILLISECONDS) return;
		await new Promise((go) => setImmediate(go));
		this.#since = performance.now();
	}
}
