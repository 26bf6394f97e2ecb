import { EMPTY, isEmpty, isSame, isTranslated, isValue, orNull, Reader, TAKEN_AWAY, type AccessRules, type Model } from '../../../core';
import { readBranchSeries, readSeen, type BranchCell, type BranchVersion } from '../../database/branch-series';
import { cellInWords, judgedPeriod, periodMember, toMembers, toOrdinals } from '../addresses';
import type { ModelEngine } from '../model-engine';
import { differences, figures, type EffectLine } from './effect';
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
	/** The same in words, where the figures stand for choices, dates or texts. */
	said: { base: string; value: string; seen: string } | null;
	/** The currency the amounts are in; null for what is no money. */
	currency: string | null;
	/** Whether the plan has moved since. */
	moved: boolean;
	/** The version of the branch it was written with. */
	version: number;
}

/** Which changes of a branch are asked for. */
export interface BranchAsk {
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
}

export interface BranchChanges {
	/** A page of them, the largest differences first, by amounts as they are stored. */
	lines: BranchChange[];
	/** How many there are, of those asked for, and of the whole branch as far as it may be read. */
	count: number;
	all: number;
	/** By account how many cells, those with most first. */
	accounts: { id: number; name: string; cells: number }[];
	/** What it does to the upper accounts, by scenario and year, over everything else. */
	totals: EffectLine[];
	/** Of a branch with rates of its own: the totals as it shows them, and as the plan will at its rates, once it is merged. */
	atPlanRates: EffectLine[];
	/** The currency of the totals. */
	currency: string;
}

/** A cell a branch holds, as it shows there and in the plan. */
interface Found extends BranchPlace {
	ordinals: Int32Array;
	base: number;
	value: number;
	seen: number;
	held: number;
	version: number;
}

const MOST_ACCOUNTS = 40;
const MOST_TOTALS = 24;

/** Every cell typed in a branch that may be read. What its runs wrote is told run by run. */
async function heldCells(engine: ModelEngine, { branch, rules }: BranchAsk): Promise<Found[]> {
	const layer = await engine.branchOf(branch);
	const { cube, model } = engine;
	const reader = new Reader(cube, [layer], engine.visibleOf(rules));
	const found: Found[] = [];
	for (const { origin, year, address, amounts, versions, seen } of await readBranchSeries(engine.database, branch.id)) {
		const ordinals = model.origin(origin)?.mode === 'entry' ? toOrdinals(model, address) : undefined;
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
					held: amounts[position]!,
					version: versions[position] ?? 0
				});
	}
	return found;
}

/** The same from what the engine holds, without what the plan showed then: quick, and enough to sort and count them. */
async function shownCells(engine: ModelEngine, { branch, rules }: BranchAsk): Promise<Found[]> {
	const layer = await engine.branchOf(branch);
	const { cube, model } = engine;
	const reader = new Reader(cube, [layer], engine.visibleOf(rules));
	const found: Found[] = [];
	let ordinals = new Int32Array(model.dimensions.length).fill(-1);
	let address: number[] = [];
	let mayRead = false;
	const isNear = (at: Int32Array): boolean => {
		for (let axis = 0; axis < at.length; axis++) if (at[axis] !== ordinals[axis]) return false;
		return true;
	};
	layer.eachHeld(
		(origin) => model.origin(origin)?.mode === 'entry',
		(origin, at, year, position, held, version) => {
			// Cells come series by series.
			if (!isNear(at)) {
				ordinals = at.slice();
				address = toMembers(model, at);
				mayRead = reader.mayRead(ordinals);
			}
			if (!mayRead) return;
			const base = cube.read(ordinals, year, position);
			const value = reader.read(ordinals, year, position);
			found.push({ origin, address, year, position, ordinals, base, value, seen: EMPTY, held, version });
		}
	);
	return found;
}

const hasMoved = ({ base, seen }: Found): boolean => !isSame(base, seen);

