import type { SliceRule } from '../access';
import type { Dimension } from '../dimension';
import type { Model } from '../model';
import { isSame } from '../number';
import type { Cube } from './cube';
import { compileQuery } from './query';
import { Reader } from './reader';
import { View } from './view';

/** A figure of a slice that another definition of the model would make another one; all by ids. */
export interface MovedFigure {
	account: number;
	scenario: number;
	period: number;
	/** The members of the other dimensions, by dimension. */
	place: Readonly<Record<number, number>>;
	before: number;
	after: number;
}

/** Places that are compared of one slice; more are told, and not compared. */
const MOST_PLACES = 5_000;
/** Cells that are accumulated at once. */
const MOST_AT_ONCE = 4_000_000;

/**
 * The figures of a slice that differ between two definitions of a model over the same cells: of every account it names or
 * has beneath, in its scenarios and periods (of those the uppermost that moves), at the members it names, and, of a dimension whose tree is another one, at every member under
 * them that has other leaves or weights: what moves from one group to another leaves their total as it was.
 * O(series of the cube) for each portion of places.
 * @param before as it is, and @param after as it would be: the same members in the same order, new ones after them
 * @param visit called for every figure that differs
 * @returns whether there are more places than are compared
 */
export function eachMovedFigure(
	cube: Cube,
	before: Model,
	after: Model,
	slice: SliceRule,
	visit: (figure: MovedFigure) => void
): { isCut: boolean } {
	const accounts = atAndUnder(before.accounts, slice[before.accounts.id])
		.filter((ordinal) => before.account(ordinal) !== undefined || ![before, after].every(({ accounts: of }) => of.isLeaf(ordinal)))
		.map((ordinal) => before.accounts.member(ordinal).id);
	const scenarios = (slice[before.scenarios.id] ?? before.scenarios.members.map(({ id }) => id)).filter(
		(id) => before.scenarios.ordinal(id) !== undefined
	);
	const { dimension: calendar } = before.periods;
	const years = calendar.tree.roots();
	// What is above comes first: a month is told where the year it is in stays as it was, as balances do that end alike.
	const inOrder = atAndUnder(calendar, slice[calendar.id]);
	const periods = inOrder.map((ordinal) => calendar.member(ordinal).id);
	let places: Record<number, number>[] = [{}];
	let isCut = false;
	for (const [axis, dimension] of before.dimensions.entries()) {
		if (dimension === before.accounts || dimension === before.scenarios) continue;
		const members = membersToCompare(dimension, after.dimensions[axis]!, slice[dimension.id]);
		isCut ||= places.length * members.length > MOST_PLACES;
		places = places.flatMap((place) => members.map((member) => ({ ...place, [dimension.id]: member }))).slice(0, MOST_PLACES);
	}
	if (accounts.length === 0 || scenarios.length === 0 || periods.length === 0) return { isCut };
	const columns = scenarios.flatMap((scenario) => periods.map((period) => ({ [before.scenarios.id]: scenario, [calendar.id]: period })));
	const across = accounts.length * scenarios.length * Math.max(1, years.length) * before.periods.width;
	const portion = Math.max(1, Math.floor(MOST_AT_ONCE / across));
	for (let from = 0; from < places.length; from += portion) {
		const some = places.slice(from, from + portion);
		const rows = some.flatMap((place) => accounts.map((account) => ({ ...place, [before.accounts.id]: account })));
		const [was, is] = [before, after].map((model) => {
			const view = new View(compileQuery(model, { slice: {}, rows, columns, currency: before.definition.reportingCurrency }));
			view.fill(new Reader(cube, [], undefined, model));
			return view.evaluate().values;
		});
		let run = -1;
		const told = new Set<number>();
		was!.forEach((value, at) => {
			const other = is![at]!;
			if (isSame(value, other) || Math.abs(other - value) <= 1e-9 * Math.max(Math.abs(value), Math.abs(other))) return;
			const row = Math.floor(at / columns.length);
			const column = at % columns.length;
			// One account of one scenario at one place, its periods after each other.
			if (run !== Math.floor(at / periods.length)) told.clear();
			run = Math.floor(at / periods.length);
			const period = inOrder[column % periods.length]!;
			if (calendar.tree.ancestors(period).some((above) => told.has(above))) return;
			told.add(period);
			visit({
				account: accounts[row % accounts.length]!,
				scenario: scenarios[Math.floor(column / periods.length)]!,
				period: periods[column % periods.length]!,
				place: some[Math.floor(row / accounts.length)]!,
				before: value,
				after: other
			});
		});
	}
	return { isCut };
}

/** The members (ordinals) a slice names, and all under them, what is above before what is beneath; all where none is named. */
function atAndUnder(dimension: Dimension, named: readonly number[] | undefined): number[] {
	if (!named) return [...dimension.members.keys()].sort((one, other) => dimension.tree.depth[one]! - dimension.tree.depth[other]!);
	const covered = new Set(named.flatMap((id) => dimension.ordinal(id) ?? []).flatMap((ordinal) => dimension.tree.under(ordinal)));
	return [...covered].sort((one, other) => dimension.tree.depth[one]! - dimension.tree.depth[other]!);
}

/** Members (ids) a dimension is compared at: those a slice names, or all at the top, and those beneath with other leaves. */
function membersToCompare(dimension: Dimension, other: Dimension, named: readonly number[] | undefined): number[] {
	const tops = named
		? named.flatMap((id) => dimension.ordinal(id) ?? [])
		: dimension.tree.roots().filter((root) => dimension.treeOf(root) === dimension.tree);
	const found = new Set(tops);
	if (JSON.stringify(nodesOf(dimension)) !== JSON.stringify(nodesOf(other)))
		for (const top of tops)
			for (const member of dimension.tree.under(top)) if (leavesOf(dimension, member) !== leavesOf(other, member)) found.add(member);
	return [...found].map((ordinal) => dimension.member(ordinal).id);
}

const nodesOf = ({ tree, members }: Dimension) => members.map((_, ordinal) => [tree.parent[ordinal], tree.weight[ordinal]]);

/** The leaves that count in a member, with what. */
function leavesOf(dimension: Dimension, ordinal: number): string {
	const leaves: string[] = [];
	dimension.eachWeightedLeaf(ordinal, (leaf, weight) => leaves.push(`${leaf} ${weight}`));
	return leaves.sort().join();
}
