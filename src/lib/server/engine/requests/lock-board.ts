import { LOCK_LAYERS, lockInWords, type Dimension, type Lock, type LockLayer, type LockState } from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';

export interface LockBoardAsk {
	structure: number;
	layer: LockLayer;
	/** Dimensions (ids): on the rows one or two, the second beneath the leaves of the first; on the columns one. */
	rows: readonly number[];
	columns: number;
	/** The dimensions that drive the board. */
	drivers: readonly number[];
	/** Of the columns only what is under this member (id). */
	within: number | null;
	/** Members (ids) by dimension that is on neither. */
	chosen: Readonly<Record<number, number>>;
}

export interface BoardLine {
	/** Member ids, one for each dimension of the line. */
	members: number[];
	name: string;
	depth: number;
	isParent: boolean;
}

export interface LockBoardAnswer {
	rows: BoardLine[];
	columns: BoardLine[];
	/** By row a letter a column: o, h, c for open, held, closed; a capital where it is set right there. */
	states: string[];
	/** By row and column how many locks within it, or across it, say otherwise; rows and columns without any are left out. */
	exceptions: Record<number, Record<number, number>>;
}

const LETTERS: Record<LockState, string> = { open: 'o', held: 'h', closed: 'c' };

/** One layer of locks, as a grid over the members of some dimensions. */
export async function lockBoard({ model, locks }: ModelEngine, ask: LockBoardAsk): Promise<LockBoardAnswer> {
	const axes = [...model.dimensions, model.periods.dimension];
	const axisOf = (id: number) => axes.findIndex((dimension) => dimension.id === id);
	const [first, second] = ask.rows.map(axisOf);
	const across = axisOf(ask.columns);
	if (first === undefined || [first, second ?? first, across].some((axis) => axis < 0))
		throw new EngineFault('A dimension of the board is not in this model any more. Choose its dimensions anew.');
	const places: (number | undefined)[] = axes.map(({ id }) => {
		const member = ask.chosen[id];
		return member === undefined ? undefined : axes[axisOf(id)]!.ordinal(member);
	});
	const rows = rowsOf(axes, first, second);
	const from = ask.within === null ? undefined : axes[across]!.ordinal(ask.within);
	const columns = linesOf(axes[across]!, from);
	const exceptions: LockBoardAnswer['exceptions'] = {};
	// What is set for dimensions that are not on the board lies across every cell of it, and says nothing of any.
	const known = new Set([...ask.rows, ask.columns, ...ask.drivers]);
	const beside = locks.which(({ slice }) => Object.keys(slice).some((id) => !known.has(Number(id))));
	const ordinals = columns.map(({ ordinal }) => ordinal);
	const states = rows.map(({ places: at }, row) => {
		for (const [axis, ordinal] of at) places[axis] = ordinal;
		if (second !== undefined && at.length === 1) places[second] = undefined;
		let letters = '';
		locks.along(ask.layer, places, across, ordinals, beside).forEach(({ state, isOwn, exceptions: differing }, column) => {
			letters += isOwn ? LETTERS[state].toUpperCase() : LETTERS[state];
			if (differing > 0) (exceptions[row] ??= {})[column] = differing;
		});
		return letters;
	});
	return { rows: rows.map(({ line }) => line), columns: columns.map(({ line }) => line), states, exceptions };
}

/** The members of a dimension in the order of its main tree, or those under one, as lines. */
function linesOf(dimension: Dimension, from?: number): { ordinal: number; line: BoardLine }[] {
	const { tree } = dimension;
	const top = from === undefined ? 0 : tree.depth[from]!;
	const shown = from === undefined ? [...tree.order] : tree.under(from);
	return shown.flatMap((ordinal) => {
		const { id, name, retired } = dimension.member(ordinal);
		return retired
			? []
			: [{ ordinal, line: { members: [id], name, depth: tree.depth[ordinal]! - top, isParent: !dimension.isLeaf(ordinal) } }];
	});
}

function rowsOf(
	axes: readonly Dimension[],
	first: number,
	second: number | undefined
): { places: [axis: number, ordinal: number][]; line: BoardLine }[] {
	const own = linesOf(axes[first]!);
	if (second === undefined) return own.map(({ ordinal, line }) => ({ places: [[first, ordinal]], line }));
	const roots = axes[second]!.tree.roots();
	// A single top member is what the row above stands for.
	const beneath = linesOf(axes[second]!).filter(({ ordinal }) => roots.length > 1 || ordinal !== roots[0]);
	return own.flatMap(({ ordinal, line }) => [
		{ places: [[first, ordinal] as [number, number]], line: { ...line, isParent: true } },
		...(line.isParent
			? []
			: beneath.map((inner) => ({
					places: [
						[first, ordinal],
						[second, inner.ordinal]
					] as [number, number][],
					line: {
						members: [...line.members, ...inner.line.members],
						name: inner.line.name,
						depth: line.depth + inner.line.depth + (roots.length > 1 ? 1 : 0),
						isParent: inner.line.isParent
					}
				})))
	]);
}

export interface LockCellAsk {
	structure: number;
	/** Members (ids) of the slice, one a dimension at most. */
	members: readonly number[];
}

export interface LockCellAnswer {
	/** What each layer says, and the lock that says so. */
	layers: { layer: LockLayer; state: LockState; isOwn: boolean; lock: LockInShort | null; exceptions: LockInShort[] }[];
}
export type LockInShort = Pick<Lock, 'id' | 'name' | 'state'> & { words: string };

const MOST_EXCEPTIONS = 40;

/** What every layer says of a slice, and what within it says otherwise. */
export async function lockCell({ model, locks }: ModelEngine, { members }: LockCellAsk): Promise<LockCellAnswer> {
	const axes = [...model.dimensions, model.periods.dimension];
	const places = axes.map((dimension) => members.map((member) => dimension.ordinal(member)).find((ordinal) => ordinal !== undefined));
	const inShort = (lock: Lock): LockInShort => ({ id: lock.id, name: lock.name, state: lock.state, words: lockInWords(lock) });
	return {
		layers: LOCK_LAYERS.map((layer) => {
			const { state, isOwn, lock, exceptions } = locks.ofSlice(layer, places);
			return { layer, state, isOwn, lock: lock ? inShort(lock) : null, exceptions: exceptions.slice(0, MOST_EXCEPTIONS).map(inShort) };
		})
	};
}
