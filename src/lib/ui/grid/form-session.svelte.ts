import type { Conflict, FormWindow, MethodAnswer } from '$lib/server/engine';
import type {
	CellMark,
	EntryOutcome,
	FigureDetails,
	MovedMethod,
	OpenForm,
	Present,
	SaveOutcome,
	TakenBack,
	WorkbookReading
} from '$lib/server/form';
import type { Method } from '$lib/core';
import { ShownForm } from './shown-form';
import { randomId, type Tab } from './tab';
import { Drawers, drawersOf, type BrowserStore, type UnsentEntries } from './unsent';

/** What the reader chose: members by dimension id, and a currency. */
export interface Choices {
	members: Record<string, number>;
	currency?: string;
}

export interface Entry {
	row: number;
	column: number;
	text: string;
	/** An empty text shall show as nothing, whatever was loaded there. */
	empties?: boolean;
}

/** How entries are read, and how they reach the leaves. */
export interface EntryOptions {
	method?: 'in proportion' | 'evenly' | 'same value' | 'like another';
	like?: Record<string, number>;
	kept?: { row: number; column: number }[];
	overAll?: boolean;
	confirmed?: boolean;
	scale?: number;
	style?: { decimal: '.' | ','; group: ',' | '.' | ' ' | '’' | '' };
}

/** What the session needs of the page it lives on. */
export interface SessionPlace {
	/** Whom and which model, and branch of it, the page was opened for (ids): what is typed belongs to them, whatever happens elsewhere. */
	person: number;
	model: number | string;
	/** Where a form (by code) answers, model included. */
	addressOf: (form: string) => string;
	store: BrowserStore;
	tab: () => Promise<Tab>;
	fetch: typeof fetch;
}

/** How long a figure that another person changed stays lit. */
const FLASH_MILLISECONDS = 1_600;

/** The longest request that may outlive its page. */
const OUTLIVES_PAGE = 8_000;

/** How long to wait before what has not been sent is tried again. */
const RETRY_MILLISECONDS = 3_000;

/** An open form on the page: its figures, what was refused, and everything one can do with it. */
export class FormSession {
	readonly code: string;
	form = $state.raw<ShownForm>(undefined as unknown as ShownForm);
	steps = $state.raw({ undo: false, redo: false });
	saved = $state.raw<OpenForm['saved']>(null);
	draftSince = $state.raw<string | null>(null);
	choices: Choices;
	/** What the server refused of the last entry, by cell. */
	faults = $state.raw<Map<number, string>>(new Map());
	/** One line for the person: what was saved, or what went wrong; perhaps with something to do about it. */
	message = $state.raw<{ text: string; kind: 'info' | 'warning' | 'error'; act?: { label: string; run: () => void } } | null>(null);
	conflicts = $state.raw<Conflict[]>([]);
	refused = $state.raw<{ words: string; reason: string }[]>([]);
	/** Cells whose figure another person's save changed a moment ago. */
	flashing = $state.raw<Set<number>>(new Set());
	/** Cells just typed, shown until the server answers. */
	pending = $state.raw<Map<number, string>>(new Map());
	details = $state.raw<FigureDetails | null>(null);
	/** What stands beside cells, by cell. */
	marks = $state.raw<Map<number, CellMark>>(new Map());
	/** Whether results of runbooks are to be marked; looking for them takes a moment. */
	showsResults = false;
	present = $state.raw<Present[]>([]);
	busy = $state(false);
	/** Why entries wait in the browser: the server is away, the session has ended, or another person signed in. */
	away = $state<'unreachable' | 'signed out' | 'other person' | null>(null);
	/** Entries that wait. */
	waiting = $state(0);
	/** What is typed goes to the leaves this way until another is chosen. */
	options = $state.raw<EntryOptions>({});
	/** What else the person's draft of this model holds, by form. */
	elsewhere = $state.raw<OpenForm['elsewhere']>([]);
	#unsent: UnsentEntries[] = [];
	/** This tab's name, as soon as it is known. */
	#tab: string | undefined;
	#queue: Promise<unknown> = Promise.resolve();
	#inspected: { row: number; column: number } | null = null;
	#inspection = 0;
	/** Told when a draft was saved. */
	onsaved: () => void = () => {};
	#fault: { code: string; message: string; details: unknown } | undefined;
	#isAsking = false;
	/** The revision of the last save from this page, until it is taken back. */
	#lastSave: number | undefined;
	#retry: ReturnType<typeof setTimeout> | undefined;
	#shownRows: () => number[] = () => [];
	readonly #place: SessionPlace;
	readonly #drawers: Drawers;

