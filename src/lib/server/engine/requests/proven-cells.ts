import { followForward, type LineTrace, type Model } from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';
import { tracesOf } from './kept-traces';
import { whereOf, type TraceNode } from './trace';

export interface ProvenCellsAsk {
	revision: number;
	structure: number;
	/** The run (id) that kept how it shared out, and the origin (id) of the step's results. */
	run: number;
	origin: number;
	/** By name: a line, a period, a scenario. */
	line: string;
	period: string;
	scenario: string;
	side: 'in' | 'out';
}

/** A cell behind a figure of a proof. */
export interface ProvenCell {
	where: string;
	/** As it counts in its pool; in its own currency, or in the step's where that is named. */
	amount: number;
	currency: string | null;
	/** To be traced; null where a member is gone. */
	figure: TraceNode | null;
}

/** Cells that are told of one figure. */
const MOST_CELLS = 200;

/** The cells behind what a line took in or gave out in a period, the largest first. */
export async function provenCells(engine: ModelEngine, ask: ProvenCellsAsk): Promise<{ cells: ProvenCell[]; count: number }> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const periods = model.periods.dimension.members.filter(({ name }) => name === ask.period).map(({ id }) => id);
	const scenarios = new Map(model.scenarios.members.filter(({ name }) => name === ask.scenario).map(({ id }): [number, number] => [id, 1]));
	if (periods.length === 0 || scenarios.size === 0)
		throw new EngineFault('The period or the scenario of this proof is not there any more.');
	const within = new Set(periods);
	const found: { members: number[]; dimensions: readonly number[]; period: number; amount: number; currency: string | null }[] = [];
	for (const trace of (await tracesOf(engine, ask.run, ask.origin)).filter(({ line }) => line === ask.line))
		for (const period of within) {
			const own =
				ask.side === 'in'
					? cellsOf(trace, period, model.scenarios.id, scenarios)
					: followForward(trace, { weights: new Map([[model.scenarios.id, scenarios]]), periods: new Set([period]) });
			for (const { members, amount } of own)
				found.push({ members, dimensions: trace.dimensions, period, amount, currency: trace.currency });
		}
	found.sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount));
	return { count: found.length, cells: found.slice(0, MOST_CELLS).map((cell) => told(model, cell)) };
}

function cellsOf(
	{ cells, dimensions }: LineTrace,
	period: number,
	scenarioDimension: number,
	scenarios: ReadonlyMap<number, number>
): { members: number[]; amount: number }[] {
	const axis = dimensions.indexOf(scenarioDimension);
	const sums = new Map<string, { members: number[]; amount: number }>();
	for (let cell = 0; cell < cells.group.length; cell++) {
		if (cells.period[cell] !== period) continue;
		const members = Array.from(cells.members.subarray(cell * dimensions.length, (cell + 1) * dimensions.length));
		if (!scenarios.has(members[axis]!)) continue;
		const known = sums.get(members.join()) ?? { members, amount: 0 };
		known.amount += cells.amount[cell]!;
		sums.set(members.join(), known);
	}
	return [...sums.values()];
}

function told(
	model: Model,
	{
		members,
		dimensions,
		period,
		amount,
		currency
	}: { members: number[]; dimensions: readonly number[]; period: number; amount: number; currency: string | null }
): ProvenCell {
	const today = model.dimensions.map(({ id }) => members[dimensions.indexOf(id)]);
	const isThere = today.every((member, axis) => member !== undefined && model.dimensions[axis]!.ordinal(member) !== undefined);
	const figure = isThere ? { members: today as number[], period } : null;
	const own =
		figure && model.entityAxis >= 0
			? model.currencyOf(model.dimensions[model.entityAxis]!.ordinal(figure.members[model.entityAxis]!)!)
			: null;
	return {
		where: figure ? whereOf(model, figure) : 'a cell of members that are not there any more',
		amount,
		currency: currency ?? own ?? model.definition.reportingCurrency,
		figure
	};
}
