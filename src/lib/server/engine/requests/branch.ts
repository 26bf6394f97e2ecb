import {
	compileQuery,
	EMPTY,
	isEmpty,
	isTranslated,
	isValue,
	Reader,
	TAKEN_AWAY,
	View,
	type AccessRules,
	type BranchLayer,
	type Model
} from '../../../core';
import { readBranchSeries, type BranchCell, type BranchVersion } from '../../database/branch-series';
import { cellInWords, judgedPeriod, periodMember, toMembers, toOrdinals } from '../addresses';
import type { ModelEngine } from '../model-engine';
import { planCells, type SavePlan } from './plan-save';

/** A cell of a branch, named by ids. */
export interface BranchPlace {
	origin: number;
	address: number[];
	year: number;
	position: number;
}

export interface BranchChange extends BranchPlace {
	/** The members of its address and its period, by name. */
	words: string;
	account: number;
	accountName: string;
	/** What the plan shows today, what the branch shows, and what the plan showed when the branch was changed there. */
	base: number | null;
	value: number | null;
	seen: number | null;
	/** The currency the amounts are in; null for what is no money. */
	currency: string | null;
	/** Whether the plan has moved since. */
	moved: boolean;
	/** The version of the branch it was written with. */
	version: number;
}

export interface BranchChangesAsk {
	revision: number;
	structure: number;
	branch: BranchVersion;
	rules: AccessRules;
	/** Only what has this in one of its names. */
	find: string;
	/** Only of this account (id). */
	account: number | null;
	/** Only what was written with these versions; all when left out. */
	versions?: readonly number[] | undefined;
	/** Only where the plan has moved since. */
	movedOnly: boolean;
	from: number;
	most: number;
}

export interface BranchChanges {
	lines: BranchChange[];
	/** How many there are, of those asked for, and of the whole branch as far as it may be read. */
	count: number;
	all: number;
	/** By account: how many cells, and by how much they differ together; those that differ most first. */
	accounts: { id: number; name: string; cells: number; amount: number }[];
	/** What it does to the upper accounts, by scenario and year: in the currency of the model. */
	totals: { account: string; depth: number; scenario: string; period: string; base: number | null; value: number | null }[];
	currency: string;
}

interface Found extends BranchPlace {
	ordinals: Int32Array;
	base: number;
	value: number;
	seen: number;
	version: number;
}

const orNull = (value: number): number | null => (isEmpty(value) ? null : value);
const same = (one: number, other: number): boolean => one === other || (isEmpty(one) && isEmpty(other));

/** Every cell a branch holds that may be read, as it shows there and in the plan. */
async function heldCells(engine: ModelEngine, ask: Pick<BranchChangesAsk, 'branch' | 'rules'>): Promise<Found[]> {
	const layer = await engine.branchOf(ask.branch);
	const { cube, model } = engine;
	const reader = new Reader(cube, [layer], engine.visibleOf(ask.rules));
	const found: Found[] = [];
	for (const { origin, year, address, amounts, versions, seen } of await readBranchSeries(engine.database, ask.branch.id)) {
		const ordinals = toOrdinals(model, address);
		if (!ordinals || !reader.mayRead(ordinals)) continue;
		for (let position = 0; position < amounts.length; position++)
			if (amounts[position] !== null)
				found.push({
					origin,
					address,
					year,
					position,
					ordinals,
					base: cube.read(ordinals, year, position),
					value: reader.read(ordinals, year, position),
					seen: seen[position] ?? EMPTY,
					version: versions[position] ?? 0
				});
	}
	return found;
}

