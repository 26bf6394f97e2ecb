import type { MoveResult, RoundBoard, SubmissionView, UnitLine, UnitView } from '$lib/server/cycle';
import { request, type Reply } from '../request';

export type Move = 'submit' | 'recall' | 'return' | 'approve' | 'reopen';
export const FILTERS = ['all', 'mine', 'late', 'review'] as const;
export type Filter = (typeof FILTERS)[number];

/** How the board asks the server: replaced in tests. */
export type Ask = <Answer>(verb: string, body: object) => Promise<Reply<Answer>>;
const askServer: Ask = (verb, body) => request(`/api/cycle/${verb}`, body);

export const DONE: Record<Move, string> = {
	submit: 'is submitted',
	recall: 'is recalled',
	return: 'is returned',
	approve: 'is approved',
	reopen: 'is open again'
};

/** A round with its units: what is shown, what is chosen, and what is done with it. */
export class CycleBoardState {
	board = $state.raw() as RoundBoard;
	filter = $state<Filter>('all');
	folded = $state.raw<ReadonlySet<number>>(new Set());
	chosen = $state.raw<ReadonlySet<number>>(new Set());
	current = $state<number | null>(null);
	view = $state.raw<UnitView | null>(null);
	/** What submitting would come to, once it is asked for. */
	submission = $state.raw<SubmissionView | null>(null);
	/** A move that waits for its note, or for an answer. */
	asking = $state.raw<{ move: Move; units: number[]; asks: Extract<MoveResult, { kind: 'asks' }> | null } | null>(null);
	told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	busy = $state(false);
	readonly #ask: Ask;
	readonly #refresh: () => Promise<unknown>;

	/** @param refresh reads the page's data anew */
	constructor(board: RoundBoard, refresh: () => Promise<unknown>, ask: Ask = askServer) {
		this.board = board;
		this.#ask = ask;
		this.#refresh = refresh;
	}

	/** Units that the filter keeps, with those above them. */
	shown = $derived.by(() => {
		const { units } = this.board;
		const keeps: Record<Filter, (unit: UnitLine) => boolean> = {
			all: () => true,
			mine: ({ isMine }) => isMine,
			late: ({ isLate }) => isLate,
			review: ({ forMe, state }) => forMe || (this.board.leads && state === 'submitted')
		};
		const kept = new Set<number>();
		const byId = new Map(units.map((unit) => [unit.id, unit]));
		for (const unit of units)
			if (keeps[this.filter](unit)) for (let at: number | null = unit.id; at !== null; at = byId.get(at)?.parent ?? null) kept.add(at);
		let hiddenBelow: number | null = null;
		return units.filter((unit) => {
			if (!kept.has(unit.id)) return false;
			if (hiddenBelow !== null && unit.depth > hiddenBelow) return false;
			hiddenBelow = this.folded.has(unit.id) && this.filter === 'all' ? unit.depth : null;
			return true;
		});
	});

	get parents(): ReadonlySet<number | null> {
		return new Set(this.board.units.map(({ parent }) => parent));
	}

	get unit(): UnitLine | undefined {
		return this.board.units.find(({ id }) => id === this.current);
	}

	get toReview(): number {
		return this.board.units.filter(({ forMe }) => forMe).length;
	}

	fold(id: number): void {
		const folded = new Set(this.folded);
		if (!folded.delete(id)) folded.add(id);
		this.folded = folded;
	}

	/** @param way one alone, one more or less, or all from the one before */
	async choose(id: number, way: 'alone' | 'more' | 'to' = 'alone'): Promise<void> {
		if (way === 'more') {
			const chosen = new Set(this.chosen);
			if (!chosen.delete(id)) chosen.add(id);
			this.chosen = chosen;
		} else if (way === 'to' && this.current !== null) {
			const ids = this.shown.map((unit) => unit.id);
			const [from, to] = [ids.indexOf(this.current), ids.indexOf(id)].sort((one, other) => one - other);
			this.chosen = new Set(ids.slice(from, to! + 1));
		} else this.chosen = new Set([id]);
		if (this.chosen.size === 0) this.chosen = new Set([id]);
		this.current = id;
		this.asking = null;
		this.submission = null;
		await this.look();
	}

