import { request } from '../request';
import { at } from '$lib/ui/at';
import type { Job } from '$lib/server/jobs';

/** Jobs that have ended stay in sight this long. */
const SHOWN_MILLISECONDS = 6_000;

const isOver = ({ state }: Job): boolean => state === 'done' || state === 'failed' || state === 'cancelled';

/** Long work of this model as it moves on, told by the server. */
export class Jobs {
	/** Under way, or ended a moment ago. */
	list = $state.raw<readonly Job[]>([]);
	#waiting = new Map<number, ((job: Job) => void)[]>();
	#source: EventSource | undefined;

	readonly running = $derived(this.list.filter((job) => !isOver(job)));

	/** Listens; the browser connects again by itself when the line breaks. @returns how to stop */
	listen(): () => void {
		this.#source = new EventSource(at('/api/jobs/events'));
		this.#source.addEventListener('job', (event) => this.#take(JSON.parse((event as MessageEvent<string>).data) as Job));
		// After a line that broke: what ended meanwhile was told to nobody here.
		this.#source.addEventListener('open', () => void this.#catchUp());
		return () => this.#source?.close();
	}

	async #catchUp(): Promise<void> {
		for (const { id } of this.running) {
			const reply = await request<Job>(`/api/jobs/${id}`);
			if (reply.ok) this.#take(reply.answer);
		}
	}

	/** The job once it is over. News may be lost with a broken line, so it is also asked for. */
	async until(id: number): Promise<Job> {
		for (;;) {
			const news = new Promise<Job | undefined>((done) => {
				this.#waiting.set(id, [...(this.#waiting.get(id) ?? []), done]);
				setTimeout(() => done(undefined), 1_000);
			});
			const asked = await fetch(at(`/api/jobs/${id}`))
				.then((response) => (response.ok ? (response.json() as Promise<Job>) : undefined))
				.catch(() => undefined);
			if (asked) this.#take(asked);
			if (asked && isOver(asked)) return asked;
			const told = await news;
			if (told && isOver(told)) return told;
		}
	}

	async cancel(id: number): Promise<void> {
		await request(`/api/jobs/${id}`, undefined, 'DELETE');
	}

	#take(job: Job): void {
		this.list = [job, ...this.list.filter(({ id }) => id !== job.id)].sort((a, b) => b.id - a.id);
		const waiting = this.#waiting.get(job.id) ?? [];
		if (isOver(job)) {
			this.#waiting.delete(job.id);
			setTimeout(() => (this.list = this.list.filter(({ id }) => id !== job.id)), SHOWN_MILLISECONDS);
			for (const tell of waiting) tell(job);
		}
	}
}
