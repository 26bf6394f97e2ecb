import type { BoardHead, LockedSlice, LocksSet, LockWriter } from '$lib/server/locks';
import type { LockBoardAnswer } from '$lib/server/engine';
import { request, type Reply } from '../request';

export type LockState = 'open' | 'held' | 'closed';
export type LockLayer = 'board' | 'period close' | 'cycle';

const STATE_OF: Record<string, LockState> = { o: 'open', h: 'held', c: 'closed' };

/** What is set, and for whom: what the panel beside the board asks. */
export interface SetTerms {
	reason: string;
	turns: { on: string; to: LockState } | null;
	writers: LockWriter[];
}
export const NO_TERMS: SetTerms = { reason: '', turns: null, writers: [] };

interface Place {
	row: number;
	column: number;
}

/** How the board asks the server: replaced in tests. */
export type Ask = <Answer>(verb: string, body: object) => Promise<Reply<Answer>>;
const askServer: Ask = (verb, body) => request(`/api/locks/${verb}`, body);

/** The lock board: what is shown, what is chosen, and what is set. */
export class LockBoardState {
	head = $state.raw() as BoardHead;
	layer = $state<LockLayer>('board');
	rows = $state.raw<number[]>([]);
	columns = $state(0);
	within = $state<number | null>(null);
	chosen = $state.raw<Record<number, number>>({});
	board = $state.raw<LockBoardAnswer | null>(null);
	folded = $state.raw<ReadonlySet<string>>(new Set());
	/** Places in the rows that are shown. */
	anchor = $state.raw<Place>({ row: 0, column: 0 });
	focus = $state.raw<Place>({ row: 0, column: 0 });
	slice = $state.raw<LockedSlice | null>(null);
	told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	/** What is set within the selection and differs: asked about before anything is set. */
	asking = $state.raw<{ state: LockState | null; terms: SetTerms; exceptions: { id: number; name: string; state: LockState }[] } | null>(
		null
	);
	busy = $state(false);
	/** Changes made here, the last one at the end: Ctrl+Z takes it back. */
	made: number[] = [];
	readonly #ask: Ask;
	readonly #refresh: () => Promise<unknown>;

	/** @param refresh reads the page's data anew */
	constructor(head: BoardHead, refresh: () => Promise<unknown>, ask: Ask = askServer) {
		this.head = head;
		this.#ask = ask;
		this.#refresh = refresh;
		this.begin();
	}

	/** Rows, columns and selectors as one expects them: entities down, periods across, one scenario. */
	begin(): void {
		const drivers = this.drivers;
		const periods = drivers.find(({ kind }) => kind === 'period');
		const scenario = drivers.find(({ kind }) => kind === 'scenario');
		const others = drivers.filter((each) => each !== periods && each !== scenario);
		const entity = others.find(({ kind }) => kind === 'entity') ?? others[0];
		this.columns = (periods ?? others.find((each) => each !== entity) ?? scenario)?.id ?? 0;
		const down = entity
			? [entity, ...others.filter((each) => each !== entity && each.id !== this.columns).slice(0, 1)]
			: scenario
				? [scenario]
				: [];
		this.rows = down.map(({ id }) => id).filter((id) => id !== this.columns);
		if (this.rows.length === 0)
			this.rows = drivers
				.filter(({ id }) => id !== this.columns)
				.map(({ id }) => id)
				.slice(0, 1);
		const chosen: Record<number, number> = {};
		if (scenario && !this.rows.includes(scenario.id) && this.columns !== scenario.id) {
			const open = scenario.members.filter(({ id }) => this.head.years[id] !== undefined);
			const first = open.at(-1) ?? scenario.members[0];
			if (first) chosen[scenario.id] = first.id;
		}
		this.chosen = chosen;
		this.within = this.yearOf(chosen);
	}

