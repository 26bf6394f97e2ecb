/** A tab of the browser: its name, and how it learns which others are open. */
export interface Tab {
	name: string;
	/** The names of tabs that are open now; undefined where the browser cannot tell. */
	open(): Promise<ReadonlySet<string> | undefined>;
}

const KEY = 'noble-lattice tab';
const lockOf = (name: string): string => `${KEY} ${name}`;

let own: Promise<Tab> | undefined;

/**
 * This tab. Its name outlasts a reload; a tab that was copied takes another one, as both would hold the same drawer. A name
 * is held by a lock of the browser for as long as the tab is open.
 */
export const thisTab = (): Promise<Tab> => (own ??= findName());

async function findName(): Promise<Tab> {
	const kept = sessionStorage.getItem(KEY);
	// Without locks (a page over plain HTTP) nobody knows which tabs are open: a name for this page alone.
	if (!('locks' in navigator)) return { name: randomName(), open: () => Promise.resolve(undefined) };
	const name = kept !== null && (await holds(kept)) ? kept : await freshName();
	sessionStorage.setItem(KEY, name);
	return { name, open: openTabs };
}

async function freshName(): Promise<string> {
	const name = randomName();
	await holds(name);
	return name;
}

/** Takes the lock of a name until the tab is closed. @returns whether nobody else has it */
function holds(name: string): Promise<boolean> {
	return new Promise((answer) => {
		void navigator.locks.request(lockOf(name), { ifAvailable: true }, (lock) => {
			answer(lock !== null);
			return lock === null ? undefined : new Promise<void>(() => {});
		});
	});
}

async function openTabs(): Promise<ReadonlySet<string>> {
	const { held = [] } = await navigator.locks.query();
	return new Set(held.flatMap(({ name }) => (name?.startsWith(lockOf('')) ? [name.slice(lockOf('').length)] : [])));
}

/** Also where `crypto.randomUUID` is missing, as over plain HTTP. */
function randomName(): string {
	return [...crypto.getRandomValues(new Uint8Array(8))].map((byte) => byte.toString(16).padStart(2, '0')).join('');
}

/** An id in the form of RFC 9562, version 4, also over plain HTTP. */
export function randomId(): string {
	const bytes = crypto.getRandomValues(new Uint8Array(16));
	bytes[6] = (bytes[6]! & 0x0f) | 0x40;
	bytes[8] = (bytes[8]! & 0x3f) | 0x80;
	const hex = [...bytes].map((byte) => byte.toString(16).padStart(2, '0')).join('');
	return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join('-');
}
