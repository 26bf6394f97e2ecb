import {
	eachMovedFigure,
	mergedSlices,
	orNull,
	restate,
	Model,
	type FrozenBlock,
	type ModelDefinition,
	type MovedFigure
} from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';

export interface ClosedMovedAsk {
	revision: number;
	structure: number;
	/** The model as it would be. */
	definition: ModelDefinition;
}

/** A closed figure that would be another one. */
export interface ClosedLine {
	lock: string;
	/** Where it is beside its account, scenario and period, in words. */
	where: string;
	account: string;
	scenario: string;
	period: string;
	before: number | null;
	after: number | null;
}

export interface ClosedMovedAnswer {
	lines: ClosedLine[];
	/** How many figures would move; more are told than shown. */
	count: number;
	/** Where results are frozen: what they would be restated to. */
	frozen: FrozenBlock[] | null;
}

/** Figures told. */
const MOST_LINES = 12;

/**
 * The figures of closed slices that a changed definition would move: every account, by the periods that are closed, and
 * where a tree changes every group of it. Where there are more than can be compared, that is told as one more.
 */
export async function closedMoved(engine: ModelEngine, ask: ClosedMovedAsk): Promise<ClosedMovedAnswer> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const closed = engine.locks.locks.filter(({ state }) => state === 'closed');
	if (closed.length === 0 || ask.definition.dimensions.length !== model.definition.dimensions.length)
		return { lines: [], count: 0, frozen: null };
	// What the change does is told by both as they would be computed: what has moved since results were frozen is not its doing.
	const other = modelLike(model, ask.definition);
	const before = model.frozen ? modelLike(model, model.definition) : model;
	let lines: (ClosedLine & { size: number })[] = [];
	let count = 0;
	const keepLargest = () => (lines = lines.sort((one, two) => two.size - one.size).slice(0, MOST_LINES));
	for (const { slice, from } of mergedSlices(closed.map((lock) => lock.slice))) {
		const lock = closed[from[0]!]!.name;
		const { isCut } = eachMovedFigure(engine.cube, before, other, slice, (figure) => {
			count++;
			lines.push(inWords(before, lock, figure));
			if (lines.length > 50 * MOST_LINES) keepLargest();
		});
		if (!isCut) continue;
		count++;
		lines.push({ lock, where: '', account: 'more than can be compared', scenario: '', period: '', before: null, after: null, size: 0 });
	}
	return {
		lines: keepLargest().map(({ size: _, ...line }) => line),
		count,
		frozen: count > 0 && model.frozen ? restate(engine.cube, model.frozen, before, other).blocks() : null
	};
}

function inWords(
	model: Model,
	lock: string,
	{ account, scenario, period, place, before, after }: MovedFigure
): ClosedLine & { size: number } {
	const nameOf = (dimension: Model['dimensions'][number], id: number) => dimension.member(dimension.ordinal(id)!).name;
	const where = model.dimensions.flatMap((dimension) => {
		const member = place[dimension.id];
		const ordinal = member === undefined ? undefined : dimension.ordinal(member);
		// What stands above all of a dimension says nothing of where it is.
		const isAll = ordinal !== undefined && dimension.tree.roots().length === 1 && dimension.tree.roots()[0] === ordinal;
		return ordinal === undefined || isAll || ordinal === dimension.unassigned ? [] : [dimension.member(ordinal).name];
	});
	const number = (value: number) => orNull(value) ?? 0;
	return {
		lock,
		where: where.join(', '),
		account: nameOf(model.accounts, account),
		scenario: nameOf(model.scenarios, scenario),
		period: nameOf(model.periods.dimension, period),
		before: orNull(before),
		after: orNull(after),
		size: Math.abs(number(after) - number(before))
	};
}

/** The changed model with the members in the order the cube knows them; those that would go stay, outside every tree. */
function modelLike(model: Model, definition: ModelDefinition): Model {
	try {
		return new Model({
			...definition,
			dimensions: definition.dimensions.map((dimension) => {
				const before = model.definition.dimensions.find(({ id }) => id === dimension.id);
				if (!before) return dimension;
				const now = new Map(dimension.members.map((member) => [member.id, member]));
				const known = new Set(before.members.map(({ id }) => id));
				return {
					...dimension,
					members: [
						...before.members.map((member) => now.get(member.id) ?? member),
						...dimension.members.filter(({ id }) => !known.has(id))
					]
				};
			})
		});
	} catch (error) {
		throw new EngineFault((error as Error).message);
	}
}
