import { EMPTY, enter, isEmpty, orNull, Overlay, Reader, ReadGuard, seek, WriteGuard, type Sought } from '../../../core';
import { EngineFault, requireCell, requireFrame } from '../fault';
import { FormFault } from '../form-fault';
import { FormView } from '../form-view';
import type { ModelEngine } from '../model-engine';
import { PersonDraft } from '../person-draft';
import type { FormAsk } from './form';

/** A cell of a form by its place. */
export interface FormCell {
	row: number;
	column: number;
}

export interface TryoutAsk extends FormAsk {
	/** The cell whose value is changed. */
	driver: FormCell;
}

export interface TryValuesAsk extends TryoutAsk {
	values: number[];
	results: FormCell[];
}

export interface TryValues {
	/** What stands in the driver now, and what the results are now. */
	now: { value: number | null; results: (number | null)[] };
	/** What the results come to with each value; with why, where it cannot be entered. */
	lines: { value: number; results: (number | null)[]; fault: string }[];
}

export interface SeekAsk extends TryoutAsk {
	result: FormCell;
	goal: number;
}

export interface SoughtValue extends Omit<Sought, 'result'> {
	/** What it comes to; null for nothing. */
	result: number | null;
	/** What stood there. */
	now: { value: number | null; result: number | null };
}

/** A form on which values are tried, over what its person has typed; nothing of it stays. */
class Tryout {
	readonly form: FormView;
	readonly #base: Reader;
	readonly #tried: Overlay;
	readonly #reader: Reader;
	readonly #guard: WriteGuard;
	readonly #driver: FormCell;
	readonly #shown: number;

	constructor(form: FormView, base: Reader, guard: WriteGuard, driver: FormCell) {
		this.form = form;
		this.#base = base;
		this.#tried = new Overlay(base.model);
		this.#reader = base.over(this.#tried);
		this.#guard = guard;
		this.#driver = driver;
		form.fill(this.#reader);
		requireCell(form, driver.row, driver.column);
		if (form.isComputed(driver.row, driver.column)) throw new EngineFault(form.reasonComputed(driver.row, driver.column));
		this.#shown = form.figure(driver.row, driver.column).value;
	}

	/** What stands in the driver. */
	get shown(): number {
		return this.#shown;
	}

	/**
	 * What some cells come to with a value in the driver.
	 * @throws EngineFault where it cannot be entered
	 */
	with(value: number, cells: readonly FormCell[]): number[] {
		const { form } = this;
		const { row, column } = this.#driver;
		const { members, range } = form.cell(row, column);
		const entered = enter(
			{ reader: this.#base, guard: this.#guard },
			{
				...{ members, range, shown: this.#shown, currency: form.currencyOf(row, column), method: 'in proportion' },
				...{ input: { kind: 'set', value }, kept: [], overAll: false, confirmed: true }
			}
		);
		if ('fault' in entered) throw new EngineFault(entered.fault.message);
		for (const { address, year, position, after } of entered.changes) this.#put(address, year, position, after);
		try {
			return cells.map((cell) => form.figure(cell.row, cell.column).value);
		} finally {
			for (const { address, year, position } of entered.changes) this.#put(address, year, position, EMPTY);
		}
	}

	#put(address: Int32Array, year: number, position: number, value: number): void {
		const before = this.#reader.read(address, year, position);
		this.#tried.set(address, year, position, value);
		this.form.change({ address, year, position, before, after: this.#reader.read(address, year, position) });
	}
}

/** Opens a form for trying, read anew: this thread computes, the one that keeps drafts is another. */
async function openTryout(engine: ModelEngine, ask: TryoutAsk): Promise<Tryout> {
	await engine.reach(ask.revision);
	const { model, cube, database } = engine;
	const layer = ask.branch && (await engine.branchOf(ask.branch));
	const draft = await PersonDraft.read(database, new Reader(cube, layer ? [layer] : []), ask.person, ask.branch?.id ?? null);
	const visible = ReadGuard.ofRules(model, ask.rules);
	draft.see(visible);
	try {
		const form = new FormView(model, ask, visible);
		requireFrame(form, ask.seenFrame);
		return new Tryout(form, draft.reader, new WriteGuard(model, ask.rules, engine.locks), ask.driver);
	} catch (error) {
		if (error instanceof FormFault) throw new EngineFault(`This form cannot be shown. ${error.message}`);
		throw error;
	}
}

/** What some figures of a form come to with one value after another in a cell. */
export async function tryValues(engine: ModelEngine, ask: TryValuesAsk): Promise<TryValues> {
	const tryout = await openTryout(engine, ask);
	for (const { row, column } of ask.results) requireCell(tryout.form, row, column);
	const now = ask.results.map(({ row, column }) => orNull(tryout.form.figure(row, column).value));
	return {
		now: { value: orNull(tryout.shown), results: now },
		lines: ask.values.map((value) => {
			try {
				return { value, results: tryout.with(value, ask.results).map(orNull), fault: '' };
			} catch (error) {
				if (!(error instanceof EngineFault)) throw error;
				return { value, results: ask.results.map(() => null), fault: error.message };
			}
		})
	};
}

/** Decimals a found value is told with at first; more where that would miss the goal. */
const FIRST_DECIMALS = 2;
const MOST_DECIMALS = 9;

/** The value in a cell at which a figure of a form reaches a goal. */
export async function seekGoal(engine: ModelEngine, ask: SeekAsk): Promise<SoughtValue> {
	const tryout = await openTryout(engine, ask);
	const { result, goal } = ask;
	requireCell(tryout.form, result.row, result.column);
	if (result.row === ask.driver.row && result.column === ask.driver.column)
		throw new EngineFault('What is changed and what is to reach the goal are the same cell. Choose another one.');
	const before = tryout.form.figure(result.row, result.column).value;
	const start = isEmpty(tryout.shown) ? 0 : tryout.shown;
	const resultOf = (value: number) => tryout.with(value, [result])[0]!;
	// How large the figure is, also where the goal is nothing.
	const size = Math.max(Math.abs(goal), isEmpty(before) ? 0 : Math.abs(before));
	const tolerance = Math.max(1e-9, size * 1e-7);
	const found = seek(resultOf, { start, goal, tolerance });
	const told = rounded(found, resultOf, goal, size);
	return { ...told, result: orNull(told.result), now: { value: orNull(tryout.shown), result: orNull(before) } };
}

/** A value with as few decimals as reach what it reaches. */
function rounded(found: Sought, resultOf: (value: number) => number, goal: number, size: number): Sought {
	if (found.kind !== 'found') return found;
	// Half a hundred-thousandth of the figure is nothing anybody sees.
	const enough = Math.max(Math.abs(found.result - goal), size * 5e-6);
	for (let decimals = FIRST_DECIMALS; decimals <= MOST_DECIMALS; decimals++) {
		const value = Number(found.value.toFixed(decimals));
		const result = resultOf(value);
		if (Math.abs(result - goal) <= enough) return { ...found, value, result, tries: found.tries + 1 };
	}
	return found;
}
