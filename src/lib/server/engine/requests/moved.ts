import { isEmpty, movedBeneath, type Cube } from '../../../core';
import { leafOfMember, toOrdinals } from '../addresses';
import type { FormAsk } from './form';
import type { ModelEngine, OpenForm } from '../model-engine';

/** An entry that may stand over another figure now; ids. */
export interface MovedAsk extends FormAsk {
	notes: { address: number[]; period: number; beneath: number }[];
}

/** Entries of a form over a figure that has moved since, and where on the form. */
export interface MovedAnswer {
	moved: { cells: number[]; typed: number; beneath: number; now: number | null }[];
}

/** Entries of a form beneath which what was loaded or computed has moved since they were typed. */
function movedOnForm(cube: Cube, { form, draft }: OpenForm, notes: MovedAsk['notes']): MovedAnswer['moved'] {
	const { model } = cube;
	const cells = form.cellsAt(notes.map(({ address, period }) => [...address, period]));
	const shown = notes.flatMap(({ address, period, beneath }, index) => {
		const ordinals = cells[index]!.length > 0 ? toOrdinals(model, address) : undefined;
		const leaf = ordinals && leafOfMember(model, ordinals, period);
		return ordinals && leaf && draft.reader.mayRead(ordinals)
			? [{ address: ordinals, year: leaf.fiscalYear, position: leaf.position, beneath, cells: cells[index]! }]
			: [];
	});
	return movedBeneath(cube, shown).map(({ cells: at, typed, beneath, now }) => ({
		cells: at,
		typed,
		beneath,
		now: isEmpty(now) ? null : now
	}));
}

/** Which of some entries (by what stood beneath them when they were typed) stand over another figure now. */
export const moved = async (engine: ModelEngine, ask: MovedAsk): Promise<MovedAnswer> => ({
	moved: movedOnForm(engine.cube, await engine.openForm(ask), ask.notes)
});
