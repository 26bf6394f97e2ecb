import type { Conflict, FormAnswer } from '$lib/server/engine';
import type { EntryOutcome, FigureDetails, OpenForm, SaveOutcome } from '$lib/server/form';

/** What the reader chose: members by dimension id, and a currency. */
export interface Choices {
	members: Record<string, number>;
	currency?: string;
}

export interface Entry {
	row: number;
	column: number;
	text: string;
}

export interface EntryFault {
	row: number;
	column: number;
	message: string;
}

/** How long a figure that another person changed stays lit. */
const FLASH_MILLISECONDS = 1_600;

/** An open form on the page: its figures, what was refused, and everything one can do with it. */
export class FormSession {
	readonly code: string;
	form = $state.raw<FormAnswer>(undefined as unknown as FormAnswer);
	steps = $state.raw({ undo: false, redo: false });
	saved = $state.raw<OpenForm['saved']>(null);
	choices: Choices;
	/** What the server refused of the last entry, by cell index. */
	faults = $state.raw<Map<number, string>>(new Map());
	/** One line for the person: what was saved, or what went wrong. */
	message = $state<{ text: string; kind: 'info' | 'warning' | 'error' } | null>(null);
	conflicts = $state.raw<Conflict[]>([]);
	refused = $state.raw<{ words: string; reason: string }[]>([]);
	/** Cells whose figure another person's save changed a moment ago. */
	flashing = $state.raw<Set<number>>(new Set());
	/** Cells just typed, shown until the server answers. */
	pending = $state.raw<Map<number, string>>(new Map());
	details = $state.raw<FigureDetails | null>(null);
	busy = $state(false);
	#queue: Promise<unknown> = Promise.resolve();
	#inspected: { row: number; column: number } | null = null;
	#inspection = 0;

	constructor(opened: OpenForm, choices: Choices) {
		this.code = opened.code;
		this.choices = choices;
		this.take(opened);
	}

	/** Shows a form that was opened anew. */
	take(opened: OpenForm): void {
		this.form = opened.form;
		this.steps = opened.steps;
		this.saved = opened.saved;
	}

