import { isEmpty, movedBeneath, type Cube, type Model } from '../../core';
import { leafOfMember, toOrdinals } from './addresses';
import type { FormView } from './form-view';
import type { EngineRequests } from './messages';

/** Entries of a form beneath which what was loaded or computed has moved since they were typed. */
export function movedOnForm(
	model: Model,
	cube: Cube,
	form: FormView,
	notes: EngineRequests['moved']['ask']['notes']
): EngineRequests['moved']['answer']['moved'] {
	const cells = form.cellsAt(notes.map(({ address, period }) => [...address, period]));
	const shown = notes.flatMap(({ address, period, beneath }, index) => {
		const ordinals = cells[index]!.length > 0 ? toOrdinals(model, address) : undefined;
		const leaf = ordinals && leafOfMember(model, ordinals, period);
		return ordinals && leaf ? [{ address: ordinals, year: leaf.fiscalYear, position: leaf.position, beneath, cells: cells[index]! }] : [];
	});
	return movedBeneath(model, cube, shown).map(({ cells: at, typed, beneath, now }) => ({
		cells: at,
		typed,
		beneath,
		now: isEmpty(now) ? null : now
	}));
}
