import {
	compileQuery,
	isEmpty,
	Model,
	Reader,
	View,
	type AccountDefinition,
	type BalanceRoleDefinition,
	type Cube,
	type ModelDefinition,
	type NodeDefinition,
	type RateSetDefinition
} from '../../../core';
import type { ModelEngine } from '../model-engine';
import { EngineFault } from '../fault';

/** A dimension's nodes and accounts as they would be, to see what that does to figures. */
export interface EffectAsk {
	revision: number;
	structure: number;
	/** The dimension that would be another one; null where only rates would be. */
	dimension: number | null;
	/** Members it would have besides; their ids are none of a stored member. */
	added?: { id: number; code: string; name: string }[];
	nodes: NodeDefinition[];
	accounts: AccountDefinition[];
	/** Of a general dimension: what its members would say of balances. */
	balanceRoles: BalanceRoleDefinition[] | undefined;
	/** A rate set as it would be. */
	rateSet?: RateSetDefinition;
	/** Members (ids) that would change. */
	changed: number[];
}

/** A figure before and after. */
export interface EffectLine {
	account: string;
	/** Of the dimension that changes, where it is another than the accounts: the total looked at. */
	member?: string;
	scenario: string;
	period: string;
	before: number | null;
	after: number | null;
}

/** Accounts looked at, and figures told. */
const MOST_ACCOUNTS = 24;
const MOST_MEMBERS = 12;
const MOST_LINES = 8;

/**
 * The figures that move most when a dimension's nodes, its accounts' facts or rates are others: the changed accounts and the
 * totals they count in, by scenario and year, over everything else.
 * @throws EngineFault when the model would not be one
 */
function effectOn(
	model: Model,
	cube: Cube,
	{ dimension, added = [], nodes, accounts, balanceRoles, rateSet, changed }: EffectAsk
): EffectLine[] {
	const definition: ModelDefinition = {
		...model.definition,
		dimensions: model.definition.dimensions.map((each) =>
			each.id === dimension
				? { ...each, members: [...each.members, ...added.map((member) => ({ ...member, unassigned: false }))], nodes }
				: each
		),
		accounts: dimension === model.accounts.id ? accounts : model.definition.accounts,
		...(balanceRoles && { balanceRoles: [...balanceRoles, ...rolesElsewhere(model, dimension)] }),
		...(rateSet && { rateSets: model.definition.rateSets.map((each) => (each.id === rateSet.id ? rateSet : each)) })
	};
	// The same members in the same order, new ones after them, so the cube's addresses hold for both.
	const other = modelOf(definition);
	const asked = rowsToShow(model, other, dimension, changed);
	return differences(model, asked, figures(new Reader(cube), asked), figures(new Reader(cube, [], undefined, other), asked));
}

/** Figures before and after that differ, those that move most first. */
export function differences(
	model: Model,
	asked: readonly Shown[],
	before: Float64Array,
	after: Float64Array,
	most = MOST_LINES
): EffectLine[] {
	const years = yearsOf(model);
	const columns = years.length * model.scenarios.members.length;
	const lines: (EffectLine & { difference: number })[] = [];
	before.forEach((was, place) => {
		const is = after[place]!;
		if (was === is || (isEmpty(was) && isEmpty(is))) return;
		const difference = Math.abs((isEmpty(is) ? 0 : is) - (isEmpty(was) ? 0 : was));
		if (!isEmpty(was) && !isEmpty(is) && difference <= 1e-9 * Math.abs(was)) return;
		const { account, member } = asked[Math.floor(place / columns)]!;
		const column = place % columns;
		lines.push({
			account: model.accounts.member(account).name,
			...(member && { member: model.dimensions[member.axis]!.member(member.ordinal).name }),
			scenario: model.scenarios.member(Math.floor(column / years.length)).name,
			period: model.periods.dimension.member(years[column % years.length]!).name,
			before: isEmpty(was) ? null : was,
			after: isEmpty(is) ? null : is,
			difference
		});
	});
	return lines
		.sort((a, b) => b.difference - a.difference)
		.slice(0, most)
		.map(({ difference: _, ...line }) => line);
}

