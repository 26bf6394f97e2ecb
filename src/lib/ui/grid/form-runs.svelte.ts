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

	press(run: RunOfForm, isTrial = false): void {
		this.answers = Object.fromEntries(run.asks.map(({ name, answer }) => [name, answer]));
		if (run.asks.length > 0) this.asking = run;
		else if (isTrial) void this.#try(run, {});
		else void this.#run(run, {});
	}

	/** Runs what is asked about, or only shows what it would leave. */
	async go(isTrial = false): Promise<void> {
		const { asking, answers } = this;
		if (!asking) return;
		this.asking = null;
		if (isTrial) await this.#try(asking, answers);
		else await this.#run(asking, answers);
	}

	/** Shows in the forms what a runbook would leave on the draft; nothing is written. */
	async #try(run: RunOfForm, answers: Answers): Promise<void> {
		const session = this.#session;
		this.running = true;
		try {
			const tried = await session.ask<{ figures: number }>('try-runbook', { asked: { runbook: run.runbook, answers } });
			if (!tried) return;
			this.#tried = { run, answers };
			await session.reopen();
			const count = tried.figures === 1 ? 'One figure' : `${tried.figures.toLocaleString('en')} figures`;
			session.message = {
				text:
					tried.figures === 0
						? `“${run.label}” would change nothing.`
						: `${count} would be other ones after “${run.label}”. Nothing is written.`,
				kind: 'info'
			};
		} finally {
			this.running = false;
		}
	}
	/** What was tried last here, to be run as it was. */
	#tried = $state.raw<{ run: RunOfForm; answers: Answers } | null>(null);

	/** Whether what is shown can be run from here: it was tried on this page. */
	get mayRunTried(): boolean {
		return this.#tried !== null && this.#session.form.trial !== null;
	}
	async runTried(): Promise<void> {
		const tried = this.#tried;
		if (!tried) return;
		// It was tried on what is typed: that is saved first, and with it the trial ends.
		if (this.#session.form.draftHere > 0) await this.#session.save();
		if (this.#session.form.draftHere > 0 || !(await this.endTrial())) return;
		await this.#run(tried.run, tried.answers);
	}

	/** Shows the draft again as it is. @returns whether that worked */
	async endTrial(): Promise<boolean> {
		const ended = await this.#session.ask<{ ended: boolean }>('end-trial', {});
		if (!ended) return false;
		this.#tried = null;
		await this.#session.reopen();
		return true;
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