/** What differs between a branch and the plan, cell by cell. */
export async function branchChanges(engine: ModelEngine, ask: BranchChangesAsk): Promise<BranchChanges> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const all = await heldCells(engine, ask);
	const find = ask.find.trim().toLowerCase();
	const versions = ask.versions && new Set(ask.versions);
	const words = (cell: Found) => cellInWords(model, cell.ordinals, cell.year, cell.position);
	const accountOf = (cell: Found) => model.accounts.member(cell.ordinals[model.accountAxis]!);
	const asked = all.filter(
		(cell) =>
			(ask.account === null || accountOf(cell).id === ask.account) &&
			(!versions || versions.has(cell.version)) &&
			(!ask.movedOnly || !same(cell.base, cell.seen)) &&
			(find === '' || words(cell).toLowerCase().includes(find))
	);
	const differs = ({ base, value }: Found) => Math.abs((isEmpty(value) ? 0 : value) - (isEmpty(base) ? 0 : base));
	asked.sort((one, other) => differs(other) - differs(one));
	const accounts = new Map<number, BranchChanges['accounts'][number]>();
	for (const cell of all) {
		const { id, name } = accountOf(cell);
		const known = accounts.get(id) ?? { id, name, cells: 0, amount: 0 };
		known.cells++;
		known.amount += (isEmpty(cell.value) ? 0 : cell.value) - (isEmpty(cell.base) ? 0 : cell.base);
		accounts.set(id, known);
	}
	return {
		lines: asked.slice(ask.from, ask.from + ask.most).map((cell) => ({
			origin: cell.origin,
			address: cell.address,
			year: cell.year,
			position: cell.position,
			words: words(cell),
			account: accountOf(cell).id,
			accountName: accountOf(cell).name,
			base: orNull(cell.base),
			value: orNull(cell.value),
			seen: orNull(cell.seen),
			currency: currencyOf(model, cell.ordinals),
			moved: !same(cell.base, cell.seen),
			version: cell.version
		})),
		count: asked.length,
		all: all.length,
		accounts: [...accounts.values()].sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount)).slice(0, 40),
		totals: totalsOf(engine, await engine.branchOf(ask.branch), all, ask.rules),
		currency: model.definition.reportingCurrency
	};
}

/** Upper accounts down to the second level, in the scenarios and years in which something differs. */
function totalsOf(engine: ModelEngine, layer: BranchLayer, cells: readonly Found[], rules: AccessRules): BranchChanges['totals'] {
	const { model, cube } = engine;
	if (cells.length === 0) return [];
	const { accounts, periods } = model;
	const visible = engine.visibleOf(rules);
	const years = new Set(cells.map(({ year }) => year));
	const scenarios = [...new Set(cells.map(({ ordinals }) => ordinals[model.scenarioAxis]!))];
	const tops = periods.dimension.tree
		.roots()
		.filter((root) => years.has(0) || [...years].some((year) => periods.leaves[periods.range(root).from]?.fiscalYear === year));
	const rows = [...accounts.tree.order].flatMap((ordinal) => {
		const depth = accounts.tree.ancestors(ordinal).length;
		return depth <= 1 && !accounts.isLeaf(ordinal) ? [{ ordinal, depth }] : [];
	});
	const columns = scenarios.flatMap((scenario) => tops.map((period) => ({ scenario, period })));
	if (rows.length * columns.length === 0 || rows.length * columns.length > 4_000) return [];
	const slice: Record<number, number> = {};
	for (const [axis, dimension] of model.dimensions.entries())
		if (axis !== model.accountAxis && axis !== model.scenarioAxis) slice[dimension.id] = dimension.member(largestRoot(dimension)).id;
	const figures = (reader: Reader) => {
		const view = new View(
			compileQuery(model, {
				slice,
				rows: rows.map(({ ordinal }) => ({ [accounts.id]: accounts.member(ordinal).id })),
				columns: columns.map(({ scenario, period }) => ({
					[model.scenarios.id]: model.scenarios.member(scenario).id,
					[periods.dimension.id]: periods.dimension.member(period).id
				})),
				currency: model.definition.reportingCurrency
			})
		);
		view.fill(reader);
		return view.evaluate().values;
	};
	const [base, branch] = [figures(new Reader(cube, [], visible)), figures(new Reader(cube, [layer], visible))];
	return rows.flatMap(({ ordinal, depth }, row) =>
		columns.flatMap(({ scenario, period }, column) => {
			const at = row * columns.length + column;
			if (same(base[at]!, branch[at]!) || Math.abs(base[at]! - branch[at]!) <= 1e-9 * Math.abs(base[at]!)) return [];
			return [
				{
					account: accounts.member(ordinal).name,
					depth,
					scenario: model.scenarios.member(scenario).name,
					period: periods.dimension.member(period).name,
					base: orNull(base[at]!),
					value: orNull(branch[at]!)
				}
			];
		})
	);
}

