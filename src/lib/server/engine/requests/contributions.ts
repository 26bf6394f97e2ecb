import { compileQuery, isEmpty, orNull, Reader, View, type Model, type ReadGuard } from '../../../core';
import type { BranchVersion } from '../../database/branch-series';
import { EngineFault, requireCell } from '../fault';
import { FormFault } from '../form-fault';
import { FormView } from '../form-view';
import type { ModelEngine } from '../model-engine';
import type { FormAsk } from './form';

export interface ContributionsAsk extends FormAsk {
	row: number;
	column: number;
	/** What is held against what: branches, or the plan where none is named. */
	from?: BranchVersion | undefined;
	to?: BranchVersion | undefined;
	/** Members (ids) further down, by dimension (id): where one has looked closer. */
	at: Record<number, number>;
	/** By which dimension (id) the difference is taken apart; by the one that tells most where none is named. */
	dimension: number | null;
}

/** What a member adds to a difference. */
export interface Contribution {
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
	lines: Contribution[];
	/** How many more there are, and what they come to together. */
	more: { count: number; part: number };
	/** What the parts do not come to: of a share or a ratio they add up to nothing. */
	addsUp: boolean;
}

const MOST_LINES = 20;

/** The cell that is taken apart: an ordinal for each dimension, and the period. */
interface Figure {
	members: Int32Array;
	period: number;
}

/** What makes a figure of a form another one in a branch: by member, the largest differences first. */
export async function contributions(engine: ModelEngine, ask: ContributionsAsk): Promise<Contributions> {
	await engine.reach(ask.revision);
	const { model, cube } = engine;
	const visible = engine.visibleOf(ask.rules);
	const form = openLines(model, ask, visible);
	requireCell(form, ask.row, ask.column);
	if (!form.isRead(ask.row, ask.column)) throw new EngineFault('This line is computed by the form. Look at one it is computed from.');
	const figure: Figure = { ...form.cell(ask.row, ask.column) };
	figure.members = Int32Array.from(figure.members);
	for (const [dimension, member] of Object.entries(ask.at)) lookCloser(model, figure, Number(dimension), member);
	const readers = await Promise.all(
		[ask.from, ask.to].map(async (branch) => new Reader(cube, branch ? [await engine.branchOf(branch)] : [], visible))
	);
	const currency = form.currencyOf(ask.row, ask.column);
	const [before, after] = readers.map((reader) => valuesOf(model, reader, figure, currency)[0]!);
	const candidates = [...model.dimensions, model.periods.dimension].filter(({ id }) => childrenIn(model, figure, id).length > 0);
	const apart = (dimension: number): Omit<Contribution, 'isParent'>[] => {
		const children = childrenIn(model, figure, dimension);
		const [was, is] = readers.map((reader) => valuesOf(model, reader, figure, currency, { dimension, children }));
		const of = model.dimension(dimension)!;
		// In an alternate group its own weights count.
		const { weight } = of.treeOf(memberIn(model, figure, dimension));
		return children.flatMap((ordinal, at) => {
			const [one, other] = [was![at]!, is![at]!];
			const difference = (isEmpty(other) ? 0 : other) - (isEmpty(one) ? 0 : one);
			if (Math.abs(difference) <= 1e-9 * Math.max(Math.abs(one) || 0, Math.abs(other) || 0)) return [];
			const { id, name } = of.member(ordinal);
			return [{ member: id, name, before: orNull(one), after: orNull(other), part: difference * weight[ordinal]! }];
		});
	};
	const all = new Map(
		candidates.filter(({ id }) => ask.dimension === null || id === ask.dimension).map(({ id }) => [id, apart(id)] as const)
	);
	const told = [...all].sort(([, one], [, other]) => tells(other) - tells(one))[0];
	const lines = [...(told?.[1] ?? [])].sort((one, other) => Math.abs(other.part) - Math.abs(one.part));
	const whole = (isEmpty(after!) ? 0 : after!) - (isEmpty(before!) ? 0 : before!);
	const sum = lines.reduce((total, { part }) => total + part, 0);
	const rest = lines.slice(MOST_LINES);
	return {
		before: orNull(before!),
		after: orNull(after!),
		dimensions: candidates.map(({ id, name }) => ({ id, name })),
		dimension: told?.[0] ?? null,
		lines: lines.slice(0, MOST_LINES).map((line) => ({
			...line,
			isParent: !model.dimension(told![0])!.isLeaf(model.dimension(told![0])!.ordinal(line.member)!)
		})),
		more: { count: rest.length, part: rest.reduce((total, { part }) => total + part, 0) },
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

/** A form’s lines, its figures left alone. */
function openLines(model: Model, ask: ContributionsAsk, visible: ReadGuard | undefined): FormView {
	try {
		return new FormView(model, ask, visible);
	} catch (error) {
		if (error instanceof FormFault) throw new EngineFault(`This form cannot be shown. ${error.message}`);
		throw error;
	}
}

/** @throws EngineFault where the member is none beneath the figure */
function lookCloser(model: Model, figure: Figure, id: number, member: number): void {
	const dimension = model.dimension(id);
	const ordinal = dimension?.ordinal(member);
	const isPeriod = dimension === model.periods.dimension;
	const axis = dimension ? model.dimensions.indexOf(dimension) : -1;
	const above = isPeriod ? figure.period : figure.members[axis];
	if (!dimension || ordinal === undefined || above === undefined || !dimension.treeOf(above).isUnder(ordinal, above))
		throw new EngineFault('This member does not lie beneath the figure any more. Begin again.');
	if (isPeriod) figure.period = ordinal;
	else figure.members[axis] = ordinal;
}

/** The member (ordinal) a figure stands at in a dimension. */
function memberIn(model: Model, { members, period }: Figure, id: number): number {
	const dimension = model.dimension(id)!;
	return dimension === model.periods.dimension ? period : members[model.dimensions.indexOf(dimension)]!;
}

function childrenIn(model: Model, figure: Figure, id: number): readonly number[] {
	const own = memberIn(model, figure, id);
	return model.dimension(id)!.treeOf(own).children(own);
}

/** A figure as a reader sees it, or those of members of one dimension in its place. */
function valuesOf(
	model: Model,
	reader: Reader,
	{ members, period }: Figure,
	currency: string,
	apart?: { dimension: number; children: readonly number[] }
): Float64Array {
	const all = new Map([[model.periods.dimension.id, model.periods.dimension.member(period).id]]);
	model.dimensions.forEach((dimension, axis) => all.set(dimension.id, dimension.member(members[axis]!).id));
	const by = apart?.dimension ?? model.accounts.id;
	const rows = apart ? apart.children.map((ordinal) => model.dimension(by)!.member(ordinal).id) : [all.get(by)!];
	const across = by === model.periods.dimension.id ? model.accounts.id : model.periods.dimension.id;
	const slice = Object.fromEntries([...all].filter(([id]) => id !== by && id !== across));
	const lines = { rows: rows.map((id) => ({ [by]: id })), columns: [{ [across]: all.get(across)! }] };
	const view = new View(compileQuery(model, { slice, ...lines, currency }));
	view.fill(reader);
	return view.evaluate().values;
}
