/** For tests and benchmarks only: small models, random models, and the slow evaluator the cube must agree with. */
export { RunbookWorld, type Book } from './runbook-world';
export { BranchWorld } from './branch-world';
export { buildModel, type MemberSketch, type ModelSketch } from './build-model';
export { naiveCell, type StoredCell } from './naive-cell';
export { randomModel, type RandomCase } from './random-model';
export { fuelledModel } from './fuelled-model';
export { fillCube } from './fill-cube';
export { sceneOf, type Scene } from './scene';
export { topView } from './top-view';
