import type { Answers } from '$lib/core';
import type { RunOfForm } from '$lib/server/form';
import type { RunDetails } from '$lib/server/runbook';
import { request } from '../request';
import type { FormSession } from './form-session.svelte';

/** How long to wait between looks at a run that is under way, and how often. */
const LOOK_MILLISECONDS = 350;
const LOOKS = 2_000;

/** The runbooks of an open form: its buttons, what they ask, and those that run by themselves. */
export class FormRuns {
	list = $state.raw<RunOfForm[]>([]);
	/** The one whose questions are open. */
	asking = $state.raw<RunOfForm | null>(null);
	answers = $state.raw<Answers>({});
	running = $state(false);
	readonly #session: FormSession;

	constructor(session: FormSession) {
		this.#session = session;
	}

	get buttons(): RunOfForm[] {
		return this.list.filter(({ when }) => when === 'button');
	}

	/** Reads what the form runs, and runs what is to be run before it is looked at. */
	async open(): Promise<void> {
		const found = await this.#session.ask<{ runs: RunOfForm[] }>('runs', {});
		this.list = found?.runs ?? [];
		await this.automatic('before opening');
	}

	/** Runs what runs by itself at a moment, for what was answered last. */
	async automatic(when: 'before opening' | 'after saving'): Promise<void> {
		for (const run of this.list)
			if (run.when === when)
				await this.#run(run, Object.fromEntries(run.asks.map(({ name, answer }) => [name, answer])), when === 'before opening');
	}

	press(run: RunOfForm): void {
		this.answers = Object.fromEntries(run.asks.map(({ name, answer }) => [name, answer]));
		if (run.asks.length === 0) void this.#run(run, {});
		else this.asking = run;
	}

	async go(): Promise<void> {
		const { asking, answers } = this;
		if (!asking) return;
		this.asking = null;
		await this.#run(asking, answers);
	}

	async #run(run: RunOfForm, answers: Answers, quietly = false): Promise<void> {
		const session = this.#session;
		this.running = true;
		try {
			const started = await session.ask<{ run: number }>('run-runbook', { asked: { runbook: run.runbook, answers } });
			if (!started) return;
			if (!quietly) session.message = { text: `“${run.label}” is running…`, kind: 'info' };
			for (let look = 0; look < LOOKS; look++) {
				await new Promise((done) => setTimeout(done, LOOK_MILLISECONDS));
				const reply = await request<RunDetails>(`/api/runs/${started.run}/read`, {});
				if (!reply.ok || reply.answer.state === 'waiting') continue;
				const { state, words, id, revision } = reply.answer;
				await session.reopen();
				if (quietly && state === 'done') return;
				session.message = {
					text: `“${run.label}”: ${words}`,
					kind: state === 'done' ? 'info' : 'error',
					...(state === 'done' && revision !== null && { act: { label: 'Take it back', run: () => void this.#takeBack(id, run.label) } })
				};
				return;
			}
		} finally {
			this.running = false;
		}
	}

	async #takeBack(id: number, label: string): Promise<void> {
		const reply = await request(`/api/runs/${id}/take-back`, {});
		await this.#session.reopen();
		this.#session.message = reply.ok
			? { text: `“${label}” is taken back: what stood there before stands again.`, kind: 'info' }
			: { text: reply.message, kind: 'error' };
	}
}
