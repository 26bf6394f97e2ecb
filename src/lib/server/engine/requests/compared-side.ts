import { ReadGuard, Reader, type AccessRules, type Model, type PlacedFigure, type Side } from '../../../core';
import type { BranchVersion } from '../../database/branch-series';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';
import { snapshotOf } from './snapshot';

/** What a figure is read in: the plan where nothing is named. */
export interface ComparedSide {
	branch?: BranchVersion | undefined;
	/** A snapshot (id): on the runner only, as it is opened whole. */
	snapshot?: number | undefined;
	/** Another scenario (id) of the plan. */
	scenario?: number | undefined;
	/** Whose draft is read through, in its version. */
	draft?: { person: number; version: number } | undefined;
}

/** A figure of the model as it is read in one of them. @throws EngineFault where it is not there, or not to be read */
export async function readAs(
	engine: ModelEngine,
	of: ComparedSide,
	{ figure, currency, rules }: { figure: PlacedFigure; currency: string; rules: AccessRules }
): Promise<Side> {
	const { model, cube } = engine;
	if (of.snapshot !== undefined) {
		const held = await snapshotOf(engine, of.snapshot);
		const visible = ReadGuard.ofRules(held.cube.model, rules);
		const placed = placedIn(held.cube.model, model, figure);
		if (visible && !visible.reachesCell([...placed.members])) throw new EngineFault('You may not read this figure.');
		return { reader: new Reader(held.cube, [], visible), figure: placed, currency };
	}
	const visible = engine.visibleOf(rules);
	const own: PlacedFigure = { members: Int32Array.from(figure.members), period: figure.period };
	if (of.scenario !== undefined) {
		const scenario = model.scenarios.ordinal(of.scenario);
		if (scenario === undefined) throw new EngineFault('This scenario is not there any more.');
		own.members[model.scenarioAxis] = scenario;
	}
	if (visible && !visible.reachesCell([...own.members])) throw new EngineFault('You may not read this figure.');
	const layers = of.draft
		? (await engine.draftOf(of.draft.person, of.draft.version, of.branch)).reader.layers
		: of.branch
			? [await engine.branchOf(of.branch)]
			: [];
	return { reader: new Reader(cube, layers, visible), figure: own, currency };
}

/** A figure in the model as it stood, by what its members are. @throws EngineFault where it was not there */
function placedIn(then: Model, now: Model, { members, period }: PlacedFigure): PlacedFigure {
	if (then.dimensions.length !== now.dimensions.length || then.dimensions.some(({ id }) => !now.dimension(id)))
		throw new EngineFault('The model had other dimensions when the snapshot was taken.');
	const ordinalThen = (dimension: Model['dimensions'][number], id: number): number => {
		const ordinal = dimension.ordinal(id);
		if (ordinal === undefined) throw new EngineFault(`Not all of this was in ${dimension.name} when the snapshot was taken.`);
		return ordinal;
	};
	return {
		members: Int32Array.from(then.dimensions, (dimension) => {
			const axis = now.dimensions.findIndex(({ id }) => id === dimension.id);
			return ordinalThen(dimension, now.dimensions[axis]!.member(members[axis]!).id);
		}),
		period: ordinalThen(then.periods.dimension, now.periods.dimension.member(period).id)
	};
}