	move(steps: number, extends_ = false): void {
		const ids = this.shown.map((unit) => unit.id);
		const at = this.current === null ? -1 : ids.indexOf(this.current);
		const next = ids[Math.max(0, Math.min(at + steps, ids.length - 1))];
		if (next !== undefined) void this.choose(next, extends_ ? 'more' : 'alone');
	}

	async look(): Promise<void> {
		const id = this.current;
		if (id === null) return;
		const reply = await this.#ask<UnitView>('unit', { round: this.board.round.id, unit: id });
		if (id !== this.current) return;
		if (reply.ok) this.view = reply.answer;
		else this.told = { words: reply.message, isFault: true };
	}

	/** Begins a move: what needs a note or a look at first asks for it. */
	async begin(move: Move): Promise<void> {
		const units = this.chosen.size > 0 ? [...this.chosen] : this.current === null ? [] : [this.current];
		if (units.length === 0) return;
		this.told = null;
		if (move === 'approve' || move === 'recall') return this.carryOut(move, units);
		this.asking = { move, units, asks: null };
		if (move === 'submit' && units.length === 1) {
			const reply = await this.#ask<SubmissionView>('look', { round: this.board.round.id, unit: units[0] });
			if (reply.ok) this.submission = reply.answer;
			else this.told = { words: reply.message, isFault: true };
		}
	}

	/** Carries a move out. */
	async carryOut(
		move: Move,
		units: readonly number[],
		{ note = '', fields = [], accepts = false }: { note?: string; fields?: { account: string; words: string }[]; accepts?: boolean } = {}
	): Promise<void> {
		if (this.busy) return;
		this.busy = true;
		const reply = await this.#ask<{ results: MoveResult[] }>('move', { round: this.board.round.id, units, move, note, fields, accepts });
		this.busy = false;
		if (!reply.ok) {
			this.told = { words: reply.message, isFault: true };
			await this.#again();
			return;
		}
		const { results } = reply.answer;
		const asks = results.find((each) => each.kind === 'asks');
		const moved = results.filter((each) => each.kind === 'moved');
		const refused = results.filter((each) => each.kind === 'refused');
		this.asking = asks ? { move, units: [asks.id], asks } : null;
		this.submission = null;
		const saved = moved.reduce((sum, each) => sum + each.saved, 0);
		const brought = [...new Set(moved.flatMap((each) => each.brought))];
		const words = [
			...(moved.length === 1
				? [`${moved[0]!.name} ${move === 'approve' && moved[0]!.state !== 'approved' ? 'has passed its review' : DONE[move]}.`]
				: moved.length > 1
					? [`${moved.length} units: ${DONE[move].replace('is', 'are')}.`]
					: []),
			...(saved > 0 ? [`${saved === 1 ? 'One cell' : `${saved} cells`} of your draft ${saved === 1 ? 'was' : 'were'} saved first.`] : []),
			...(brought.length > 0 && (move === 'reopen' || move === 'return') ? [`It brought back ${brought.join(', ')}.`] : []),
			...refused.map((each) => each.words)
		];
		this.told = words.length > 0 ? { words: words.join(' '), isFault: moved.length === 0 && !asks } : null;
		await this.#again();
	}

	async assign(change: { owner?: number; due?: string | null; reviewers?: number[] }): Promise<void> {
		const units = this.chosen.size > 0 ? [...this.chosen] : this.current === null ? [] : [this.current];
		const reply = await this.#ask('assign', { round: this.board.round.id, units, ...change });
		this.told = reply.ok
			? { words: units.length === 1 ? 'Changed.' : `Changed for ${units.length} units.`, isFault: false }
			: { words: reply.message, isFault: true };
		await this.#again();
	}

	async end(closes: boolean): Promise<void> {
		const reply = await this.#ask('end', { id: this.board.round.id, closes });
		this.told = reply.ok ? { words: 'The round has ended.', isFault: false } : { words: reply.message, isFault: true };
		await this.#again();
	}

	async #again(): Promise<void> {
		await this.#refresh();
		await this.look();
	}
}

/** How far a unit should be today: even work from the start to its day. */
export function shouldStand(startedAt: string | null, due: string | null, today: string): number | null {
	if (!startedAt || !due) return null;
	const [from, to, now] = [startedAt.slice(0, 10), due, today].map((day) => Date.parse(`${day}T00:00:00Z`)) as [number, number, number];
	return to <= from ? 1 : Math.min(1, Math.max(0, (now - from) / (to - from)));
}
