import { compileQuery, favourableSignOf, orNull, Reader, View, type AccessRules, type Model } from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';
import type { UnitSlice } from './unit-figures';

export interface UnitSummaryAsk extends UnitSlice {
	rules: AccessRules;
	/** The scenario (id) it is held against; null where none is. */
	compared: number | null;
}

/** A unit in a few figures: what its upper accounts come to over the periods of the round. */
export interface UnitSummary {
	currency: string;
	/** Where nothing stands above all members of a dimension: the member it is read at, in words. */
	at: string;
	/** The periods that make up the round, as large as they can be taken. */
	columns: { name: string; against: string | null }[];
	lines: { account: string; favourable: number; values: { value: number | null; against: number | null }[] }[];
}

const MOST_ACCOUNTS = 8;
const MOST_COLUMNS = 3;

/** The figures of a unit by its upper accounts, as somebody may read them, saved ones only. @throws EngineFault where a member is gone */
export async function unitSummary(engine: ModelEngine, ask: UnitSummaryAsk): Promise<UnitSummary> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const { dimension: periods } = model.periods;
	const [first, last] = [ask.from, ask.to].map((id) => periods.ordinal(id));
	const scenario = model.scenarios.ordinal(ask.scenario);
	if (first === undefined || last === undefined || scenario === undefined)
		throw new EngineFault('A member of this unit is not in the model any more.');
	const slice: Record<number, number> = {};
	let isLocal = false;
	const at: string[] = [];
	const columns = largestWithin(model, model.periods.range(first).from, model.periods.range(last).to).slice(0, MOST_COLUMNS);
	for (const [axis, dimension] of model.dimensions.entries()) {
		if (axis === model.accountAxis || axis === model.scenarioAxis) continue;
		const member = ask.members.map((id) => dimension.ordinal(id)).find((ordinal) => ordinal !== undefined);
		const read = dimension.member(member ?? fullestRoot(engine, axis, scenario));
		slice[dimension.id] = read.id;
		if (member === undefined && rootsOf(model, axis).length > 1) at.push(read.name);
		if (axis === model.entityAxis && member !== undefined) isLocal = dimension.isLeaf(member);
	}
	const accounts = upperAccounts(model);
	const beside = columns.map((period) => comparedPeriod(engine, ask.compared, period));
	const lines = [...columns.map((period) => ({ scenario, period })), ...beside.filter((each) => each !== undefined)];
	const view = new View(
		compileQuery(model, {
			slice,
			rows: accounts.map((account) => ({ [model.accounts.id]: model.accounts.member(account).id })),
			columns: lines.map(({ scenario: of, period }) => ({
				[model.scenarios.id]: model.scenarios.member(of).id,
				[periods.id]: periods.member(period).id
			})),
			currency: isLocal ? 'local' : model.definition.reportingCurrency
		})
	);
	view.fill(new Reader(engine.cube, [], engine.visibleOf(ask.rules)));
	const { values } = view.evaluate();
	const valueAt = (row: number, column: number) => orNull(values[row * lines.length + column]!);
	const placeOf = (column: number) => columns.length + beside.slice(0, column).filter((each) => each !== undefined).length;
	return {
		currency: isLocal ? localCurrency(model, ask.members) : model.definition.reportingCurrency,
		at: at.join(', '),
		columns: columns.map((period, column) => ({ name: periods.member(period).name, against: namedBeside(model, beside[column]) })),
		lines: accounts
			.map((account, row) => ({
				account: model.accounts.member(account).name,
				favourable: favourableSignOf(model, account),
				values: columns.map((_, column) => ({
					value: valueAt(row, column),
					against: beside[column] ? valueAt(row, placeOf(column)) : null
				}))
			}))
			.filter(({ values: of }) => of.some(({ value, against }) => value !== null || against !== null))
	};
}

const rootsOf = (model: Model, axis: number): number[] =>
	model.dimensions[axis]!.tree.roots().filter((root) => !model.dimensions[axis]!.member(root).retired);

/** The member without one above that holds most of what a scenario has: of proposals and what was decided, the fuller. */
function fullestRoot({ model, cube }: ModelEngine, axis: number, scenario: number): number {
	const { tree } = model.dimensions[axis]!;
	const roots = rootsOf(model, axis);
	if (roots.length < 2) return roots[0] ?? tree.largestRoot();
	const held = new Map(roots.map((root) => [root, 0]));
	const rootOf = new Map(roots.flatMap((root) => tree.under(root).map((member): [number, number] => [member, root])));
	const address = new Int32Array(model.dimensions.length);
	for (const { scenario: of, block } of cube.store.blocks()) {
		if (of !== scenario) continue;
		for (let series = 0; series < block.count; series++) {
			const root = rootOf.get(block.readAddress(series, address)[axis]!);
			if (root !== undefined) held.set(root, held.get(root)! + 1);
		}
	}
	return [...held].sort(([, one], [, other]) => other - one)[0]![0];
}

/** Accounts that add up others, the top ones and those right beneath. */
const upperAccounts = ({ accounts }: Model): number[] =>
	[...accounts.tree.order]
		.filter((account) => accounts.tree.ancestors(account).length <= 1 && !accounts.isLeaf(account))
		.slice(0, MOST_ACCOUNTS);

/** The largest periods that together are a run of leaf periods. */
function largestWithin(model: Model, from: number, to: number): number[] {
	const { tree } = model.periods.dimension;
	const found: number[] = [];
	const visit = (period: number): void => {
		const range = model.periods.range(period);
		if (range.from > to || range.to < from) return;
		if (range.from >= from && range.to <= to) found.push(period);
		else for (const child of tree.children(period)) visit(child);
	};
	for (const root of tree.roots()) visit(root);
	return found;
}

/** The same period of the latest year, at or before its own, of which a scenario has figures; of whole years only. */
function comparedPeriod(
	{ model, cube }: ModelEngine,
	compared: number | null,
	period: number
): { scenario: number; period: number } | undefined {
	const scenario = compared === null ? undefined : model.scenarios.ordinal(compared);
	const years = model.periods.dimension.tree.roots();
	if (scenario === undefined || !years.includes(period)) return undefined;
	for (let place = years.indexOf(period); place >= 0; place--) {
		const { fiscalYear } = model.periods.leaf(model.periods.range(years[place]!).from);
		if (cube.store.block(scenario, fiscalYear)) return { scenario, period: years[place]! };
	}
	return undefined;
}

function namedBeside(model: Model, beside: { scenario: number; period: number } | undefined): string | null {
	if (!beside) return null;
	const [scenario, period] = [model.scenarios.member(beside.scenario).name, model.periods.dimension.member(beside.period).name];
	return scenario.includes(period) ? scenario : `${scenario}, ${period}`;
}

function localCurrency(model: Model, members: readonly number[]): string {
	const entity = members.map((id) => model.dimensions[model.entityAxis]?.ordinal(id)).find((ordinal) => ordinal !== undefined);
	return entity === undefined ? model.definition.reportingCurrency : model.currencyOf(entity);
}
