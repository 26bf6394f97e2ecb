import { CLEARED, EMPTY, isEmpty, NOTHING, Overlay, Reader, type Model, type ReadGuard } from '../../core';
import type { Database } from '../database/pool';
import { leafOfMember, toOrdinals } from './addresses';
import type { DraftValue } from './requests/enter';

/** A person's draft in the engine: the layers their views read through, and what each cell held when first changed. */
export class PersonDraft {
	/** As in the database; counts every change. */
	version: number;
	readonly overlay: Overlay;
	/** What forms show: the cube through what is typed, and above that what a runbook would leave on it, as it was worked out. */
	reader: Reader;
	/** The runbook (by name) whose results are shown, and where they are: typing over one ends it there. */
	trial: { name: string; cells: Overlay; version: number; revision: number } | undefined;
	/** What it lies over: the cube, or a branch of it. */
	readonly base: Reader;
	/** By changed cell; `CLEARED` stands for "was empty". */
	readonly seen: Overlay;
	/** The form (id) each changed cell was typed in last; 0 where none is known. */
	readonly #forms: Overlay;
	readonly #countOf = new Map<number, number>();

	constructor(base: Reader, version: number) {
		const { model } = base;
		this.version = version;
		this.base = base;
		this.overlay = new Overlay(model);
		this.reader = base.over(this.overlay);
		this.seen = new Overlay(model);
		this.#forms = new Overlay(model);
	}

	/** Reads a draft from the database. Cells whose members are gone are left out. */
	static async read(database: Database, base: Reader, person: number, branch: number | null = null): Promise<PersonDraft> {
		const { model } = base;
		const found = await database.query<{
			version: number;
			address: number[] | null;
			period: number;
			value: number | null;
			seen: number | null;
			form: number | null;
		}>(
			`SELECT d.version, c.address, c.period_id AS period, c.value, c.seen, c.form_id AS form
			FROM draft d LEFT JOIN draft_cell c ON c.draft_id = d.id WHERE d.person_id = $1 AND d.model_id = $2 AND d.branch_id IS NOT DISTINCT FROM $3`,
			[person, model.definition.id, branch]
		);
		const draft = new PersonDraft(base, found.rows[0]?.version ?? 0);
		for (const { address, period, value, seen, form } of found.rows) {
			const ordinals = address && toOrdinals(model, address);
			const leaf = ordinals && leafOfMember(model, ordinals, period);
			if (!ordinals || !leaf) continue;
			draft.overlay.set(ordinals, leaf.fiscalYear, leaf.position, value ?? CLEARED);
			draft.#attribute(ordinals, leaf.fiscalYear, leaf.position, form ?? 0);
			draft.seen.set(ordinals, leaf.fiscalYear, leaf.position, seen ?? CLEARED);
		}
		await draft.#readTrial(database, model, person, branch);
		return draft;
	}

	async #readTrial(database: Database, model: Model, person: number, branch: number | null): Promise<void> {
		const found = await database.query<{
			name: string;
			version: number;
			revision: number;
			address: number[] | null;
			period: number;
			value: number | null;
		}>(
			`SELECT d.trial AS name, d.trial_version AS version, d.trial_revision AS revision, c.address, c.period_id AS period, c.value
			FROM draft d LEFT JOIN draft_trial_cell c ON c.draft_id = d.id WHERE d.person_id = $1 AND d.model_id = $2 AND d.branch_id IS NOT DISTINCT FROM $3 AND d.trial IS NOT NULL`,
			[person, model.definition.id, branch]
		);
		const [first] = found.rows;
		if (!first) return;
		this.trial = { name: first.name, cells: new Overlay(model), version: first.version, revision: first.revision };
		this.reader = this.reader.over(this.trial.cells);
		for (const { address, period, value } of found.rows) {
			const ordinals = address && toOrdinals(model, address);
			const leaf = ordinals && leafOfMember(model, ordinals, period);
			if (!ordinals || !leaf) continue;
			this.trial.cells.set(ordinals, leaf.fiscalYear, leaf.position, value ?? NOTHING);
		}
	}

	/** What its person may read from now on. @returns whether that is something else than before */
	see(visible: ReadGuard | undefined): boolean {
		if (this.reader.visible === visible) return false;
		this.reader = new Reader(this.reader.cube, this.reader.layers, visible, this.reader.model);
		return true;
	}

	/** How many changed cells were typed in a form; those of which none is known go with any. */
	sizeIn(form: number): number {
		return (this.#countOf.get(form) ?? 0) + (form === 0 ? 0 : (this.#countOf.get(0) ?? 0));
	}

	/** The changed cells that go with a form. O(cells of the draft). */
	overlayOf(form: number): Overlay {
		const own = new Overlay(this.reader.model);
		this.overlay.each((address, year, position) => {
			const of = this.#forms.get(address, year, position);
			if (isEmpty(of) || of === 0 || of === form) own.set(address, year, position, this.overlay.get(address, year, position));
		});
		return own;
	}

	#attribute(address: ArrayLike<number>, year: number, position: number, form: number): void {
		const before = this.#forms.get(address, year, position);
		if (!isEmpty(before)) this.#countOf.set(before, this.#countOf.get(before)! - 1);
		this.#forms.set(address, year, position, form);
		if (!isEmpty(form)) this.#countOf.set(form, (this.#countOf.get(form) ?? 0) + 1);
	}

	/**
	 * Changes a cell of the draft; what was tried there is over.
	 * @param form in which it is typed
	 */
	set(address: ArrayLike<number>, year: number, position: number, value: number, form: number): void {
		this.overlay.set(address, year, position, value);
		this.#attribute(address, year, position, isEmpty(value) ? EMPTY : form);
		this.trial?.cells.set(address, year, position, EMPTY);
	}

	/** What the cell held when the person first changed it; its value today when it is not in the draft. */
	seenAt(address: ArrayLike<number>, year: number, position: number): number {
		const seen = this.seen.get(address, year, position);
		if (seen === CLEARED) return EMPTY;
		return isEmpty(seen) ? this.base.read(address, year, position) : seen;
	}
}

/** A value of an overlay as it travels. */
export const toDraftValue = (value: number): DraftValue =>
	isEmpty(value) ? null : value === CLEARED ? 'cleared' : value === NOTHING ? 'nothing' : value;

/** A travelling value as an overlay holds it. */
export const fromDraftValue = (value: DraftValue): number =>
	value === null ? EMPTY : value === 'cleared' ? CLEARED : value === 'nothing' ? NOTHING : value;
