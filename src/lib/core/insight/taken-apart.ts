import { CellFlag, compileQuery, QueryFault, rateSetLike, View, type RatesLike, type Reader } from '../cube';
import type { Model } from '../model';
import { EMPTY, isEmpty, orNull } from '../number';

/** What a member adds to a difference. */
export interface DifferencePart {
	member: number;
	name: string;
	before: number | null;
	after: number | null;
	/** What it adds to the difference of the whole: its own, by its weight there. */
	part: number;
	/** Whether it can be taken apart further. */
	isParent: boolean;
}

export interface Contributions {
	/** The figure that is taken apart. */
	before: number | null;
	after: number | null;
	/** Dimensions by which it can be: those in which something lies beneath it. */
	dimensions: { id: number; name: string }[];
	dimension: number | null;
	/** The largest first; those that do not differ are left out. */
	lines: DifferencePart[];
	/** How many more there are, and what they come to together. */
	more: { count: number; part: number };
	/** What the rates alone make of it, where the sides are read at different ones; 0 otherwise. */
	exchange: number;
	/** What the parts do not come to: of a share or a ratio they add up to nothing. */
	addsUp: boolean;
}

/** The cell that is taken apart: an ordinal for each dimension, and the period. */
export interface PlacedFigure {
	members: Int32Array;
	period: number;
}

/** A figure as somebody reads it. */
export interface Side {
	reader: Reader;
	figure: PlacedFigure;
	currency: string;
}

/**
 * What makes a figure another one: by the members right under it in a dimension, the largest differences first. Both sides
 * stand at the same members but for scenarios and periods; periods of two years go with each other by their place, all other
 * members by what they are, also where the earlier side is read from a model as it stood. Where the sides are read at
 * different rates, what the rates make is told apart: the later side is read at the rates of the earlier.
 * @param dimension by which it is taken apart (id); by the one that tells most where none is named
 * @param most lines told one by one
 * @throws QueryFault where a side is of several currencies: its parts cannot be added up
 */
export function takeApart(
	sides: readonly [Side, Side],
	{ dimension: asked, most }: { dimension: number | null; most: number }
): Contributions {
	const [from, to] = sides;
	const { model } = to.reader;
	const [before, after] = sides.map((side) => {
		const { values, flags } = evaluate(side, {});
		// The parts would be amounts of several currencies: nothing adds them up.
		if ((flags[0]! & CellFlag.mixedCurrency) !== 0)
			throw new QueryFault('Several currencies lie beneath this figure. Choose one currency to see what makes the difference.');
		return values[0];
	});
	const ratesLike = ratesOf(from, to);
	const [level] = ratesLike === undefined ? [after!] : valuesOf(to, { ratesLike });
	const candidates = [...model.dimensions, model.periods.dimension].filter(({ id }) => {
		if (!from.reader.model.dimension(id)) return false;
		if (childrenIn(from, id).length === 0 || childrenIn(to, id).length === 0) return false;
		return id === model.periods.dimension.id || memberId(from, id) === memberId(to, id);
	});
	const apart = (dimension: number): DifferencePart[] => {
		const beside = childrenBeside(sides, dimension);
		const valuesAt = (at: 0 | 1, ratesLike?: RatesLike): Map<number, number> => {
			const children = beside.flatMap((each) => (each[at] === undefined ? [] : [each[at]]));
			const values = valuesOf(sides[at], { by: dimension, children, ratesLike });
			return new Map(children.map((child, index) => [child, values[index]!]));
		};
		const [was, is] = [valuesAt(0), valuesAt(1)];
		const leveled = ratesLike === undefined ? is : valuesAt(1, ratesLike);
		return beside.flatMap(([own, other]) => {
			const [one, two] = [valueAt(was, own), valueAt(leveled, other)];
			// In an alternate group its own weights count, and in a model as it stood those of then.
			const part = weighted(two, to, dimension, other) - weighted(one, from, dimension, own);
			if (Math.abs(part) <= 1e-9 * Math.max(Math.abs(one) || 0, Math.abs(two) || 0)) return [];
			const of = (other === undefined ? from : to).reader.model.dimension(dimension)!;
			const { id, name } = of.member((other ?? own)!);
			const isParent = own !== undefined && other !== undefined && !of.isLeaf(other);
			return [{ member: id, name, before: orNull(one), after: orNull(valueAt(is, other)), part, isParent }];
		});
	};
	const all = new Map(candidates.filter(({ id }) => asked === null || id === asked).map(({ id }) => [id, apart(id)] as const));
	const told = [...all].sort(([, one], [, other]) => tells(other) - tells(one))[0];
	const lines = [...(told?.[1] ?? [])].sort((one, other) => Math.abs(other.part) - Math.abs(one.part));
	const whole = number(after!) - number(before!);
	const exchange = number(after!) - number(level!);
	const sum = lines.reduce((total, { part }) => total + part, 0) + exchange;
	const rest = lines.slice(most);
	return {
		before: orNull(before!),
		after: orNull(after!),
		dimensions: candidates.map(({ id, name }) => ({ id, name })),
		dimension: told?.[0] ?? null,
		lines: lines.slice(0, most),
		more: { count: rest.length, part: rest.reduce((total, { part }) => total + part, 0) },
		exchange,
		addsUp: Math.abs(sum - whole) <= 1e-6 * Math.max(1, Math.abs(whole))
	};
}