/** Those of the cells that are asked for: as they are named, or as they are filtered. */
function chosenOf(engine: ModelEngine, all: readonly Found[], ask: BranchAsk, places: readonly BranchPlace[] | null = null): Found[] {
	const { model } = engine;
	const find = ask.find.trim().toLowerCase();
	const versions = ask.versions && new Set(ask.versions);
	const named = places && new Set(places.map(keyOf));
	return all.filter(
		(cell) =>
			(ask.account === null || accountAt(model, cell).id === ask.account) &&
			(!versions || versions.has(cell.version)) &&
			(!ask.movedOnly || hasMoved(cell)) &&
			(!named || named.has(keyOf(cell))) &&
			(find === '' || cellInWords(model, cell.ordinals, cell.year, cell.position).toLowerCase().includes(find))
	);
}

const accountAt = (model: Model, { ordinals }: Found) => model.accounts.member(ordinals[model.accountAxis]!);

/** Some cells as people are told of them. */
async function told({ model, words }: ModelEngine, cells: readonly Found[]): Promise<BranchChange[]> {
	const typeOf = (cell: Found) => model.account(cell.ordinals[model.accountAxis]!)?.valueType;
	await words.know(cells.filter((cell) => typeOf(cell) === 'text').flatMap(({ base, value, seen }) => [base, value, seen].filter(isValue)));
	return cells.map((cell) => {
		const { id, name } = accountAt(model, cell);
		const type = typeOf(cell);
		const say = (value: number): string =>
			isEmpty(value) ? '' : type === 'date' ? new Date(value * 86_400_000).toISOString().slice(0, 10) : words.wordOf(id, value);
		const { origin, address, year, position, base, value, seen, version } = cell;
		return {
			...{ origin, address, year, position, version },
			words: cellInWords(model, cell.ordinals, year, position),
			account: id,
			accountName: name,
			...{ base: orNull(base), value: orNull(value), seen: orNull(seen) },
			said: type === 'choice' || type === 'text' || type === 'date' ? { base: say(base), value: say(value), seen: say(seen) } : null,
			currency: currencyOf(model, cell.ordinals),
			moved: hasMoved(cell)
		};
	});
}

/** The currency a leaf’s amounts are stored in. */
function currencyOf(model: Model, address: Int32Array): string | null {
	const facts = model.account(address[model.accountAxis]!);
	return facts && isTranslated(facts) && model.entityAxis >= 0 ? model.currencyOf(address[model.entityAxis]!) : null;
}

/** What differs between a branch and the plan, cell by cell. */
export async function branchChanges(engine: ModelEngine, ask: BranchAsk & { from: number; most: number }): Promise<BranchChanges> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const all = ask.movedOnly ? await heldCells(engine, ask) : await shownCells(engine, ask);
	const asked = chosenOf(engine, all, ask);
	const layer = await engine.branchOf(ask.branch);
	const differs = ({ base, value }: Found) => Math.abs((isEmpty(value) ? 0 : value) - (isEmpty(base) ? 0 : base));
	asked.sort((one, other) => differs(other) - differs(one));
	const page = asked.slice(ask.from, ask.from + ask.most);
	if (!ask.movedOnly) {
		const seen = await readSeen(engine.database, ask.branch.id, page);
		page.forEach((cell, at) => (cell.seen = seen[at]!));
	}
	const accounts = new Map<number, BranchChanges['accounts'][number]>();
	for (const cell of all) {
		const { id, name } = accountAt(model, cell);
		const known = accounts.get(id);
		if (known) known.cells++;
		else accounts.set(id, { id, name, cells: 1 });
	}
	return {
		lines: await told(engine, page),
		count: asked.length,
		all: all.length,
		accounts: [...accounts.values()].sort((one, other) => other.cells - one.cells).slice(0, MOST_ACCOUNTS),
		...(layer.size === 0 && !layer.ratesInstead ? { totals: [], atPlanRates: [] } : await totalsOf(engine, ask)),
		currency: model.definition.reportingCurrency
	};
}

