/**
 * Allocations: pools of amounts shared out to receivers by weights, to the cent, taken out of the pool by a contra, with the
 * proof that in = out + kept + stranded. What a step names has been found before (`ready`); nothing here writes: what comes
 * of it is a block of amounts by cell.
 */
export { allocate, type Allocated, type AllocationWork } from './allocate';
export { divide } from './divide';
export { flowOf, type FlowLink, type FlowNode, type FlowStage } from './flow';
export { decimalsAt } from './pools';
export type { ReadyAllocation, ReadyBasis, ReadyChange, ReadyDriver, ReadyLine, ReadyReceiver } from './ready';
export { followBack, followForward, type Followed, type FollowedCell, type Given, type LineTrace, type Link } from './trace';
export type { Sharing } from './sharing';
export { allocateTogether, type TogetherStep } from './together';
export type { Stranded, TieRow } from './tie-out';
