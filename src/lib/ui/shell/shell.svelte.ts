import { createContext } from 'svelte';
import type { FinderItem } from './Finder.svelte';
import type { MarkChoice } from '$lib/server/session';
import { request } from '../request';
import { Jobs } from './jobs.svelte';

/** What pages tell the shell: where they are, and the actions they add to the finder. */
export class Shell {
	trail = $state<{ name: string; path?: string }[]>([]);
	actions = $state.raw<FinderItem[]>([]);
	readonly jobs = new Jobs();
	/** How figures are marked for this person. */
	marks = $state.raw() as MarkChoice;

	constructor(marks: MarkChoice) {
		this.marks = marks;
	}

	async chooseMarks(marks: MarkChoice): Promise<void> {
		this.marks = marks;
		await request('/api/marks', marks);
	}

	/** Says where the page is; call it while the page is set up. */
	at(...trail: { name: string; path?: string }[]): void {
		this.trail = trail;
	}
}

export const [useShell, provideShell] = createContext<Shell>();