/** A figure looked at: an account, and of the dimension that changes the member above what moves. */
export interface Shown {
	account: number;
	member?: { axis: number; ordinal: number };
}

/** What members of other dimensions than this one say of balances. */
const rolesElsewhere = (model: Model, dimension: number | null) =>
	(model.definition.balanceRoles ?? []).filter(
		({ member }) => dimension === null || model.dimension(dimension)?.ordinal(member) === undefined
	);

const yearsOf = (model: Model): number[] => model.periods.dimension.tree.roots();

/** What is looked at: accounts, or of another dimension the totals above the changed members, before and after. */
function rowsToShow(model: Model, other: Model, dimension: number | null, changed: readonly number[]): Shown[] {
	const axis = model.dimensions.findIndex(({ id }) => id === dimension);
	const accounts = withAbove(model, other, model.accountAxis, axis === model.accountAxis ? changed : []);
	const shown = (accounts.length > 0 ? accounts : model.accounts.tree.roots()).slice(0, MOST_ACCOUNTS);
	const members = axis < 0 || axis === model.accountAxis || axis === model.scenarioAxis ? [] : withAbove(model, other, axis, changed);
	// A leaf that moves keeps its own figures: what it leaves and what it joins do not.
	if (members.length === 0) return shown.map((account) => ({ account }));
	return shown.flatMap((account) => members.slice(0, MOST_MEMBERS).map((ordinal) => ({ account, member: { axis, ordinal } })));
}

/** Members and what stands above them, before and after; those only that are there before. */
function withAbove(model: Model, other: Model, axis: number, changed: readonly number[]): number[] {
	const dimension = model.dimensions[axis]!;
	const found = new Set<number>();
	for (const member of changed) {
		const ordinal = dimension.ordinal(member);
		if (ordinal === undefined) continue;
		found.add(ordinal);
		for (const { tree } of [dimension, other.dimensions[axis]!]) for (const above of tree.ancestors(ordinal)) found.add(above);
	}
	return [...found].filter((ordinal) => ordinal < dimension.members.length);
}

/** Row by row, scenario by scenario, year by year, over everything else, in the reporting currency. */
export function figures(reader: Reader, asked: readonly Shown[]): Float64Array {
	const { model } = reader;
	const slice: Record<number, number> = {};
	const onRows = asked[0]?.member?.axis;
	for (const [axis, dimension] of model.dimensions.entries())
		if (dimension !== model.accounts && dimension !== model.scenarios && axis !== onRows)
			slice[dimension.id] = dimension.member(dimension.tree.largestRoot()).id;
	const view = new View(
		compileQuery(model, {
			slice,
			rows: asked.map(({ account, member }) => ({
				[model.accounts.id]: model.accounts.member(account).id,
				...(member && { [model.dimensions[member.axis]!.id]: model.dimensions[member.axis]!.member(member.ordinal).id })
			})),
			columns: model.scenarios.members.flatMap(({ id }) =>
				yearsOf(model).map((year) => ({ [model.scenarios.id]: id, [model.periods.dimension.id]: model.periods.dimension.member(year).id }))
			),
			currency: model.definition.reportingCurrency
		})
	);
	view.fill(reader);
	return view.evaluate().values;
}

/** What a changed dimension or rate set would do to totals. */
export async function effect(engine: ModelEngine, ask: EffectAsk): Promise<EffectLine[]> {
	await engine.reach(ask.revision);
	return effectOn(engine.model, engine.cube, ask);
}

/** The model as it would be. @throws EngineFault with the core's sentence when it would be none */
export function modelOf(definition: ModelDefinition): Model {
	try {
		return new Model(definition);
	} catch (error) {
		throw new EngineFault((error as Error).message);
	}
}