	constructor(opened: OpenForm, choices: Choices, place: SessionPlace) {
		this.code = opened.code;
		this.choices = choices;
		this.#place = place;
		this.#drawers = new Drawers(place.store, { person: place.person, model: place.model, form: opened.code });
		this.take(opened);
	}

	/** Tells which rows are in sight: large forms bring those only. */
	watchRows(rows: () => number[]): void {
		this.#shownRows = rows;
	}

	/** Shows a form that was opened anew. */
	take(opened: OpenForm): void {
		this.form = new ShownForm(opened.form, this.form);
		this.steps = opened.steps;
		this.saved = opened.saved;
		this.draftSince = opened.draftSince;
		this.elsewhere = opened.elsewhere;
	}

	/** Entries that were typed before a crash, a reload or the end of a session are sent now. */
	async resume(): Promise<void> {
		const tab = await this.#place.tab();
		this.#tab = tab.name;
		const isOpen = await tab.open();
		const others = this.#drawers.tabs().filter((name) => name !== tab.name && !isOpen?.has(name));
		const kept = this.#drawers.read(tab.name);
		// Those of tabs that are gone go first; where nobody can tell whether they are, the person says.
		if (isOpen) this.#unsent = [...this.#takeOver(others), ...kept, ...this.#unsent];
		else this.#unsent = [...kept, ...this.#unsent];
		this.#keep();
		if (!isOpen && others.length > 0) {
			const count = countEntries(others.flatMap((name) => this.#drawers.read(name)));
			this.message = {
				text: `${count === 1 ? 'One entry' : `${count} entries`} you typed in another window of this browser did not reach the server.`,
				kind: 'warning',
				act: { label: 'Send them now', run: () => void this.#sendFrom(others) }
			};
		}
		if (this.#unsent.length > 0) await this.#inOrder(() => this.#sendUnsent());
		await this.#sendLeftBehind(tab.name, isOpen);
	}

	async #sendFrom(tabs: readonly string[]): Promise<void> {
		this.message = null;
		this.#unsent = [...this.#takeOver(tabs), ...this.#unsent];
		this.#keep();
		await this.#inOrder(() => this.#sendUnsent());
	}

	/** What was typed in other forms just before they were left, in this tab or in one that is gone, is sent to them. */
	async #sendLeftBehind(tab: string, isOpen: ReadonlySet<string> | undefined): Promise<void> {
		const { store, person, model } = this.#place;
		let refused = 0;
		let sent = 0;
		for (const { form, tab: of } of drawersOf(store, person, model)) {
			if (form === this.code || (of !== tab && (!isOpen || isOpen.has(of)))) continue;
			const drawers = new Drawers(store, { person, model, form });
			for (let waiting = drawers.read(of); waiting.length > 0; waiting = waiting.slice(1)) {
				const { id, choices, entries, structure, frame, options } = waiting[0]!;
				const outcome = await this.#post<EntryOutcome>(
					'enter',
					{ choices, entries: { id, entries, structure, frame, ...options } },
					true,
					form
				);
				if (outcome === 'away') return;
				sent += entries.length;
				refused += outcome ? outcome.faults.length : entries.length;
				drawers.keep(of, waiting.slice(1));
			}
		}
		if (sent === 0) return;
		await this.#inOrder(() => this.reopen());
		if (refused > 0)
			this.message = {
				text: `${refused === 1 ? 'One entry' : `${refused} entries`} you typed in another form before you left it ${refused === 1 ? 'was' : 'were'} not taken.`,
				kind: 'error'
			};
	}

	/** Empties the drawers of other tabs. */
	#takeOver(tabs: readonly string[]): UnsentEntries[] {
		return tabs.flatMap((name) => {
			const found = this.#drawers.read(name);
			this.#drawers.keep(name, []);
			return found;
		});
	}