/** Nothing counts as nothing. */
const number = (value: number): number => (isEmpty(value) ? 0 : value);

const valueAt = (values: ReadonlyMap<number, number>, child: number | undefined): number =>
	child === undefined ? EMPTY : values.get(child)!;

/** What a member right under a figure adds to it. */
function weighted(value: number, side: Side, dimension: number, child: number | undefined): number {
	if (child === undefined || isEmpty(value)) return 0;
	const of = side.reader.model.dimension(dimension)!;
	return value * of.treeOf(memberIn(side, dimension)).weight[child]!;
}

/** How much a way of taking apart tells: most where one member makes all of it; nothing where it has one member only. */
function tells(lines: readonly { part: number }[]): number {
	const total = lines.reduce((sum, { part }) => sum + Math.abs(part), 0);
	if (total === 0) return -1;
	const squares = lines.reduce((sum, { part }) => sum + (part / total) ** 2, 0);
	// A single line says where, and nothing of how it is made: better than none, worse than a few.
	return lines.length === 1 ? 0 : squares;
}

/**
 * The rates of the earlier side, where the later one is read at others. Undefined where both are read at the same, in local
 * currency, over periods of other lengths, or where some are missing: then rates are not told apart.
 */
function ratesOf(from: Side, to: Side): RatesLike | undefined {
	if (from.currency === 'local') return undefined;
	const [own, other] = [from, to].map(({ reader: { model, ratesInstead }, figure: { members, period } }) => ({
		...{ model, instead: ratesInstead, scenario: members[model.scenarioAxis]! },
		range: model.periods.range(period)
	}));
	if (own!.range.to - own!.range.from !== other!.range.to - other!.range.from) return undefined;
	const shift = other!.range.from - own!.range.from;
	const length = own!.range.to - own!.range.from + 1;
	const periods = Array.from({ length }, (_, at) => own!.range.from + at);
	if (periods.some((period) => rateSetLike(own!, period) === undefined)) return undefined;
	const isSame =
		own!.model === other!.model && shift === 0 && periods.every((period) => rateSetLike(own!, period) === rateSetLike(other!, period));
	if (isSame) return undefined;
	const like: RatesLike = { model: own!.model, scenario: own!.scenario, instead: own!.instead, shift };
	// Where rates are missing on a side, what they leave out would pass for exchange.
	const isWhole = [{ ratesLike: like }, {}].every((apart) => (evaluate(to, apart).flags[0]! & CellFlag.incomplete) === 0);
	return isWhole ? like : undefined;
}