	/** The year that is shown of a chosen scenario. */
	yearOf(chosen: Record<number, number>): number | null {
		const periods = this.drivers.find(({ kind }) => kind === 'period');
		if (!periods || this.columns !== periods.id) return null;
		const year = Object.values(chosen)
			.map((member) => this.head.years[member])
			.find((id) => id !== undefined);
		return year ?? periods.members.find(({ depth }) => depth === 0)?.id ?? null;
	}

	get drivers() {
		return this.head.dimensions.filter(({ drives }) => drives);
	}

	/** Dimensions that are neither on rows nor on columns. */
	get selectors() {
		return this.drivers.filter(({ id }) => !this.rows.includes(id) && id !== this.columns);
	}

	/** The rows that are not folded away, by their place in the answer. */
	visible = $derived.by(() => {
		const shown: number[] = [];
		let hiddenBelow: number | null = null;
		this.board?.rows.forEach(({ members, depth }, row) => {
			if (hiddenBelow !== null && depth > hiddenBelow) return;
			hiddenBelow = this.folded.has(members.join(' ')) ? depth : null;
			shown.push(row);
		});
		return shown;
	});

	async read(): Promise<void> {
		if (this.rows.length === 0 || this.columns === 0) return;
		const { layer, rows, columns, within, chosen } = this;
		const reply = await this.#ask<LockBoardAnswer>('board', { layer, rows, columns, within, chosen });
		if (reply.ok) {
			this.board = reply.answer;
			const last = { row: this.visible.length - 1, column: reply.answer.columns.length - 1 };
			const bounded = ({ row, column }: Place) => ({
				row: Math.max(0, Math.min(row, last.row)),
				column: Math.max(0, Math.min(column, last.column))
			});
			this.anchor = bounded(this.anchor);
			this.focus = bounded(this.focus);
			await this.look();
		} else this.told = { words: reply.message, isFault: true };
	}

	/** What a cell of the board shows: by place in the rows that are shown. */
	cellAt(row: number, column: number): { state: LockState; isOwn: boolean; exceptions: number } {
		const line = this.visible[row] ?? -1;
		const letter = this.board?.states[line]?.[column] ?? 'o';
		return {
			state: STATE_OF[letter.toLowerCase()]!,
			isOwn: letter !== letter.toLowerCase(),
			exceptions: this.board?.exceptions[line]?.[column] ?? 0
		};
	}

	/** The members (ids) of a cell's slice. */
	membersAt(row: number, column: number): number[] {
		const line = this.board?.rows[this.visible[row] ?? -1];
		const across = this.board?.columns[column];
		return [...(line?.members ?? []), ...(across?.members ?? []), ...this.selectors.flatMap(({ id }) => this.chosen[id] ?? [])];
	}

	get selection() {
		const [top, bottom] = [Math.min(this.anchor.row, this.focus.row), Math.max(this.anchor.row, this.focus.row)];
		const [left, right] = [Math.min(this.anchor.column, this.focus.column), Math.max(this.anchor.column, this.focus.column)];
		return { top, bottom, left, right, cells: (bottom - top + 1) * (right - left + 1) };
	}

	isSelected(row: number, column: number): boolean {
		const { top, bottom, left, right } = this.selection;
		return row >= top && row <= bottom && column >= left && column <= right;
	}

	get selected(): number[][] {
		const { top, bottom, left, right } = this.selection;
		const slices: number[][] = [];
		for (let row = top; row <= bottom; row++) for (let column = left; column <= right; column++) slices.push(this.membersAt(row, column));
		return slices;
	}

	goTo(place: Place, extends_ = false): void {
		this.focus = place;
		if (!extends_) this.anchor = place;
		this.asking = null;
		void this.look();
	}

	move(rows: number, columns: number, extends_: boolean): void {
		this.goTo(
			{
				row: Math.max(0, Math.min(this.focus.row + rows, this.visible.length - 1)),
				column: Math.max(0, Math.min(this.focus.column + columns, (this.board?.columns.length ?? 1) - 1))
			},
			extends_
		);
	}

	fold(row: number): void {
		const line = this.board?.rows[this.visible[row] ?? -1];
		if (!line?.isParent) return;
		const key = line.members.join(' ');
		const folded = new Set(this.folded);
		if (!folded.delete(key)) folded.add(key);
		this.folded = folded;
	}

