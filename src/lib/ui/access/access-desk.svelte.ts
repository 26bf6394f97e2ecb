import type { AccessKind } from '$lib/server/access';
import { invalidateAll } from '$app/navigation';
import { at } from '../at';
import { request } from '../request';

/** What is changed on the pages of access, and what came of it. */
export class AccessDesk {
	told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	/** The last change made here, which can be taken back at once. */
	last = $state.raw<number | null>(null);
	busy = $state(false);
	/** Where reports come from as files. */
	readonly report = at('/api/access/report');

	/**
	 * Puts an object into another state.
	 * @param before as the page shows it; null for a new one
	 * @param after null to take it away
	 * @returns its id; undefined where it could not be done, which is told
	 */
	async change<State>(
		kind: AccessKind,
		id: number | null,
		{ before, after }: { before: State | null; after: State | null },
		words: string
	): Promise<number | undefined> {
		this.busy = true;
		const reply = await request<{ id: number; change: number | null }>('/api/access/change', { kind, id, before, after });
		this.busy = false;
		this.told = reply.ok ? { words, isFault: false } : { words: reply.message, isFault: true };
		if (reply.ok) this.last = reply.answer.change;
		// What another has changed meanwhile is shown as it is now.
		if (reply.ok || reply.code === 'changed meanwhile' || reply.code === 'not found') await invalidateAll();
		return reply.ok ? reply.answer.id : undefined;
	}

	async takeBack(change: number): Promise<void> {
		const reply = await request<{ change: number | null }>('/api/access/take-back', { id: change });
		this.told = reply.ok ? { words: 'Taken back: it is as it was before.', isFault: false } : { words: reply.message, isFault: true };
		this.last = null;
		await invalidateAll();
	}

	/** From here on the page shows what somebody else sees. */
	async look(id: number): Promise<void> {
		const reply = await request('/api/access/look', { id });
		if (reply.ok) location.assign('/');
		else this.told = { words: reply.message, isFault: true };
	}

	async dropFactor(id: number, name: string): Promise<void> {
		const reply = await request('/api/access/drop-factor', { id });
		this.told = reply.ok
			? { words: `${name} signs in with the password alone; they are signed out everywhere.`, isFault: false }
			: { words: reply.message, isFault: true };
		await invalidateAll();
	}

	async handOn(from: number, to: number, model: number): Promise<void> {
		const reply = await request<{ cells: number; stay: number }>('/api/access/hand-on', { from, to, model });
		this.told = reply.ok
			? {
					words: `${reply.answer.cells === 1 ? 'One cell is' : `${reply.answer.cells} cells are`} in their draft now${reply.answer.stay > 0 ? `; ${reply.answer.stay} stay, where they have typed something else` : ''}.`,
					isFault: false
				}
			: { words: reply.message, isFault: true };
		this.last = null;
		await invalidateAll();
	}

	async invite(id: number): Promise<void> {
		const reply = await request('/api/access/invite', { id });
		this.told = reply.ok
			? { words: 'A letter with a link to set a password is written; it stands under Letters.', isFault: false }
			: { words: reply.message, isFault: true };
	}
}
