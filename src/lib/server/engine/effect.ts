import { compileQuery, isEmpty, Model, View, type Cube, type Dimension, type ModelDefinition } from '../../core';
import type { EffectAsk, EffectLine } from './messages';

/** Accounts looked at, and figures told. */
const MOST_ACCOUNTS = 24;
const MOST_LINES = 8;

/**
 * The figures that move most when a dimension's nodes or its accounts' facts are others: the changed accounts and the
 * totals they count in, by scenario and year, over everything else.
 * @throws Error when the model would not be one
 */
export function effectOn(model: Model, cube: Cube, { dimension, nodes, accounts, balanceRoles, changed }: EffectAsk): EffectLine[] {
	const definition: ModelDefinition = {
		...model.definition,
		dimensions: model.definition.dimensions.map((each) => (each.id === dimension ? { ...each, nodes } : each)),
		accounts: dimension === model.accounts.id ? accounts : model.definition.accounts,
		...(balanceRoles && { balanceRoles: [...balanceRoles, ...rolesElsewhere(model, dimension)] })
	};
	// The same members in the same order, so the cube's addresses hold for both.
	const other = new Model(definition);
	const asked = accountsToShow(model, other, dimension === model.accounts.id ? changed : []);
	const [before, after] = [figures(model, cube, asked), figures(other, cube, asked)];
	const years = yearsOf(model);
	const lines: (EffectLine & { difference: number })[] = [];
	before.forEach((was, place) => {
		const is = after[place]!;
		if (was === is || (isEmpty(was) && isEmpty(is))) return;
		const difference = Math.abs((isEmpty(is) ? 0 : is) - (isEmpty(was) ? 0 : was));
		if (!isEmpty(was) && !isEmpty(is) && difference <= 1e-9 * Math.abs(was)) return;
		const columns = years.length * model.scenarios.members.length;
		const column = place % columns;
		lines.push({
			account: model.accounts.member(asked[Math.floor(place / columns)]!).name,
			scenario: model.scenarios.member(Math.floor(column / years.length)).name,
			period: model.periods.dimension.member(years[column % years.length]!).name,
			before: isEmpty(was) ? null : was,
			after: isEmpty(is) ? null : is,
			difference
		});
	});
	return lines
		.sort((a, b) => b.difference - a.difference)
		.slice(0, MOST_LINES)
		.map(({ difference: _, ...line }) => line);
}

/** What members of other dimensions than this one say of balances. */
const rolesElsewhere = (model: Model, dimension: number) =>
	(model.definition.balanceRoles ?? []).filter(({ member }) => model.dimension(dimension)?.ordinal(member) === undefined);

const yearsOf = (model: Model): number[] => model.periods.dimension.tree.roots();

/** The changed accounts and what stands above them, before and after; without any, the accounts at the top. */
function accountsToShow(model: Model, other: Model, changed: readonly number[]): number[] {
	const found = new Set<number>();
	for (const member of changed) {
		const ordinal = model.accounts.ordinal(member);
		if (ordinal === undefined) continue;
		found.add(ordinal);
		for (const tree of [model.accounts.tree, other.accounts.tree]) for (const above of tree.ancestors(ordinal)) found.add(above);
	}
	const all = found.size > 0 ? [...found] : model.accounts.tree.roots();
	return all.slice(0, MOST_ACCOUNTS);
}

/** Account by account, scenario by scenario, year by year, over everything else, in the reporting currency. */
function figures(model: Model, cube: Cube, accounts: readonly number[]): Float64Array {
	const top = (dimension: Dimension): number => {
		const roots = dimension.tree.roots();
		return roots.reduce((best, root) => (dimension.tree.leaves(root).length > dimension.tree.leaves(best).length ? root : best), roots[0]!);
	};
	const slice: Record<number, number> = {};
	for (const dimension of model.dimensions)
		if (dimension !== model.accounts && dimension !== model.scenarios) slice[dimension.id] = dimension.member(top(dimension)).id;
	const view = new View(
		compileQuery(model, {
			slice,
			rows: accounts.map((ordinal) => ({ [model.accounts.id]: model.accounts.member(ordinal).id })),
			columns: model.scenarios.members.flatMap(({ id }) =>
				yearsOf(model).map((year) => ({ [model.scenarios.id]: id, [model.periods.dimension.id]: model.periods.dimension.member(year).id }))
			),
			currency: model.definition.reportingCurrency
		})
	);
	view.fill(cube);
	return view.evaluate().values;
}
