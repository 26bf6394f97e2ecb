/** Runbooks: their steps, checking them, and runs as jobs. */
export { copyRunbook, createRunbook, deleteRunbook, runbookOfRun, saveRunbook, checkScriptText } from './edit';
export { checkAllRunbooks, listRunbooks, readRunbook, type RunbookDetails, type RunbookInShort } from './read';
export { latestRuns, readRun, takeBackRun, type RunDetails, type RunInShort } from './runs';
export { setRunbookSchedule, startDueRunbooks } from './schedule';
export { deletePreset, savePreset, usesOfPreset, type Preset, type PresetUse } from './presets';
export { checkFreshness } from './freshness';
export { flowOfRunbook, flowSchema } from './flow';
export { checkBeforeRun, type CheckFinding } from './check';
export { figuresOnDraft, lastAnswers, runRunbook, startRun } from './start';
export { planFor, previewRun, runSchema } from './plan';
export {
	definitionNow,
	keepTraces,
	refuseFaults,
	runInWords,
	takeSnapshots,
	takeSnapshotsBy,
	TRIES,
	truthOfRun,
	underControl,
	type RunControl,
	type RunPayload
} from './carry-out';
export type { RunbookDraft, StepDraft } from './schema';
export { cellsOfProof, provenCellsSchema, tieOutGrid, tieOutWorkbook } from './tie-out';
export { traceFigure, traceSchema } from './trace';