/** The currency a leaf’s amounts are stored in. */
function currencyOf(model: Model, address: Int32Array): string | null {
	const facts = model.account(address[model.accountAxis]!);
	return facts && isTranslated(facts) && model.entityAxis >= 0 ? model.currencyOf(address[model.entityAxis]!) : null;
}

const largestRoot = ({ tree }: Model['dimensions'][number]): number => {
	const roots = tree.roots();
	return roots.reduce((best, root) => (tree.leaves(root).length > tree.leaves(best).length ? root : best), roots[0]!);
};

/** What puts some cells of a branch back, or all that are asked for, as they are in the plan. */
export async function branchBack(
	engine: ModelEngine,
	ask: BranchChangesAsk & { places: BranchPlace[] | null }
): Promise<{ cells: BranchCell[]; width: number }> {
	await engine.reach(ask.revision);
	const chosen = ask.places && new Set(ask.places.map(keyOf));
	const { lines } = await branchChanges(engine, { ...ask, from: 0, most: Number.MAX_SAFE_INTEGER });
	return {
		cells: lines
			.filter((line) => !chosen || chosen.has(keyOf(line)))
			.map(({ origin, address, year, position }) => ({ origin, address, year, position, value: null, seen: EMPTY })),
		width: engine.model.periods.width
	};
}

const keyOf = ({ origin, address, year, position }: BranchPlace): string => `${origin} ${address.join(' ')} ${year} ${position}`;

export interface MergeAsk extends BranchChangesAsk {
	/** Only these; all that are asked for where none are named. */
	places: BranchPlace[] | null;
	/** What is decided where the plan has moved since: the branch’s figure, or the plan’s. */
	decides: 'branch' | 'plan' | null;
	/** Whether what may not be written, closed figures say, stays in the branch; otherwise nothing is merged then. */
	leavesRefused: boolean;
}

export interface MergePlan extends SavePlan {
	/** Cells in which the plan has moved since, with what is decided nowhere yet. */
	moved: BranchChange[];
	movedCount: number;
	/** Of those that are written: what of the branch they are, and what the branch shows there. */
	places: (BranchPlace & { held: number; shows: number })[];
}

const MOST_MOVED = 200;

/** What merging a branch into the plan would write. */
export async function planMerge(engine: ModelEngine, ask: MergeAsk): Promise<MergePlan> {
	const { lines } = await branchChanges(engine, { ...ask, from: 0, most: Number.MAX_SAFE_INTEGER });
	const chosen = ask.places && new Set(ask.places.map(keyOf));
	const layer = await engine.branchOf(ask.branch);
	const { model } = engine;
	const moved: BranchChange[] = [];
	const places: MergePlan['places'] = [];
	const cells: { address: number[]; period: number; value: number | null }[] = [];
	const guard = engine.guardOf(ask.rules);
	for (const line of lines) {
		if (chosen && !chosen.has(keyOf(line))) continue;
		if (line.moved && ask.decides !== 'branch') {
			moved.push(line);
			continue;
		}
		const ordinals = toOrdinals(model, line.address)!;
		const held = layer.heldAt(ordinals, line.year, line.position).find(({ origin }) => origin === line.origin);
		// What shows the same already needs no writing.
		if (!held || !isValue(held.value) || line.base === line.value) continue;
		if (ask.leavesRefused && guard.leafVerdict(ordinals, judgedPeriod(model, ordinals, line.year, line.position)).kind !== 'enter')
			continue;
		cells.push({
			address: toMembers(model, ordinals),
			period: periodMember(model, line.year, line.position),
			value: held.value === TAKEN_AWAY ? null : held.value
		});
		places.push({
			origin: line.origin,
			address: line.address,
			year: line.year,
			position: line.position,
			held: held.value,
			shows: line.value ?? EMPTY
		});
	}
	const plan = planCells(engine, ask.rules, cells);
	const undecided = ask.decides === 'plan' ? [] : moved;
	return { ...plan, moved: undecided.slice(0, MOST_MOVED), movedCount: undecided.length, places };
}
