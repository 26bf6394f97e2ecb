import type { Model } from './model';

/**
 * The leaf period by which grants and locks judge a fact of all time: the last one its scenario speaks about, so that a
 * plan's facts are open as long as any of its months is.
 * @param address ordinals in the order of the model's dimensions
 */
export const factPeriod = (model: Model, address: ArrayLike<number>): number =>
	model.scenario(address[model.scenarioAxis]!)?.span.to ?? model.periods.leaves.length - 1;