/** What a branch does to accounts that add up others, down to the second level. */
async function totalsOf(engine: ModelEngine, { branch, rules }: BranchAsk): Promise<Pick<BranchChanges, 'totals' | 'atPlanRates'>> {
	const { model, cube } = engine;
	const { accounts } = model;
	const visible = engine.visibleOf(rules);
	const asked = [...accounts.tree.order]
		.filter((account) => accounts.tree.ancestors(account).length <= 1 && !accounts.isLeaf(account))
		.map((account) => ({ account }));
	if (asked.length === 0) return { totals: [], atPlanRates: [] };
	const layer = await engine.branchOf(branch);
	const reader = new Reader(cube, [layer], visible);
	const before = figures(new Reader(cube, [], visible), asked);
	const after = figures(reader, asked);
	return {
		totals: differences(model, asked, before, after, MOST_TOTALS),
		atPlanRates: layer.ratesInstead ? differences(model, asked, after, figures(reader.atOwnRates(), asked), MOST_TOTALS) : []
	};
}

/** What puts some cells of a branch back, or all that are asked for, as they are in the plan. */
export async function branchBack(
	engine: ModelEngine,
	ask: BranchAsk & { places: BranchPlace[] | null }
): Promise<{ cells: BranchCell[]; width: number }> {
	await engine.reach(ask.revision);
	return {
		cells: chosenOf(engine, await heldCells(engine, ask), ask, ask.places).map(({ origin, address, year, position }) => ({
			...{ origin, address, year, position },
			value: null,
			seen: EMPTY
		})),
		width: engine.model.periods.width
	};
}

const keyOf = ({ origin, address, year, position }: BranchPlace): string => `${origin} ${address.join(' ')} ${year} ${position}`;

export interface MergeAsk extends BranchAsk {
	/** Only these; all that are asked for where none are named. */
	places: BranchPlace[] | null;
	/** What is decided where the plan has moved since: the branch’s figure, or the plan’s. */
	decides: 'branch' | 'plan' | null;
	/** Whether what may not be written, closed figures say, stays in the branch; otherwise nothing is merged then. */
	leavesRefused: boolean;
}

export interface MergePlan extends SavePlan {
	/** Cells in which the plan has moved since, where nothing is decided yet. */
	moved: BranchChange[];
	movedCount: number;
	/** Of those that are written: what of the branch they are, and what the branch shows there. */
	places: (BranchPlace & { held: number; shows: number })[];
	/** How many cells of the branch show what the plan shows already, as far as they may be read. */
	alike: number;
}

const MOST_MOVED = 200;

/** What merging a branch into the plan would write. */
export async function planMerge(engine: ModelEngine, ask: MergeAsk): Promise<MergePlan> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const guard = engine.guardOf(ask.rules);
	const all = await heldCells(engine, ask);
	// What shows the same already needs no writing, and nobody to decide.
	const isAlike = ({ base, value }: Found) => isSame(base, value);
	const asked = chosenOf(engine, all, ask, ask.places).filter((cell) => !isAlike(cell));
	const moved = ask.decides === 'branch' ? [] : asked.filter(hasMoved);
	const written = asked.filter(
		(cell) =>
			(ask.decides === 'branch' || !hasMoved(cell)) &&
			(!ask.leavesRefused ||
				guard.leafVerdict(cell.ordinals, judgedPeriod(model, cell.ordinals, cell.year, cell.position)).kind === 'enter')
	);
	const plan = planCells(
		engine,
		ask.rules,
		written.map(({ address, year, position, held }) => ({
			address,
			period: periodMember(model, year, position),
			value: held === TAKEN_AWAY ? null : held
		}))
	);
	const undecided = ask.decides === 'plan' ? [] : moved;
	return {
		...plan,
		moved: await told(engine, undecided.slice(0, MOST_MOVED)),
		movedCount: undecided.length,
		places: written.map(({ origin, address, year, position, held, value }) => ({ origin, address, year, position, held, shows: value })),
		alike: all.filter(isAlike).length
	};
}