	/** Fetches rows that are in sight and not here yet. */
	async need(rows: readonly number[]): Promise<void> {
		const missing = rows.filter((row) => !this.form.has(row));
		// One question at a time: whoever scrolls on wants the rows that are in sight by then.
		if (missing.length === 0 || this.#isAsking) return;
		this.#isAsking = true;
		const { frame } = this.form;
		const opened = await this.#post<OpenForm>('open', { choices: this.choices, window: { frame, rows: missing } }).finally(
			() => (this.#isAsking = false)
		);
		if (!opened || opened.form.frame !== this.form.frame) return;
		// Rows of another moment do not stand beside those here.
		const isSameMoment =
			opened.form.revision === this.form.revision &&
			opened.form.draftSize === this.form.draftSize &&
			JSON.stringify(opened.form.trial) === JSON.stringify(this.form.trial);
		this.form = new ShownForm(opened.form, this.form, isSameMoment);
		void this.need(this.#shownRows());
	}

	/** Types into cells. Entries are sent one after another, so that each sees what came before. */
	enter(entries: Entry[], more: EntryOptions = {}): Promise<void> {
		if (entries.length === 0) return Promise.resolve();
		const { form } = this;
		this.pending = new Map([...this.pending, ...entries.map(({ row, column, text }) => [form.cell(row, column), text] as const)]);
		this.#unsent.push({
			id: randomId(),
			choices: this.choices,
			structure: form.structure,
			frame: form.frame,
			entries,
			options: { ...this.options, ...more }
		});
		this.#keep();
		return this.#inOrder(() => this.#sendUnsent());
	}