/** Moves a figure to a member further down. @throws QueryFault where the member is none beneath it */
export function lookCloser(model: Model, figure: PlacedFigure, id: number, member: number): void {
	const dimension = model.dimension(id);
	const ordinal = dimension?.ordinal(member);
	const isPeriod = dimension === model.periods.dimension;
	const axis = dimension ? model.dimensions.indexOf(dimension) : -1;
	const above = isPeriod ? figure.period : figure.members[axis];
	if (!dimension || ordinal === undefined || above === undefined || !dimension.treeOf(above).isUnder(ordinal, above))
		throw new QueryFault('This member does not lie beneath the figure any more. Begin again.');
	if (isPeriod) figure.period = ordinal;
	else figure.members[axis] = ordinal;
}

/** The member (ordinal) a figure stands at in a dimension of its model. */
function memberIn({ reader: { model }, figure: { members, period } }: Side, id: number): number {
	const dimension = model.dimension(id)!;
	return dimension === model.periods.dimension ? period : members[model.dimensions.indexOf(dimension)]!;
}

const memberId = (side: Side, id: number): number => side.reader.model.dimension(id)!.member(memberIn(side, id)).id;

function childrenIn(side: Side, id: number): readonly number[] {
	const own = memberIn(side, id);
	return side.reader.model.dimension(id)!.treeOf(own).children(own);
}

/**
 * The members right under a figure on both sides, those that go with each other together: periods of two years by their
 * place, others by what they are. Undefined where there is none on a side.
 */
export function childrenBeside(sides: readonly [Side, Side], id: number): [number | undefined, number | undefined][] {
	const [own, other] = sides.map((side) => childrenIn(side, id));
	const byPlace = id === sides[1].reader.model.periods.dimension.id && memberId(sides[0], id) !== memberId(sides[1], id);
	if (byPlace) return Array.from({ length: Math.max(own!.length, other!.length) }, (_, at) => [own![at], other![at]]);
	const [of, beside] = sides.map(({ reader: { model } }) => model.dimension(id)!);
	const left = new Map(own!.map((child) => [of!.member(child).id, child]));
	const paired = other!.map((child): [number | undefined, number] => {
		const { id: member } = beside!.member(child);
		const found = left.get(member);
		left.delete(member);
		return [found, child];
	});
	return [...paired, ...[...left.values()].map((child): [number, undefined] => [child, undefined])];
}

interface Apart {
	by?: number;
	children?: readonly number[];
	/** Rates it is read at instead of its own. */
	ratesLike?: RatesLike | undefined;
}

/** A figure as a side reads it, or those of members of one dimension in its place. */
export const valuesOf = (side: Side, apart: Apart = {}): Float64Array => evaluate(side, apart).values;

function evaluate(
	{ reader, figure: { members, period }, currency }: Side,
	{ by: asked, children, ratesLike }: Apart
): { values: Float64Array; flags: Uint8Array } {
	const { model } = reader;
	const all = new Map([[model.periods.dimension.id, model.periods.dimension.member(period).id]]);
	model.dimensions.forEach((dimension, axis) => all.set(dimension.id, dimension.member(members[axis]!).id));
	const by = asked ?? model.accounts.id;
	const rows = children ? children.map((ordinal) => model.dimension(by)!.member(ordinal).id) : [all.get(by)!];
	const across = by === model.periods.dimension.id ? model.accounts.id : model.periods.dimension.id;
	const slice = Object.fromEntries([...all].filter(([id]) => id !== by && id !== across));
	const lines = { rows: rows.map((id) => ({ [by]: id })), columns: [{ [across]: all.get(across)! }] };
	const view = new View(compileQuery(model, { slice, ...lines, currency, ratesLike }));
	view.fill(reader);
	return view.evaluate();
}
