import { enter, isEmpty, type EnterResult, type EntryInput, type EntryScene, type NumberStyle } from '../../../core';
import type { FormView } from '../form-view';
import { inputOf, textsTyped } from './typed';
import type { FormAsk } from './form';
import type { ModelEngine } from '../model-engine';
import { requireCell } from '../fault';

/** What becomes of a cell when its entry is taken away, in words; or why there is none to take. */
function whatEmptyingDoes(scene: EntryScene, form: FormView, row: number, column: number): { words: string } | { fault: string } {
	const outcome = tried(scene, form, row, column, { kind: 'clear' });
	if ('fault' in outcome) return { fault: outcome.fault.message };
	if (outcome.changes.length === 0) return { fault: 'There is nothing to take away.' };
	const shows = outcome.changes.map(({ address, year, position }) => scene.reader.withoutEntry(address, year, position));
	const [only] = shows;
	if (shows.length === 1 && only !== undefined)
		return { words: isEmpty(only) ? 'Becomes empty.' : `Shows ${Math.round(only * 100) / 100} again, which was loaded or computed.` };
	const loaded = shows.filter((value) => !isEmpty(value)).length;
	const rest = loaded === 0 ? '' : `; ${loaded} of them show again what was loaded or computed`;
	return { words: `Takes ${shows.length} entries beneath it away${rest}.` };
}

/** Whether a cell takes what was written for it; nothing is changed. */
function whatEnteringDoes(
	scene: EntryScene,
	form: FormView,
	row: number,
	column: number,
	input: EntryInput
): { words: string } | { fault: string } {
	const outcome = tried(scene, form, row, column, input);
	return 'fault' in outcome ? { fault: outcome.fault.message } : { words: '' };
}

/** What an entry into a cell would come to. */
function tried(scene: EntryScene, form: FormView, row: number, column: number, input: EntryInput): EnterResult {
	const { members, range } = form.cell(row, column);
	return enter(scene, {
		members,
		range,
		shown: form.figure(row, column).value,
		currency: form.currencyOf(row, column),
		input,
		// Whether so many cells are meant is asked when it is taken.
		confirmed: true
	});
}

/** Whether texts could be entered into cells, and what would show where an empty one takes an entry away. */
export async function emptied(
	engine: ModelEngine,
	ask: FormAsk & { cells: { row: number; column: number; text: string }[]; style: NumberStyle }
): Promise<{ effects: ({ words: string } | { fault: string })[] }> {
	const { form, draft, guard } = await engine.openForm(ask);
	const scene = { reader: draft.reader, guard };
	const texts = await engine.words.placesOf(textsTyped(engine.model, form, ask.cells));
	return {
		effects: ask.cells.map(({ row, column, text }) => {
			requireCell(form, row, column);
			if (text === '') return whatEmptyingDoes(scene, form, row, column);
			return whatEnteringDoes(scene, form, row, column, inputOf(engine, form.cell(row, column).members, text, texts, ask));
		})
	};
}
