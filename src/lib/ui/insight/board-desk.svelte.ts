import type { BoardContent, Tile } from '$lib/core';
import type { FormChoices } from '$lib/server/form';
import type { Board, BoardFigures, TileAnswer } from '$lib/server/insight';
import { request, type Reply } from '../request';

/** What the address of a board says. */
export interface BoardPlace {
	choices: FormChoices;
	against: string | undefined;
	tab: number;
}

type Ask = <Answer>(path: string, body: unknown) => Promise<Reply<Answer>>;

/** How long to wait after a change while a board is arranged. */
const LOOK_MILLISECONDS = 300;

/** A board as somebody looks at it, types on it, or arranges it. */
export class BoardDesk {
	board = $state.raw<Board>(undefined as unknown as Board);
	figures = $state.raw<BoardFigures>(undefined as unknown as BoardFigures);
	place = $state.raw<BoardPlace>({ choices: { members: {} }, against: undefined, tab: 0 });
	/** The board as it is being arranged; null while it is looked at. */
	draft = $state.raw<BoardContent | null>(null);
	facts = $state<{ name: string; description: string; shared: boolean; people: number[] }>({
		...{ name: '', description: '', shared: false },
		people: []
	});
	/** The tile (id) that is edited. */
	picked = $state<number | null>(null);
	fault = $state('');
	busy = $state(false);
	readonly #ask: Ask;
	#asking = false;
	#again = false;
	#timer: ReturnType<typeof setTimeout> | undefined;

	constructor(board: Board, figures: BoardFigures, place: BoardPlace, ask: Ask = request) {
		this.#ask = ask;
		this.take(board, figures, place);
	}

	take(board: Board, figures: BoardFigures, place: BoardPlace): void {
		this.board = board;
		this.figures = figures;
		this.place = place;
	}

	get content(): BoardContent {
		return this.draft ?? this.board.content;
	}

	get tab(): number {
		return Math.min(this.place.tab, this.content.tabs.length - 1);
	}

	get tiles(): readonly Tile[] {
		return this.content.tabs[this.tab]!.tiles;
	}

	/** Tiles that are seen: all while the board is arranged. */
	get shown(): readonly Tile[] {
		return this.draft ? this.tiles : this.tiles.filter(({ id }) => !this.board.hidden.includes(id));
	}

	readonly #answers = $derived(new Map(this.figures.tiles.map((tile) => [tile.id, tile] as const)));
	answer = (tile: number): TileAnswer | undefined => this.#answers.get(tile);

	/**
	 * Asks for the figures anew, what is unsaved included. While one question is under way the next waits, and several become
	 * one: whoever types fast is not queued behind themselves.
	 */
	async refresh(): Promise<void> {
		if (this.#asking) {
			this.#again = true;
			return;
		}
		this.#asking = true;
		do {
			this.#again = false;
			const { board, place, draft } = this;
			const reply = await this.#ask<BoardFigures>('/api/boards/figures', {
				id: board.id,
				choices: place.choices,
				...(place.against !== undefined && { against: place.against }),
				tab: this.tab,
				...(draft && { content: draft })
			});
			// What was asked for another page or choice does not stand here.
			if (place !== this.place || draft !== this.draft) this.#again = true;
			else if (reply.ok) {
				this.figures = reply.answer;
				this.fault = '';
			} else this.fault = reply.message;
		} while (this.#again);
		this.#asking = false;
	}

	/** Begins to arrange. */
	arrange(): void {
		this.draft = this.board.content;
		const { name, description, shared, people } = this.board;
		this.facts = { name, description, shared, people: [...people] };
	}

	/** Leaves everything as it is stored. */
	leave(): void {
		this.draft = null;
		this.picked = null;
		void this.refresh();
	}

	change(next: (content: BoardContent) => BoardContent): void {
		if (!this.draft) return;
		this.draft = next(this.draft);
		clearTimeout(this.#timer);
		this.#timer = setTimeout(() => void this.refresh(), LOOK_MILLISECONDS);
	}

	changeTiles(next: (tiles: readonly Tile[]) => Tile[]): void {
		const { tab } = this;
		this.change((content) => ({
			...content,
			tabs: content.tabs.map((each, at) => (at === tab ? { ...each, tiles: next(each.tiles) } : each))
		}));
	}

	changeTile(id: number, next: (tile: Tile) => Tile): void {
		this.changeTiles((tiles) => tiles.map((tile) => (tile.id === id ? next(tile) : tile)));
	}

	/** A new tile at the end of the page, to be edited. */
	add(tile: Omit<Tile, 'id'> & { kind: Tile['kind'] }): void {
		const id = Math.max(0, ...this.content.tabs.flatMap(({ tiles }) => tiles.map((each) => each.id))) + 1;
		this.changeTiles((tiles) => [...tiles, { ...tile, id } as Tile]);
		this.picked = id;
	}

	remove(id: number): void {
		this.changeTiles((tiles) => tiles.filter((tile) => tile.id !== id));
		if (this.picked === id) this.picked = null;
	}

	/** Moves a tile by so many places. */
	move(id: number, by: number): void {
		this.changeTiles((tiles) => {
			const from = tiles.findIndex((tile) => tile.id === id);
			const to = Math.max(0, Math.min(tiles.length - 1, from + by));
			const rest = tiles.filter((tile) => tile.id !== id);
			return [...rest.slice(0, to), tiles[from]!, ...rest.slice(to)];
		});
	}

	resize(id: number, width: number, height: number): void {
		this.changeTile(id, (tile) => ({
			...tile,
			width: Math.max(2, Math.min(12, tile.width + width)),
			height: Math.max(1, Math.min(12, tile.height + height))
		}));
	}

	/** Stores what was arranged. @returns whether it is stored */
	async store(): Promise<boolean> {
		if (!this.draft) return true;
		this.busy = true;
		const { id, version } = this.board;
		const content = this.draft;
		const reply = await this.#ask<{ version: number }>('/api/boards/change', { id, version, ...this.facts, content });
		this.busy = false;
		this.fault = reply.ok ? '' : reply.message;
		if (!reply.ok) return false;
		this.board = { ...this.board, ...this.facts, content, version: reply.answer.version };
		this.draft = null;
		this.picked = null;
		return true;
	}

	async hide(tile: number): Promise<void> {
		const hidden = this.board.hidden.includes(tile) ? this.board.hidden.filter((id) => id !== tile) : [...this.board.hidden, tile];
		const reply = await this.#ask('/api/boards/hide', { id: this.board.id, tiles: hidden });
		this.fault = reply.ok ? '' : reply.message;
		if (reply.ok) this.board = { ...this.board, hidden };
	}
}
