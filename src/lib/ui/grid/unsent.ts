import type { EntryOptions } from './form-session.svelte';

/** Entries that have not reached the server, kept by the browser until they have. */
export interface UnsentEntries {
	choices: { members: Record<string, number>; currency?: string };
	/** The lines they name cells of. */
	structure: number;
	frame: string;
	entries: { row: number; column: number; text: string }[];
	options: EntryOptions;
}

/** The drawer of a person's form. */
export const unsentKey = (person: string, model: number, form: string): string => `noble-lattice unsent ${person} ${model} ${form}`;

/** What lies in a drawer; nothing when it cannot be read. */
export function readUnsent(storage: Pick<Storage, 'getItem'>, key: string): UnsentEntries[] {
	try {
		const found: unknown = JSON.parse(storage.getItem(key) ?? '[]');
		return Array.isArray(found) ? (found as UnsentEntries[]) : [];
	} catch {
		return [];
	}
}

/** Keeps what has not been sent. A full or forbidden store is no reason to lose what is on the page. */
export function keepUnsent(storage: Pick<Storage, 'setItem' | 'removeItem'>, key: string, unsent: readonly UnsentEntries[]): void {
	try {
		if (unsent.length === 0) storage.removeItem(key);
		else storage.setItem(key, JSON.stringify(unsent));
	} catch {
		// They stay in memory.
	}
}
