import {
	favourableSignOf,
	isEmpty,
	priceVolumeMix,
	Reader,
	type AccessRules,
	type Model,
	type PriceVolumeMix,
	childrenIn,
	lookCloser,
	takeApart,
	valuesOf,
	type Contributions,
	type PlacedFigure,
	type Side
} from '../../../core';
import type { BranchVersion } from '../../database/branch-series';
import { EngineFault, inWords } from '../fault';
import { spanWithin } from '../form-lines';
import type { ModelEngine } from '../model-engine';

export interface WhyAsk {
	revision: number;
	structure: number;
	rules: AccessRules;
	/** Whose draft is read through, in its version; nobody's when left out. */
	draft?: { person: number; version: number };
	/** The branch the later side is read in, and the earlier one; the plan where none is named. */
	branch?: BranchVersion | undefined;
	fromBranch?: BranchVersion | undefined;
	/** The figure by its members (ids) in address order, the period last. */
	place: readonly number[];
	/** What it is held against: other members (ids), where they are others. */
	from: { scenario?: number | undefined; period?: number | undefined };
	currency: string;
	/** By which dimension (id) it is taken apart; by the one that tells most where none is named. */
	dimension: number | null;
	/** Members further down, by dimension. */
	at: Readonly<Record<number, number>>;
	/** An account (id) of quantities: the difference is also told as volume, mix and price. */
	quantity?: number | undefined;
	most?: number;
}

export interface WhyAnswer extends Contributions {
	revision: number;
	/** +1 where more of the account is good news, −1 where less is, 0 where neither. */
	favourable: number;
	/** Where the scenario of a side ends or begins inside its period, in words: less than the period is compared. */
	cut: { before: string | null; after: string | null };
	/** Whether the figure is read in parts only: what the reader may read. */
	restricted: boolean;
	priceVolumeMix: PriceVolumeMix | null;
}

const MOST_LINES = 40;

/** Why a figure differs from another one: of another scenario, period or branch. @throws EngineFault where it is not there */
export async function why(engine: ModelEngine, ask: WhyAsk): Promise<WhyAnswer> {
	await engine.reach(ask.revision);
	const { model, cube } = engine;
	const visible = engine.visibleOf(ask.rules);
	const ordinals = ask.place.slice(0, -1).map((member, axis) => model.dimensions[axis]?.ordinal(member));
	const period = model.periods.dimension.ordinal(ask.place.at(-1)!);
	if (ask.place.length !== model.dimensions.length + 1 || period === undefined || ordinals.some((ordinal) => ordinal === undefined))
		throw new EngineFault('This figure is not there any more.');
	const members = Int32Array.from(ordinals as number[]);
	if (visible && !visible.reachesCell([...members])) throw new EngineFault('You may not read this figure.');
	const own = (): PlacedFigure => ({ members: Int32Array.from(members), period });
	const other = own();
	if (ask.from.scenario !== undefined) other.members[model.scenarioAxis] = known(model.scenarios.ordinal(ask.from.scenario));
	if (ask.from.period !== undefined) other.period = known(model.periods.dimension.ordinal(ask.from.period));
	if (visible && !visible.reachesCell([...other.members])) throw new EngineFault('You may not read what it is held against.');
	const readerOf = async (branch: BranchVersion | undefined): Promise<Reader> => {
		if (ask.draft && branch?.id === ask.branch?.id) {
			const { reader } = await engine.draftOf(ask.draft.person, ask.draft.version, branch);
			return new Reader(cube, reader.layers, visible);
		}
		return new Reader(cube, branch ? [await engine.branchOf(branch)] : [], visible);
	};
	const from: Side = { reader: await readerOf(ask.fromBranch), figure: other, currency: ask.currency };
	const to: Side = { reader: await readerOf(ask.branch), figure: own(), currency: ask.currency };
	inWords(() => {
		for (const [id, member] of Object.entries(ask.at)) {
			lookCloser(model, to.figure, Number(id), member);
			closerBeside(engine, from.figure, to.figure, Number(id), member, own());
		}
	});
	return {
		...inWords(() => takeApart(model, [from, to], { dimension: ask.dimension, most: ask.most ?? MOST_LINES })),
		revision: engine.revision,
		cut: { before: cutOf(model, from.figure), after: cutOf(model, to.figure) },
		favourable: favourableSignOf(model, members[model.accountAxis]!),
		restricted: visible !== undefined,
		priceVolumeMix: ask.quantity === undefined ? null : soldParts(engine, [from, to], ask)
	};
}

const cutOf = (model: Model, { members, period }: PlacedFigure): string | null =>
	spanWithin(model, members[model.scenarioAxis]!, period) ?? null;

const known = (ordinal: number | undefined): number => {
	if (ordinal === undefined) throw new EngineFault('What it is held against is not there any more.');
	return ordinal;
};

/** Moves the side it is held against to the same member; of periods to the one in the same place under its own. */
function closerBeside(
	{ model }: ModelEngine,
	figure: PlacedFigure,
	moved: PlacedFigure,
	id: number,
	member: number,
	whole: PlacedFigure
): void {
	const { dimension } = model.periods;
	if (id !== dimension.id || figure.period === whole.period) return lookCloser(model, figure, id, member);
	const place = dimension.tree.under(whole.period).indexOf(moved.period);
	const beside = dimension.tree.under(figure.period)[place];
	if (beside === undefined) throw new EngineFault('There is no such period in what it is held against.');
	figure.period = beside;
}

/** Volume, mix and price of an amount over the members right under it in a dimension. */
function soldParts({ model }: ModelEngine, sides: readonly [Side, Side], { quantity, dimension }: WhyAsk): PriceVolumeMix | null {
	const account = model.accounts.ordinal(quantity!);
	if (account === undefined || dimension === null || dimension === model.accounts.id) return null;
	const children = sides.map(({ figure }) => childrenIn(model, figure, dimension));
	if (children[0]!.length !== children[1]!.length) return null;
	const [amounts, quantities] = [false, true].map((counts) =>
		sides.map((side, at) => {
			const figure = { ...side.figure, members: Int32Array.from(side.figure.members) };
			if (counts) figure.members[model.accountAxis] = account;
			return valuesOf(model, { ...side, figure }, { by: dimension, children: children[at]! });
		})
	);
	const number = (value: number) => (isEmpty(value) ? 0 : value);
	const sold = (side: number, at: number) => ({ amount: number(amounts![side]![at]!), quantity: number(quantities![side]![at]!) });
	return priceVolumeMix(children[0]!.map((_, at) => ({ before: sold(0, at), after: sold(1, at) })));
}
