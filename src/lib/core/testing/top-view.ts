import { compileQuery, View } from '../cube';
import type { Model } from '../model';

/** Every account down the rows, all periods across, at the top of everything else. */
export function topView(model: Model): View {
	const slice: Record<number, number> = {};
	model.dimensions.forEach((dimension, axis) => {
		if (axis !== model.accountAxis) slice[dimension.id] = dimension.member(0).id;
	});
	const period = model.periods.dimension;
	return new View(
		compileQuery(model, {
			slice,
			rows: model.accounts.members.map(({ id }) => ({ [model.accounts.id]: id })),
			columns: period.members.map(({ id }) => ({ [period.id]: id })),
			currency: 'EUR'
		})
	);
}
