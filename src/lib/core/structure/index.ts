/**
 * Structure that people change: a dimension's members with their places and facts as one plain state, edits and pasted
 * rows that lead to the next state, and the difference between two states, which is what gets stored, journalled and
 * taken back.
 *
 * Everything here is a function from a state to a state or to a list of faults; nothing is half applied. References to
 * other objects (an account that weighs, a period, a person) are kept as codes, so that a state reads the same in a file.
 * Cost: O(members) an act.
 */
export { applyEdits, type Edit, type EditFault } from './edit';
export { diffStates, revertDiff, type MemberDiff } from './diff';
export { fieldsOf, printField, type AttributeSpec, type FieldSpec, type FieldValue, type Lookups } from './fields';
export { mergeMembers, type MergeFault, type OtherMember, type Taken } from './merge';
export { planRows, nearest, type PlanColumn, type PlanLine, type RowPlan } from './plan';
export { inTreeOrder, type DimensionState, type MemberState, type Place } from './state';