	/** Types into cells. Entries are sent one after another, so that each sees what came before. */
	enter(entries: Entry[]): Promise<void> {
		if (entries.length === 0) return Promise.resolve();
		const columns = this.form.columns.length;
		this.pending = new Map([...this.pending, ...entries.map(({ row, column, text }) => [row * columns + column, text] as const)]);
		return this.#inOrder(async () => {
			const outcome = await this.#post<EntryOutcome>('enter', {
				choices: this.choices,
				entries: { entries, structure: this.form.structure }
			});
			if (!outcome) {
				// What was typed stays in sight, marked, to be taken up again with F2.
				this.faults = new Map([
					...this.faults,
					...entries.map(
						({ row, column }) =>
							[row * columns + column, 'This entry has not reached the server. Edit it and press Enter to try again.'] as const
					)
				]);
				return;
			}
			// Entries typed since are still on their way.
			this.pending = new Map(
				[...this.pending].filter(
					([cell, text]) => !entries.some((entry) => entry.row * columns + entry.column === cell && entry.text === text)
				)
			);
			this.#show(outcome);
			const what =
				outcome.faults.length === 1
					? outcome.faults[0]!.message
					: `${outcome.faults.length} of ${entries.length} cells were not taken. ${outcome.faults[0]?.message ?? ''}`;
			if (outcome.faults.length > 0) this.message = { text: what, kind: 'error' };
			else this.message = outcome.warnings.length > 0 ? { text: outcome.warnings.join(' '), kind: 'warning' } : null;
		});
	}

	undo = (): Promise<void> => this.#step('undo');
	redo = (): Promise<void> => this.#step('redo');

	/** Posts the draft. With decisions, conflicts among them are settled. */
	save(decisions: { keepMine?: Conflict[]; takeTheirs?: Conflict[] } = {}): Promise<void> {
		return this.#inOrder(async () => {
			const cell = ({ address, period }: Conflict) => ({ address, period });
			const body = { decisions: { keepMine: (decisions.keepMine ?? []).map(cell), takeTheirs: (decisions.takeTheirs ?? []).map(cell) } };
			const outcome = await this.#post<SaveOutcome>('save', body);
			if (!outcome) return;
			this.conflicts = outcome.kind === 'conflicts' ? outcome.conflicts : [];
			this.refused = outcome.kind === 'refused' ? outcome.refused : [];
			if (outcome.kind === 'saved')
				this.message = {
					text: `Saved ${outcome.cells === 1 ? 'one cell' : `${outcome.cells} cells`} as revision ${outcome.revision}.`,
					kind: 'info'
				};
			if (outcome.kind === 'nothing') this.message = { text: 'There was nothing left to save.', kind: 'info' };
			if (outcome.kind === 'conflicts')
				this.message = { text: 'Not saved yet: others changed some of these cells meanwhile.', kind: 'error' };
			if (outcome.kind === 'refused')
				this.message = { text: 'Not saved: some cells are closed to you now. Your draft is kept.', kind: 'error' };
			await this.#open();
		});
	}

	discard(): Promise<void> {
		return this.#inOrder(async () => {
			if (!(await this.#post('discard', {}))) return;
			this.conflicts = [];
			this.refused = [];
			this.faults = new Map();
			this.message = { text: 'Your unsaved entries are gone.', kind: 'info' };
			await this.#open();
		});
	}

	/** Another person or a load moved the figures: reads them anew and lights up what changed. */
	refresh(revision: number): Promise<void> {
		if (revision <= this.form.revision) return Promise.resolve();
		return this.#inOrder(async () => {
			const before = this.form;
			await this.#open();
			if (before.values.length !== this.form.values.length) return;
			const drafted = new Set(this.form.drafted);
			this.flashing = new Set(
				this.form.values.flatMap((value, index) => (value === before.values[index] || drafted.has(index) ? [] : [index]))
			);
			setTimeout(() => (this.flashing = new Set()), FLASH_MILLISECONDS);
		});
	}

	/** The model's structure changed: the lines may be others now. */
	follow(structure: number): Promise<void> {
		if (structure <= this.form.structure) return Promise.resolve();
		return this.#inOrder(async () => {
			await this.#open();
			this.faults = new Map();
			this.pending = new Map();
		});
	}

	/** Asks for everything about a cell, for the inspector. */
	async inspect(row: number, column: number): Promise<void> {
		this.#inspected = { row, column };
		const asked = ++this.#inspection;
		const details = await this.#post<FigureDetails>('inspect', { choices: this.choices, row, column });
		// A newer question may have been asked meanwhile.
		if (details && asked === this.#inspection) this.details = details;
	}

	async #open(): Promise<void> {
		const opened = await this.#post<OpenForm>('open', { choices: this.choices });
		if (opened) this.take(opened);
		if (this.details && this.#inspected) void this.inspect(this.#inspected.row, this.#inspected.column);
	}

	#step(way: 'undo' | 'redo'): Promise<void> {
		return this.#inOrder(async () => {
			const outcome = await this.#post<EntryOutcome>(way, { choices: this.choices });
			if (outcome) this.#show(outcome);
			this.message = null;
		});
	}

	#show(outcome: EntryOutcome): void {
		const columns = outcome.form.columns.length;
		this.form = outcome.form;
		this.steps = outcome.steps;
		this.faults = new Map(outcome.faults.map(({ row, column, message }) => [row * columns + column, message]));
		if (this.details && this.#inspected) void this.inspect(this.#inspected.row, this.#inspected.column);
	}

	#inOrder(work: () => Promise<void>): Promise<void> {
		const next = this.#queue.then(async () => {
			this.busy = true;
			try {
				await work();
			} finally {
				this.busy = false;
			}
		});
		this.#queue = next.catch(() => {});
		return next;
	}

	/** The server's answer, or undefined with its sentence shown. */
	async #post<Answer>(verb: string, body: object): Promise<Answer | undefined> {
		try {
			const response = await fetch(`/api/forms/${this.code}/${verb}`, {
				method: 'POST',
				headers: { 'content-type': 'application/json' },
				body: JSON.stringify(body)
			});
			const answer = (await response.json()) as Answer & { message?: string };
			if (response.ok) return answer;
			if (response.status === 401) location.reload();
			this.message = { text: answer.message ?? 'The server could not answer. Try again.', kind: 'error' };
		} catch {
			this.message = {
				text: 'The server cannot be reached. What you saved and your draft up to here are kept; try again in a moment.',
				kind: 'error'
			};
		}
		return undefined;
	}
}
