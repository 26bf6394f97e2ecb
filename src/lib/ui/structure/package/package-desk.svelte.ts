import type { Difference, Refusal, TakenOver } from '$lib/server/package';
import { request, type Reply } from '../../request';

/** What a package is about, and how it differs from the model. */
export interface Comparison {
	name: string;
	numbers: number | null;
	members: number;
	forms: number;
	imports: number;
	count: number;
	differences: Difference[];
}

/** Differences of one part, in their order. */
export interface DifferencePart {
	part: string;
	differences: Difference[];
	/** How many of them can be taken over. */
	able: number;
}

type Say = { text: string; kind: 'info' | 'error' } | null;

/** A package that somebody holds against a model: what differs, what is chosen of it, and what taking that over would come to. */
export class PackageDesk {
	file = $state.raw<File | null>(null);
	compared = $state.raw<Comparison | null>(null);
	/** Differences (ids) that are chosen. */
	chosen = $state.raw<ReadonlySet<string>>(new Set());
	/** What taking the chosen ones over would come to; null until it was looked at. */
	looked = $state.raw<TakenOver | null>(null);
	/** By dimension (key) and parent (code): the child (code) that takes its numbers. */
	handOver = $state.raw<Readonly<Record<string, Readonly<Record<string, string>>>>>({});
	say = $state.raw<Say>(null);
	busy = $state<string | null>(null);
	/** The differences by part, in the order in which they can be taken over. */
	readonly parts = $derived.by((): DifferencePart[] => {
		const parts = new Map<string, DifferencePart>();
		for (const difference of this.compared?.differences ?? []) {
			const known = parts.get(difference.part) ?? { part: difference.part, differences: [], able: 0 };
			known.differences.push(difference);
			if (difference.stays === undefined) known.able++;
			parts.set(difference.part, known);
		}
		return [...parts.values()];
	});
	/** Refusals by difference (id). */
	readonly refusals = $derived(new Map((this.looked?.refused ?? []).map((refusal) => [refusal.id, refusal])));
	/** Refusals of what was looked at that wait for a child to be named. */
	readonly questions = $derived((this.looked?.refused ?? []).flatMap(({ numbersBelow }) => numbersBelow ?? []));
	/** Whether what was looked at can be taken over as it is. */
	readonly ready = $derived(this.looked !== null && this.looked.refused.length === 0);

	/** Holds a package against the model. */
	async compare(file: File): Promise<void> {
		this.file = file;
		this.#forget();
		await this.#work(`Reading ${file.name}…`, async () => {
			const reply = await request<Comparison>('/api/structure/package/compare', file);
			this.compared = this.#heard(reply) ?? null;
		});
	}

	/** How many of a part are chosen. */
	readonly chosenOf = ({ differences }: DifferencePart): number => differences.filter(({ id }) => this.chosen.has(id)).length;

	choose(id: string, isChosen: boolean): void {
		this.#choose(new Set(isChosen ? [...this.chosen, id] : [...this.chosen].filter((each) => each !== id)));
	}
	/** All of a part that can be taken over, or none of it. */
	chooseAll({ differences }: DifferencePart, isChosen: boolean): void {
		const own = differences.filter(({ stays }) => stays === undefined).map(({ id }) => id);
		const rest = [...this.chosen].filter((id) => !own.includes(id));
		this.#choose(new Set(isChosen ? [...rest, ...own] : rest));
	}
	/** Names the child that takes a parent's numbers. */
	giveNumbersTo(dimension: string, parent: string, child: string): void {
		this.handOver = { ...this.handOver, [dimension]: { ...this.handOver[dimension], [parent]: child } };
	}

	/** What taking the chosen ones over would come to. */
	async look(): Promise<void> {
		await this.#work('Trying it…', async () => {
			this.looked = this.#heard(await this.#send('look')) ?? null;
		});
	}

	/** Takes the chosen ones over. @returns whether it was done */
	async takeOver(): Promise<boolean> {
		let isDone = false;
		await this.#work('Taking it over…', async () => {
			const reply = await this.#send('take-over');
			const done = this.#heard(reply);
			if (!done) {
				const refused = reply.ok ? undefined : (reply.details as { refused?: Refusal[] } | undefined)?.refused;
				this.looked = refused ? { taken: 0, refused, leftOut: [] } : null;
				return;
			}
			isDone = true;
			const words = done.taken === 1 ? 'One difference is' : `${done.taken} differences are`;
			const text = [`${words} taken over.`, ...done.leftOut].join(' ');
			this.#forget();
			if (this.file) this.compared = this.#heard(await request<Comparison>('/api/structure/package/compare', this.file)) ?? null;
			this.say = { text, kind: 'info' };
		});
		return isDone;
	}

	#choose(chosen: ReadonlySet<string>): void {
		this.chosen = chosen;
		this.looked = null;
		this.say = null;
	}
	#forget(): void {
		this.compared = null;
		this.chosen = new Set();
		this.looked = null;
		this.handOver = {};
		this.say = null;
	}
	#send(verb: 'look' | 'take-over'): Promise<Reply<TakenOver>> {
		const body = new FormData();
		body.set('package', this.file!);
		body.set('choices', JSON.stringify({ chosen: [...this.chosen], handOver: this.handOver }));
		return request<TakenOver>(`/api/structure/package/${verb}`, body);
	}
	#heard<Answer>(reply: Reply<Answer>): Answer | undefined {
		this.say = reply.ok ? null : { text: reply.message, kind: 'error' };
		return reply.ok ? reply.answer : undefined;
	}
	async #work(words: string, act: () => Promise<void>): Promise<void> {
		if (this.busy !== null) return;
		this.busy = words;
		try {
			await act();
		} finally {
			this.busy = null;
		}
	}
}
