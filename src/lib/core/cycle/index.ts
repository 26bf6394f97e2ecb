/** Rounds of planning: the states of units in their tree, and what may follow what. Every move is O(depth + children). */
export { lockOfUnit, UNIT_MOVES, UnitTree, type CycleUnit, type UnitMove, type UnitState, type UnitStep } from './moves';
