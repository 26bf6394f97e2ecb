import { CellFlag, compileQuery, QueryFault, View, type Reader } from '../cube';
import type { Model } from '../model';
import { isEmpty, orNull } from '../number';

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
 * stand at the same members but for scenarios and periods; periods of two years go with each other by their place. Where the
 * sides are read at different rates, what the rates make is told apart: the later side is read at the rates of the earlier.
 * @param dimension by which it is taken apart (id); by the one that tells most where none is named
 * @param most lines told one by one
 * @throws QueryFault where a side is of several currencies: its parts cannot be added up
 */
export function takeApart(
	model: Model,
	[from, to]: readonly [Side, Side],
	{ dimension: asked, most }: { dimension: number | null; most: number }
): Contributions {
	const [before, after] = [from, to].map((side) => {
		const { values, flags } = evaluate(model, side, {});
		// The parts would be amounts of several currencies: nothing adds them up.
		if ((flags[0]! & CellFlag.mixedCurrency) !== 0)
			throw new QueryFault('Several currencies lie beneath this figure. Choose one currency to see what makes the difference.');
		return values[0];
	});
	const rateSet = ratesOf(model, from, to);
	const [level] = rateSet === undefined ? [after!] : valuesOf(model, to, { rateSet });
	const candidates = [...model.dimensions, model.periods.dimension].filter((dimension) => {
		const [own, other] = [from, to].map(({ figure }) => childrenIn(model, figure, dimension.id));
		if (own!.length === 0 || other!.length === 0) return false;
		return memberIn(model, from.figure, dimension.id) === memberIn(model, to.figure, dimension.id) || dimension === model.periods.dimension;
	});
	const apart = (dimension: number): Omit<DifferencePart, 'isParent'>[] => {
		const of = model.dimension(dimension)!;
		const [own, other] = [from, to].map(({ figure }) => childrenIn(model, figure, dimension));
		const was = valuesOf(model, from, { by: dimension, children: own! });
		const is = valuesOf(model, to, { by: dimension, children: other! });
		const leveled = rateSet === undefined ? is : valuesOf(model, to, { by: dimension, children: other!, rateSet });
		// In an alternate group its own weights count.
		const { weight } = of.treeOf(memberIn(model, to.figure, dimension));
		return other!.flatMap((ordinal, at) => {
			const [one, two] = [at < was.length ? was[at]! : Number.NaN, leveled[at]!];
			const difference = (isEmpty(two) ? 0 : two) - (isEmpty(one) ? 0 : one);
			if (Math.abs(difference) <= 1e-9 * Math.max(Math.abs(one) || 0, Math.abs(two) || 0)) return [];
			const { id, name } = of.member(ordinal);
			return [{ member: id, name, before: orNull(one), after: orNull(is[at]!), part: difference * weight[ordinal]! }];
		});
	};
	const all = new Map(candidates.filter(({ id }) => asked === null || id === asked).map(({ id }) => [id, apart(id)] as const));
	const told = [...all].sort(([, one], [, other]) => tells(other) - tells(one))[0];
	const lines = [...(told?.[1] ?? [])].sort((one, other) => Math.abs(other.part) - Math.abs(one.part));
	const whole = (isEmpty(after!) ? 0 : after!) - (isEmpty(before!) ? 0 : before!);
	const exchange = (isEmpty(after!) ? 0 : after!) - (isEmpty(level!) ? 0 : level!);
	const sum = lines.reduce((total, { part }) => total + part, 0) + exchange;
	const rest = lines.slice(most);
	return {
		before: orNull(before!),
		after: orNull(after!),
		dimensions: candidates.map(({ id, name }) => ({ id, name })),
		dimension: told?.[0] ?? null,
		lines: lines.slice(0, most).map((line) => ({
			...line,
			isParent: !model.dimension(told![0])!.isLeaf(model.dimension(told![0])!.ordinal(line.member)!)
		})),
		more: { count: rest.length, part: rest.reduce((total, { part }) => total + part, 0) },
		exchange,
		addsUp: Math.abs(sum - whole) <= 1e-6 * Math.max(1, Math.abs(whole))
	};
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
 * currency, in different periods, at rates that change within the period or that are not all there: then rates are not told apart.
 */
function ratesOf(model: Model, from: Side, to: Side): number | undefined {
	if (from.currency === 'local' || from.figure.period !== to.figure.period) return undefined;
	const setsOf = ({ figure, reader }: Side): Set<number | undefined> => {
		const scenario = figure.members[model.scenarioAxis]!;
		const { from: first, to: last } = model.periods.range(figure.period);
		return new Set(Array.from({ length: last - first + 1 }, (_, at) => model.rateSetAt(scenario, first + at, reader.ratesInstead)));
	};
	const [own, other] = [setsOf(from), setsOf(to)];
	const [set] = own;
	if (own.size !== 1 || set === undefined || (other.size === 1 && other.has(set))) return undefined;
	// Where rates are missing there, what they leave out would pass for exchange.
	return (evaluate(model, to, { rateSet: set }).flags[0]! & CellFlag.incomplete) !== 0 ? undefined : set;
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

/** The member (ordinal) a figure stands at in a dimension. */
export function memberIn(model: Model, { members, period }: PlacedFigure, id: number): number {
	const dimension = model.dimension(id)!;
	return dimension === model.periods.dimension ? period : members[model.dimensions.indexOf(dimension)]!;
}

export function childrenIn(model: Model, figure: PlacedFigure, id: number): readonly number[] {
	const own = memberIn(model, figure, id);
	return model.dimension(id)!.treeOf(own).children(own);
}

interface Apart {
	by?: number;
	children?: readonly number[];
	/** Rates (id) it is read at instead of its own. */
	rateSet?: number;
}

/** A figure as a side reads it, or those of members of one dimension in its place. */
export const valuesOf = (model: Model, side: Side, apart: Apart = {}): Float64Array => evaluate(model, side, apart).values;

function evaluate(
	model: Model,
	{ reader, figure: { members, period }, currency }: Side,
	{ by: asked, children, rateSet }: Apart
): { values: Float64Array; flags: Uint8Array } {
	const all = new Map([[model.periods.dimension.id, model.periods.dimension.member(period).id]]);
	model.dimensions.forEach((dimension, axis) => all.set(dimension.id, dimension.member(members[axis]!).id));
	const by = asked ?? model.accounts.id;
	const rows = children ? children.map((ordinal) => model.dimension(by)!.member(ordinal).id) : [all.get(by)!];
	const across = by === model.periods.dimension.id ? model.accounts.id : model.periods.dimension.id;
	const slice = Object.fromEntries([...all].filter(([id]) => id !== by && id !== across));
	const lines = { rows: rows.map((id) => ({ [by]: id })), columns: [{ [across]: all.get(across)! }] };
	const view = new View(compileQuery(model, { slice, ...lines, currency, ...(rateSet !== undefined && { rateSet }) }));
	view.fill(reader);
	return view.evaluate();
}