	/** Asks what is known of the cell one stands on. */
	async look(): Promise<void> {
		const { row, column } = this.focus;
		if (!this.board?.rows[this.visible[row] ?? -1]) return;
		const reply = await this.#ask<LockedSlice>('slice', { members: this.membersAt(row, column) });
		if (reply.ok && row === this.focus.row && column === this.focus.column) this.slice = reply.answer;
	}

	/**
	 * Sets the selection. What is set within it and differs is asked about first.
	 * @param goes ids of those that go, once that is answered
	 */
	async set(state: LockState | null, terms: SetTerms = NO_TERMS, goes?: number[], slices: number[][] = this.selected): Promise<void> {
		if (this.busy) return;
		this.busy = true;
		const reply = await this.#ask<LocksSet>('set', { slices, state, ...terms, ...(goes && { goes }), seen: this.head.seen });
		this.busy = false;
		if (!reply.ok) {
			this.asking = null;
			this.told = { words: reply.message, isFault: true };
			if (reply.code === 'changed meanwhile') await this.#again();
			return;
		}
		if (reply.answer.kind === 'exceptions') {
			this.asking = { state, terms, exceptions: reply.answer.exceptions };
			return;
		}
		this.asking = null;
		const { change, slices: count } = reply.answer;
		this.#note(change, `${count === 1 ? 'One slice is' : `${count} slices are`} ${state ?? 'as above'} now.`);
		await this.#again();
	}

	async takeBack(change = this.made.at(-1)): Promise<void> {
		if (change === undefined || this.busy) return;
		this.busy = true;
		const reply = await this.#ask<{ change: number }>('take-back', { id: change });
		this.busy = false;
		this.made = this.made.filter((each) => each !== change);
		this.told = reply.ok ? { words: 'Taken back: it is as it was before.', isFault: false } : { words: reply.message, isFault: true };
		await this.#again();
	}

	async drop(lock: number): Promise<void> {
		const reply = await this.#ask<{ change: number | null }>('drop', { locks: [lock] });
		if (reply.ok) this.#note(reply.answer.change, 'Taken away.');
		else this.told = { words: reply.message, isFault: true };
		await this.#again();
	}

	/** A block of states as a spreadsheet has them, from the cell one stands on: o, h, c, or the words; empty for as above. */
	async paste(grid: readonly (readonly string[])[], terms: SetTerms): Promise<void> {
		const byState = new Map<LockState | null, number[][]>();
		const { row: top, column: left } = this.focus;
		for (const [down, line] of grid.entries())
			for (const [across, text] of line.entries()) {
				if (top + down >= this.visible.length || left + across >= (this.board?.columns.length ?? 0)) continue;
				const word = text.trim().toLowerCase();
				const state = word === '' ? null : (STATE_OF[word] ?? Object.values(STATE_OF).find((each) => each === word));
				if (state === undefined) {
					this.told = { words: `“${text}” is no state: o, h or c, or the words open, held, closed. Nothing was set.`, isFault: true };
					return;
				}
				byState.set(state, [...(byState.get(state) ?? []), this.membersAt(top + down, left + across)]);
			}
		// What lies within what is pasted stays as it is set: only the cells of the block are said.
		for (const [state, slices] of byState) await this.set(state, terms, [], slices);
	}

	/** The selection as a spreadsheet has it. */
	copy(): string[][] {
		const { top, bottom, left, right } = this.selection;
		const grid: string[][] = [];
		for (let row = top; row <= bottom; row++) {
			const line: string[] = [];
			for (let column = left; column <= right; column++) line.push(this.cellAt(row, column).state);
			grid.push(line);
		}
		return grid;
	}

	#note(change: number | null, words: string): void {
		if (change !== null) this.made = [...this.made, change];
		this.told = { words, isFault: false };
	}

	async #again(): Promise<void> {
		await this.#refresh();
		await this.read();
	}
}
