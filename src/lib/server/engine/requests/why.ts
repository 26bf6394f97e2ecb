import {
	favourableSignOf,
	isEmpty,
	priceVolumeMix,
	type AccessRules,
	type PriceVolumeMix,
	childrenBeside,
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
import { readAs, type ComparedSide } from './compared-side';

export interface WhyAsk {
	revision: number;
	structure: number;
	rules: AccessRules;
	/** Whose draft is read through, in its version; nobody's when left out. */
	draft?: { person: number; version: number };
	/** The branch the later side is read in; the plan where none is named. */
	branch?: BranchVersion | undefined;
	/** What the earlier one is read in. */
	fromSide: ComparedSide;
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
	const { model } = engine;
	const ordinals = ask.place.slice(0, -1).map((member, axis) => model.dimensions[axis]?.ordinal(member));
	const period = model.periods.dimension.ordinal(ask.place.at(-1)!);
	if (ask.place.length !== model.dimensions.length + 1 || period === undefined || ordinals.some((ordinal) => ordinal === undefined))
		throw new EngineFault('This figure is not there any more.');
	const members = Int32Array.from(ordinals as number[]);
	const own = (): PlacedFigure => ({ members: Int32Array.from(members), period });
	const other = own();
	if (ask.from.scenario !== undefined) other.members[model.scenarioAxis] = known(model.scenarios.ordinal(ask.from.scenario));
	if (ask.from.period !== undefined) other.period = known(model.periods.dimension.ordinal(ask.from.period));
	const { currency, rules, draft, branch, fromSide } = ask;
	const inSameBranch = fromSide.snapshot === undefined && fromSide.branch?.id === branch?.id;
	const to = await readAs(engine, { branch, draft }, { figure: own(), currency, rules });
	const from = await readAs(engine, { ...fromSide, draft: inSameBranch ? draft : undefined }, { figure: other, currency, rules });
	inWords(() => {
		for (const [id, member] of Object.entries(ask.at)) {
			lookCloser(model, to.figure, Number(id), member);
			closerBeside(from, to, Number(id), member, period);
		}
	});
	return {
		...inWords(() => takeApart([from, to], { dimension: ask.dimension, most: ask.most ?? MOST_LINES })),
		revision: engine.revision,
		cut: { before: cutOf(from), after: cutOf(to) },
		favourable: favourableSignOf(model, members[model.accountAxis]!),
		restricted: to.reader.visible !== undefined,
		priceVolumeMix: ask.quantity === undefined ? null : soldParts([from, to], ask)
	};
}

const cutOf = ({ reader: { model }, figure: { members, period } }: Side): string | null =>
	spanWithin(model, members[model.scenarioAxis]!, period) ?? null;

const known = (ordinal: number | undefined): number => {
	if (ordinal === undefined) throw new EngineFault('What it is held against is not there any more.');
	return ordinal;
};

/**
 * Moves the side it is held against to the same member; of periods to the one in the same place under its own.
 * @param whole the period (ordinal) of the later side before it was moved
 */
function closerBeside(from: Side, to: Side, id: number, member: number, whole: number): void {
	const { dimension } = to.reader.model.periods;
	const there = from.reader.model;
	const isSame = dimension.member(whole).id === there.periods.dimension.member(from.figure.period).id;
	if (id !== dimension.id || isSame) return lookCloser(there, from.figure, id, member);
	const place = dimension.tree.under(whole).indexOf(to.figure.period);
	const beside = there.periods.dimension.tree.under(from.figure.period)[place];
	if (beside === undefined) throw new EngineFault('There is no such period in what it is held against.');
	from.figure.period = beside;
}

/** Volume, mix and price of an amount over the members right under it in a dimension. */
function soldParts(sides: readonly [Side, Side], { quantity, dimension }: WhyAsk): PriceVolumeMix | null {
	if (dimension === null || dimension === sides[1].reader.model.accounts.id) return null;
	const beside = childrenBeside(sides, dimension);
	const sold: { amount: Map<number, number>; quantity: Map<number, number> }[] = [];
	for (const [place, side] of sides.entries()) {
		const { model } = side.reader;
		const account = model.accounts.ordinal(quantity!);
		if (account === undefined) return null;
		const children = beside.flatMap((pair) => (pair[place] === undefined ? [] : [pair[place]]));
		const read = (members: Int32Array): Map<number, number> => {
			const values = valuesOf({ ...side, figure: { ...side.figure, members } }, { by: dimension, children });
			return new Map(children.map((child, at) => [child, isEmpty(values[at]!) ? 0 : values[at]!]));
		};
		const counted = Int32Array.from(side.figure.members);
		counted[model.accountAxis] = account;
		sold.push({ amount: read(side.figure.members), quantity: read(counted) });
	}
	const at = (side: number, child: number | undefined) =>
		child === undefined
			? { amount: 0, quantity: 0 }
			: { amount: sold[side]!.amount.get(child)!, quantity: sold[side]!.quantity.get(child)! };
	return priceVolumeMix(beside.map(([own, other]) => ({ before: at(0, own), after: at(1, other) })));
}
