import { compileQuery, isEmpty, restate, Model, Reader, View, type Lock, type FrozenBlock, type ModelDefinition } from '../../../core';
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

/** Closed slices looked at, and figures told. */
const MOST_LOCKS = 80;
const MOST_LINES = 12;

/** The totals of closed slices that a changed definition would move: every account, by the periods that are closed. */
export async function closedMoved(engine: ModelEngine, ask: ClosedMovedAsk): Promise<ClosedMovedAnswer> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const closed = engine.locks.locks.filter(({ state }) => state === 'closed').slice(0, MOST_LOCKS);
	if (closed.length === 0 || ask.definition.dimensions.length !== model.definition.dimensions.length)
		return { lines: [], count: 0, frozen: null };
	// What the change does is told by both as they would be computed: what has moved since results were frozen is not its doing.
	const other = modelLike(model, ask.definition);
	const before = model.frozen ? modelLike(model, model.definition) : model;
	const lines: (ClosedLine & { size: number })[] = [];
	for (const lock of closed) lines.push(...movedIn(engine, before, other, lock));
	lines.sort((one, other) => other.size - one.size);
	return {
		lines: lines.slice(0, MOST_LINES).map(({ size: _, ...line }) => line),
		count: lines.length,
		frozen: lines.length > 0 && model.frozen ? restate(engine.cube, model.frozen, before, other).blocks() : null
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

function movedIn({ cube }: ModelEngine, model: Model, other: Model, { name, slice }: Lock): (ClosedLine & { size: number })[] {
	const accounts = (slice[model.accounts.id] ?? model.accounts.members.map(({ id }) => id)).filter((id) => {
		const ordinal = model.accounts.ordinal(id);
		return ordinal !== undefined && (model.account(ordinal) !== undefined || !model.accounts.isLeaf(ordinal));
	});
	const scenarios = slice[model.scenarios.id] ?? model.scenarios.members.map(({ id }) => id);
	const years = model.periods.dimension.tree.roots().map((ordinal) => model.periods.dimension.member(ordinal).id);
	const periods = (slice[model.periods.dimension.id] ?? years).filter((id) => model.periods.dimension.ordinal(id) !== undefined);
	const rest = model.dimensions.filter((dimension) => dimension !== model.accounts && dimension !== model.scenarios);
	let places: Record<number, number>[] = [{}];
	for (const dimension of rest) {
		const named = (slice[dimension.id] ?? [dimension.member(dimension.tree.largestRoot()).id])
			.filter((id) => dimension.ordinal(id) !== undefined)
			.slice(0, 24);
		places = places.flatMap((place) => named.map((member) => ({ ...place, [dimension.id]: member }))).slice(0, 48);
	}
	const found: (ClosedLine & { size: number })[] = [];
	for (const place of places) {
		const figures = (of: Model) => {
			const view = new View(
				compileQuery(of, {
					slice: place,
					rows: accounts.map((id) => ({ [model.accounts.id]: id })),
					columns: scenarios.flatMap((scenario) =>
						periods.map((period) => ({ [model.scenarios.id]: scenario, [model.periods.dimension.id]: period }))
					),
					currency: model.definition.reportingCurrency
				})
			);
			view.fill(new Reader(cube, [], undefined, of));
			return view.evaluate().values;
		};
		const [before, after] = [figures(model), figures(other)];
		before.forEach((was, at) => {
			const is = after[at]!;
			if ((isEmpty(was) && isEmpty(is)) || Math.abs(is - was) <= 1e-9 * Math.max(Math.abs(was), Math.abs(is))) return;
			const column = at % (scenarios.length * periods.length);
			const nameOf = (
				dimension: { member: (ordinal: number) => { name: string }; ordinal: (id: number) => number | undefined },
				id: number
			) => dimension.member(dimension.ordinal(id)!).name;
			found.push({
				lock: name,
				account: nameOf(model.accounts, accounts[Math.floor(at / (scenarios.length * periods.length))]!),
				scenario: nameOf(model.scenarios, scenarios[Math.floor(column / periods.length)]!),
				period: nameOf(model.periods.dimension, periods[column % periods.length]!),
				before: isEmpty(was) ? null : was,
				after: isEmpty(is) ? null : is,
				size: Math.abs((isEmpty(is) ? 0 : is) - (isEmpty(was) ? 0 : was))
			});
		});
	}
	return found;
}
