/**
 * Data in: saved imports and their maps, files that are kept, what they would become and what they became. Every function
 * checks the permission itself. Files are read and mapped in a thread of their own (`work/`).
 */
export * from './read';
export { checkImport, checkSchema, createMember, detectKept, newMemberSchema, trialSchema, tryValue } from './check';
export { createImport, newImportSchema } from './create';
export { actSchema, editImport, importHistory, removeImport, type ImportAct, type LineToAdd, type RuleToSet } from './edit';
export { startFetch, tend } from './fetch';
export { MOST_BYTES, type KeptFile } from './file/keep';
export type { Detected } from './file/detect';
export { cellSchema, compareBatches, fileOfBatch, rowOfBatch, rowsOfCell } from './look-up';
export { exportMap, importMap } from './map-sheet';
export { nextMoments, readSchedule, scheduleSchema, setSchedule, takeDue, type Schedule } from './schedule';
export { connectionSchema, listConnections, setConnection, type Connection } from './sources/query';
export {
	carryOutLoad,
	correctionsSchema,
	keepFile,
	keepStream,
	loadFile,
	reloadRejects,
	startLoad,
	truthOfLoad,
	waitForLoad,
	type Correction,
	type LoadChoices,
	type StartedLoad
} from './start';
export { previewTakeBack, startTakeBack } from './take-back';
export type { CheckOutcome, SampleRow, UnmappedValue } from './work/check';
export { stopDataThread } from './work/host';
export type { LoadOutcome } from './work/load';
export type { BatchDifference, RowOfFile, RowsOfCell } from './work/look-up';
export type { TakeBackPreview } from './work/take-back';
