import type { SoughtValue, TryValues } from '$lib/server/engine';
import { editableFigure } from '../figures/format';
import type { FormSession } from './form-session.svelte';
import { formatAt, type Place } from './grid-state.svelte';

/** Results shown side by side at most. */
const MOST_RESULTS = 8;
/** Values tried at once at most. */
const MOST_VALUES = 25;

/** Values that are tried in a cell of an open form: the one at which another reaches a goal, or a range of them. */
export class Tryout {
	kind = $state<'goal' | 'range'>('goal');
	/** The cell whose value is changed. */
	driver = $state.raw<Place | null>(null);
	/** The cells that are looked at; the first is the one with a goal. */
	results = $state.raw<readonly Place[]>([]);
	goal = $state<number | null>(null);
	from = $state<number | null>(null);
	to = $state<number | null>(null);
	steps = $state(5);
	busy = $state(false);
	sought = $state.raw<SoughtValue | null>(null);
	tried = $state.raw<TryValues | null>(null);
	readonly #session: FormSession;
	/** The lines the places belong to. */
	#frame = '';

	constructor(session: FormSession) {
		this.#session = session;
	}

	get #form() {
		return this.#session.form;
	}

	/** A cell by its names. */
	nameOf({ row, column }: Place): string {
		const { heading, label } = this.#form.columns[column]!;
		return `${this.#form.rows[row]!.label}, ${heading && heading !== label ? `${heading} ` : ''}${label}`;
	}

	/** Begins at a cell: one that is typed into is changed, another is looked at. */
	begin(place: Place): void {
		if (this.#form.frame !== this.#frame) this.driver = null;
		if (this.#form.frame !== this.#frame) this.results = [];
		this.#frame = this.#form.frame;
		if (this.#mayBeTyped(place)) this.change(place);
		else this.look([place]);
	}

	#mayBeTyped({ row, column }: Place): boolean {
		return this.#form.takesEntry(row, column);
	}

	/** Says which cell is changed; a range begins a fifth beneath and above what stands there. */
	change(place: Place): void {
		this.driver = place;
		this.#forget();
		const value = this.#form.value(place.row, place.column);
		if (value === null) return;
		const whole = (part: number) => Number((value * part).toPrecision(6));
		[this.from, this.to] = [whole(0.8), whole(1.2)];
	}

	look(places: readonly Place[]): void {
		this.results = places.slice(0, MOST_RESULTS);
		this.#forget();
	}

	/** Values from one to another, evenly. */
	get values(): number[] {
		const { from, to } = this;
		if (from === null || to === null) return [];
		const count = Math.max(2, Math.min(MOST_VALUES, Math.round(this.steps) || 2));
		return Array.from({ length: count }, (_, at) => Number((from + ((to - from) * at) / (count - 1)).toPrecision(12)));
	}

	/** What is still missing before anything can be tried; empty when nothing is. */
	get missing(): string {
		if (this.driver === null) return 'Select the cell to be changed, and take it.';
		if (this.results.length === 0) return 'Select a cell to be looked at, and take it.';
		if (this.kind === 'goal' && this.goal === null) return 'Say what it is to come to.';
		return this.kind === 'range' && this.values.length === 0 ? 'Say from where to where.' : '';
	}

	#forget(): void {
		this.sought = null;
		this.tried = null;
	}

	async go(): Promise<void> {
		if (this.missing !== '') return;
		this.busy = true;
		this.#forget();
		const asked = { driver: this.driver, frame: this.#form.frame };
		if (this.kind === 'goal')
			this.sought =
				(await this.#session.ask<SoughtValue>('seek-goal', { asked: { ...asked, result: this.results[0], goal: this.goal } })) ?? null;
		else
			this.tried =
				(await this.#session.ask<TryValues>('try-values', { asked: { ...asked, results: this.results, values: this.values } })) ?? null;
		this.busy = false;
	}

	/** Types the value that was found into its cell. */
	async take(value: number, scale: 1 | 1_000 | 1_000_000, locale: string): Promise<void> {
		const { driver } = this;
		if (!driver) return;
		const text = editableFigure(value, formatAt(this.#form, driver.row, driver.column, scale), locale);
		await this.#session.enter([{ ...driver, text }]);
		this.#forget();
	}
}
