/**
 * Runbooks: ordered steps (copy, formula, roll-forward, clear) over the cells of a model. A run reads everything, writes
 * what it may under an origin of each step, and answers with the series to be stored; the cube itself stays as it is.
 * O(cells read + written); steps see what those before them wrote.
 */
export { lockSlices } from './lock-slices';
export { snapshotPart } from './snapshot-part';
export { membersNamed, namedKey, namesAsked, readNamedKey, resolveAnswers, type MembersNamed } from './answers';
export { membersOfStep, originModeOf, recordOf, renamedStep, STEP_KINDS, stepInWords, type StepDraftLike } from './kinds';
export type { Renaming } from './kinds/kind';
export { membersOfParameter, renamedParameter } from './parameter-members';
export type { ResultOrigin } from './earlier-results';
export { runSteps, type RunOrder, type RunResult, type StepLog } from './run';
export type { AccountTotal, SampleCell } from './compare';
export { chainOf, isTied, proofsOf, sumsOf, type ChainSum, type ProofSum, type StepProof } from './proof-sums';
export { runbookDifferences, type Difference, type RunbookVersion, type StepDifference } from './differences';
export { reachOf, type Reach } from './reach';
export { PRESET_SETTINGS, renamedSettings, settingsOf, withPreset, type PresetSetting, type PresetSettings } from './preset';
export { heldAfterRun, ownAfterRun, type CellToHold } from './own-results';
export { isAddressIn, scopeOf } from './slice';
export { unitsOf } from './units';
export type { MemberMap } from './kinds/member-map';
export type { Proof, ProofRow, SharedSample, StrandedPool } from './kinds/proof';
export { checkRunbook, type Finding } from './check';
export type {
	AllocationLine,
	AllocationStep,
	Answers,
	Basis,
	CarriedInto,
	Clears,
	ClearStep,
	LockStep,
	CopyStep,
	Driver,
	OverYear,
	FormulaStep,
	NumberOrParameter,
	ParameterDefinition,
	RollForwardLine,
	RollForwardStep,
	Slice,
	Step,
	StepKind
} from './definition';