	/** Types into the same form at other choices: what a workbook brought was made there. */
	enterAt(
		{ choices, structure, frame }: Pick<UnsentEntries, 'choices' | 'structure' | 'frame'>,
		entries: Entry[],
		options: EntryOptions
	): Promise<void> {
		if (entries.length === 0) return Promise.resolve();
		this.#unsent.push({ id: randomId(), choices, structure, frame, entries, options });
		this.#keep();
		return this.#inOrder(async () => {
			await this.#sendUnsent();
			await this.reopen();
		});
	}

	/** Sends what waits, oldest first; stops where the server does not answer and tries again in a while. */
	async #sendUnsent(): Promise<void> {
		while (this.#unsent.length > 0) {
			const next = this.#unsent[0]!;
			const { id, entries, options, structure, frame, choices } = next;
			const wasAway = this.away !== null;
			const outcome = await this.#post<EntryOutcome>(
				'enter',
				{ choices, window: this.#window(), entries: { id, entries, structure, frame, ...options } },
				true
			);
			if (outcome === 'away') return;
			this.#unsent.shift();
			this.#keep();
			this.#settle(next, outcome, wasAway);
		}
	}

	/** Nothing comes through: asked again in a while, where something waits or the server may be back by itself. */
	#isAway(why: NonNullable<FormSession['away']>): void {
		this.away = why;
		if (this.#retry !== undefined || (why !== 'unreachable' && this.#unsent.length === 0)) return;
		this.#retry = setTimeout(() => {
			this.#retry = undefined;
			void this.#inOrder(() => (this.#unsent.length > 0 ? this.#sendUnsent() : this.reopen()));
		}, RETRY_MILLISECONDS);
	}

	#settle({ entries, options, frame }: UnsentEntries, outcome: EntryOutcome | undefined, wasAway: boolean): void {
		const isHere = frame === this.form.frame;
		const cellOf = ({ row, column }: { row: number; column: number }) => this.form.cell(row, column);
		if (isHere)
			// Entries typed since are still on their way.
			this.pending = new Map(
				[...this.pending].filter(([cell, text]) => !entries.some((entry) => cellOf(entry) === cell && entry.text === text))
			);
		if (!outcome) {
			if (isHere)
				this.faults = new Map([
					...this.faults,
					...entries.map((entry) => [cellOf(entry), this.message?.text ?? 'This entry was not taken.'] as const)
				]);
			return;
		}
		if (!isHere) return;
		this.#show(outcome);
		const asks = outcome.faults.find(({ code }) => code === 'asks first');
		if (asks)
			this.message = {
				text: asks.message,
				kind: 'warning',
				act: { label: 'Fill them', run: () => void this.enter(entries, { ...options, confirmed: true }) }
			};
		else if (outcome.faults.length > 0)
			this.message = {
				text:
					outcome.faults.length === 1
						? outcome.faults[0]!.message
						: `${outcome.faults.length} of ${entries.length} cells were not taken. ${outcome.faults[0]!.message}`,
				kind: 'error'
			};
		else if (outcome.warnings.length > 0) this.message = { text: outcome.warnings.join(' '), kind: 'warning' };
		else this.message = wasAway ? { text: 'The server is back and has your entries.', kind: 'info' } : null;
	}

	/** Takes the last entry back; when none is left, offers to take the last save back. */
	undo = (): Promise<void> => {
		const revision = this.#lastSave;
		if (this.steps.undo || revision === undefined) return this.#step('undo');
		this.message = {
			text: 'Your entries are saved already. The save can be taken back as a whole.',
			kind: 'info',
			act: { label: 'Take the save back', run: () => void this.takeBack(revision) }
		};
		return Promise.resolve();
	};
	redo = (): Promise<void> => this.#step('redo');

	/** Posts what was typed in this form, or the whole draft. With decisions, conflicts among them are settled. */
	save({ all = false, ...decisions }: { keepMine?: Conflict[]; takeTheirs?: Conflict[]; all?: boolean } = {}): Promise<void> {
		return this.#inOrder(async () => {
			await this.#sendUnsent();
			if (this.#unsent.length > 0) return;
			const cell = ({ address, period }: Conflict) => ({ address, period });
			const body = {
				all,
				decisions: { keepMine: (decisions.keepMine ?? []).map(cell), takeTheirs: (decisions.takeTheirs ?? []).map(cell) }
			};
			const outcome = await this.#post<SaveOutcome>('save', body);
			if (!outcome) return;
			this.conflicts = outcome.kind === 'conflicts' ? outcome.conflicts : [];
			this.refused = outcome.kind === 'refused' ? outcome.refused : [];
			// The figures first: when it says that it is saved, they are what was saved.
			await this.reopen();
			this.message = saveMessage(outcome);
			if (outcome.kind === 'saved') {
				const { revision } = outcome;
				// What was saved in a branch is put back on its page.
				if (outcome.branch === undefined) {
					this.#lastSave = revision;
					this.message = { ...this.message!, act: { label: 'Take the save back', run: () => void this.takeBack(revision) } };
				}
				this.onsaved();
			}
		});
	}

	/** Takes a save back, cell by cell. */
	takeBack(revision: number): Promise<void> {
		return this.#inOrder(async () => {
			const outcome = await this.#post<TakenBack>('take-back', { takeBack: { revision } });
			if (!outcome) return;
			this.#lastSave = undefined;
			await this.reopen();
			this.message = {
				text:
					`${outcome.cells === 1 ? 'One cell is' : `${outcome.cells} cells are`} as before the save.` +
					(outcome.stay === 0 ? '' : ` ${outcome.stay} stay: they were typed anew since, or are closed now.`),
				kind: 'info'
			};
		});
	}

	discard(): Promise<void> {
		return this.#inOrder(async () => {
			const outcome = await this.#post<{ cells: number }>('discard', {});
			if (!outcome) return;
			this.#unsent = [];
			this.#keep();
			this.conflicts = [];
			this.refused = [];
			this.faults = new Map();
			this.pending = new Map();
			await this.reopen();
			this.message = {
				text: 'What you typed in this form is discarded.',
				kind: 'info',
				...(outcome.cells > 0 && { act: { label: 'Bring it back', run: () => void this.bringBack() } })
			};
		});
	}

	/** Brings back what was discarded last in this form. */
	bringBack(): Promise<void> {
		return this.#inOrder(async () => {
			const outcome = await this.#post<{ cells: number; stay: number }>('bring-back', {});
			if (!outcome) return;
			await this.reopen();
			this.message = {
				text:
					`${outcome.cells === 1 ? 'One cell is' : `${outcome.cells} cells are`} in your draft again.` +
					(outcome.stay === 0 ? '' : ` ${outcome.stay} were typed anew since and stay.`),
				kind: 'info'
			};
		});
	}

	/** Another person or a load moved the figures: reads them anew and lights up what changed. */
	refresh(revision: number): Promise<void> {
		return revision <= this.form.revision ? Promise.resolve() : this.refreshNow();
	}

	/** The same where it is not told by a revision: a branch has moved. */
	refreshNow(): Promise<void> {
		return this.#inOrder(async () => {
			const before = this.form;
			await this.reopen();
			this.flashing = this.form.changedSince(before);
			void this.readMarks();
			setTimeout(() => (this.flashing = new Set()), FLASH_MILLISECONDS);
		});
	}

	/** The model's structure changed: the lines may be others now. */
	follow(structure: number): Promise<void> {
		if (structure <= this.form.structure) return Promise.resolve();
		return this.#inOrder(async () => {
			await this.reopen();
			this.faults = new Map();
			this.pending = new Map();
			void this.readMarks();
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

	/** Everything about a cell, for once. */
	detailsAt = (row: number, column: number): Promise<FigureDetails | undefined> =>
		this.#post<FigureDetails>('inspect', { choices: this.choices, row, column });

	/** Why nothing can be typed into a cell, in a sentence. */
	async whyNot(row: number, column: number): Promise<string> {
		const details = await this.detailsAt(row, column);
		return details?.verdict.reason || 'Nothing is typed into this cell.';
	}

	/** Which cells have something beside them. */
	async readMarks(): Promise<void> {
		const marks = await this.#post<CellMark[]>('marks', { choices: this.choices, results: this.showsResults });
		if (marks) this.marks = new Map(marks.map((mark) => [mark.cell, mark]));
		await this.readMethods();
	}

	/** Says where one is, and hears who else is here. */
	async tellPresence(members: Record<string, number>): Promise<void> {
		if (this.away === 'unreachable') return;
		const present = await this.#post<Present[]>('presence', { members }, true);
		if (present && present !== 'away') this.present = present;
	}

	/** Rows whose method gives something else now than when it filled them. */
	movedMethods = $state.raw<readonly MovedMethod[]>([]);

	/** Looks for rows to be filled again; where the form says so they are, in one's draft. */
	async readMethods(): Promise<void> {
		if (!this.form.defaults.methods) return;
		const found = await this.ask<{ rows: MovedMethod[] }>('moved-methods', {});
		this.movedMethods = found?.rows ?? [];
		// What somebody typed over is theirs: such rows are marked, and filled when asked.
		const untouched = this.movedMethods.filter(({ wholly }) => wholly);
		if (!this.form.defaults.methodsLive || untouched.length === 0) return;
		await this.fillAgain(untouched);
	}

	/** Fills rows by their methods once more. */
	async fillAgain(rows: readonly MovedMethod[] = this.movedMethods): Promise<void> {
		for (const { row, method } of rows) await this.fill(row, method);
	}

	/** Asks the server anything else about the form; its sentence is shown where it cannot. */
	ask = <Answer>(verb: string, body: object): Promise<Answer | undefined> => this.#post<Answer>(verb, { choices: this.choices, ...body });

	/** What the server said when it could not answer the last question of a kind (a fault's code), with what it said besides. */
	faultOf(code: string): { message: string; details: unknown } | undefined {
		const fault = this.#fault;
		return fault?.code === code ? fault : undefined;
	}

	/** What a method gives for a row, to be looked at. */
	method = (row: number, method: Method): Promise<MethodAnswer | undefined> =>
		this.ask('method', { asked: { row, structure: this.form.structure, frame: this.form.frame, method } });

	/** Puts what a method gives into the draft. */
	fill(row: number, method: Method): Promise<void> {
		return this.#inOrder(async () => {
			const outcome = await this.ask<EntryOutcome>('fill', {
				asked: { row, structure: this.form.structure, frame: this.form.frame, method },
				window: this.#window()
			});
			if (!outcome) return;
			this.#show(outcome);
			this.movedMethods = this.movedMethods.filter((each) => each.row !== row);
			this.message =
				outcome.faults.length > 0
					? { text: outcome.faults[0]!.message, kind: 'error' }
					: { text: 'The row is filled in your draft. Save when you are done.', kind: 'info' };
		});
	}

	/** What a workbook that came back would do. */
	async readWorkbook(file: File): Promise<WorkbookReading | undefined> {
		// Said whatever the file is: without a type the body would be taken for none.
		const headers = { 'content-type': 'application/octet-stream', 'x-person': String(this.#place.person) };
		const response = await this.#place
			.fetch(`${this.#place.addressOf(this.code)}/workbook`, { method: 'POST', headers, body: file })
			.catch(() => undefined);
		const answer = (await response?.json().catch(() => undefined)) as (WorkbookReading & { message?: string }) | undefined;
		if (response?.ok && answer) return answer;
		this.message = {
			text: answer?.message ?? 'The server cannot be reached. The workbook was not read; try again in a moment.',
			kind: 'error'
		};
		return undefined;
	}

	async reopen(): Promise<void> {
		const opened = await this.#post<OpenForm>('open', { choices: this.choices, window: this.#window() }, true);
		if (opened === 'away') return;
		if (opened) this.take(opened);
		if (this.details && this.#inspected) void this.inspect(this.#inspected.row, this.#inspected.column);
	}

	/** The lines are known; of a large form the rows in sight are wanted. */
	#window(): FormWindow {
		const { frame, moment, isPartial } = this.form;
		return { frame, ...(isPartial ? { rows: this.#shownRows() } : { moment }) };
	}

	#step(way: 'undo' | 'redo'): Promise<void> {
		return this.#inOrder(async () => {
			const outcome = await this.#post<EntryOutcome>(way, { choices: this.choices, window: this.#window() });
			if (outcome) this.#show(outcome);
			this.message = null;
		});
	}

	#show(outcome: EntryOutcome): void {
		this.form = new ShownForm(outcome.form, this.form);
		this.steps = outcome.steps;
		this.faults = new Map(outcome.faults.map(({ row, column, message }) => [this.form.cell(row, column), message]));
		if (this.details && this.#inspected) void this.inspect(this.#inspected.row, this.#inspected.column);
	}

	#keep(): void {
		this.waiting = countEntries(this.#unsent);
		if (this.#tab !== undefined) this.#drawers.keep(this.#tab, this.#unsent);
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

	async #post<Answer>(verb: string, body: object): Promise<Answer | undefined>;
	async #post<Answer>(verb: string, body: object, tellsAway: true, form?: string): Promise<Answer | undefined | 'away'>;
	/** The server's answer, or undefined with its sentence shown; with `tellsAway`, `away` when it should be asked again. */
	async #post<Answer>(verb: string, body: object, tellsAway = false, form = this.code): Promise<Answer | undefined | 'away'> {
		try {
			const text = JSON.stringify(body);
			const response = await this.#place.fetch(`${this.#place.addressOf(form)}/${verb}`, {
				method: 'POST',
				headers: { 'content-type': 'application/json', 'x-person': String(this.#place.person) },
				body: text,
				// What was typed just before leaving the page still arrives; browsers allow it for small bodies.
				keepalive: verb === 'enter' && text.length < OUTLIVES_PAGE
			});
			const answer = (await response.json().catch(() => ({}))) as Answer & { code?: string; message?: string; details?: unknown };
			if (response.ok) {
				this.away = null;
				return answer;
			}
			this.#fault = { code: answer.code ?? '', message: answer.message ?? '', details: answer.details };
			if (response.status === 401) {
				this.#isAway('signed out');
				return tellsAway ? 'away' : undefined;
			}
			// Nothing goes under another name: it waits until this person has signed in again.
			if (answer.code === 'other person') {
				this.#isAway('other person');
				this.message = { text: answer.message ?? '', kind: 'error' };
				return tellsAway ? 'away' : undefined;
			}
			// A server that is starting, or one in front of it that has none to ask.
			if (response.status >= 502 && tellsAway) {
				this.#isAway('unreachable');
				return 'away';
			}
			this.message = { text: answer.message ?? 'The server could not answer. Try again.', kind: 'error' };
		} catch {
			this.#isAway('unreachable');
			if (tellsAway) return 'away';
		}
		return undefined;
	}
}

const countEntries = (unsent: readonly UnsentEntries[]): number => unsent.reduce((count, { entries }) => count + entries.length, 0);

function saveMessage(outcome: SaveOutcome): FormSession['message'] {
	switch (outcome.kind) {
		case 'saved':
			return {
				text: `Saved ${outcome.cells === 1 ? 'one cell' : `${outcome.cells} cells`} ${outcome.branch === undefined ? `as revision ${outcome.revision}` : 'in the branch'}.`,
				kind: 'info'
			};
		case 'nothing':
			return { text: 'There was nothing left to save.', kind: 'info' };
		case 'conflicts':
			return { text: 'Not saved yet: others changed some of these cells meanwhile.', kind: 'error' };
		case 'refused':
			return { text: 'Not saved: some cells are closed to you now. Your draft is kept.', kind: 'error' };
		default:
			return outcome satisfies never;
	}
}
