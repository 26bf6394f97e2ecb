import type { Entry, EntryOptions } from './form-session.svelte';

/** Entries that have not reached the server, kept by the browser until they have. */
export interface UnsentEntries {
	/** The server applies entries of one id once, however often they are sent. */
	id: string;
	choices: { members: Record<string, number>; currency?: string };
	/** The lines they name cells of. */
	structure: number;
	frame: string;
	entries: Entry[];
	options: EntryOptions;
}

/** What a browser keeps, by key. */
export interface BrowserStore {
	keys(): string[];
	get(key: string): string | null;
	set(key: string, value: string): void;
	remove(key: string): void;
}

/** Whose form it is that entries wait for: a person's (id), in a model (id). */
export interface DrawerOwner {
	person: number;
	model: number | string;
	form: string;
}

const PREFIX = 'noble-lattice unsent';

/** Entries that wait belong to a person, a model, a form and a tab; each tab has a drawer of its own. */
export class Drawers {
	readonly #store: BrowserStore;
	readonly #prefix: string;

	constructor(store: BrowserStore, { person, model, form }: DrawerOwner) {
		this.#store = store;
		this.#prefix = `${PREFIX} ${person} ${model} ${form} `;
	}

	/** What lies in a tab's drawer; nothing when it cannot be read. */
	read(tab: string): UnsentEntries[] {
		try {
			const found: unknown = JSON.parse(this.#store.get(this.#prefix + tab) ?? '[]');
			return Array.isArray(found) ? (found as UnsentEntries[]) : [];
		} catch {
			return [];
		}
	}

	/** Keeps what has not been sent. A full or forbidden store is no reason to lose what is on the page. */
	keep(tab: string, unsent: readonly UnsentEntries[]): void {
		try {
			if (unsent.length === 0) this.#store.remove(this.#prefix + tab);
			else this.#store.set(this.#prefix + tab, JSON.stringify(unsent));
		} catch {
			// They stay in memory.
		}
	}

	/** The tabs whose drawers hold something. */
	tabs(): string[] {
		try {
			return this.#store
				.keys()
				.filter((key) => key.startsWith(this.#prefix))
				.map((key) => key.slice(this.#prefix.length))
				.filter((tab) => this.read(tab).length > 0);
		} catch {
			return [];
		}
	}
}

/** The drawers of a person in a model that hold something: by form and tab. */
export function drawersOf(store: BrowserStore, person: number, model: number | string): { form: string; tab: string }[] {
	const prefix = `${PREFIX} ${person} ${model} `;
	try {
		return store
			.keys()
			.filter((key) => key.startsWith(prefix))
			.map((key) => key.slice(prefix.length).split(' '))
			.map(([form = '', tab = '']) => ({ form, tab }));
	} catch {
		return [];
	}
}
