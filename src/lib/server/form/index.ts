/**
 * What people do with forms: list, open, enter, undo, save, discard, inspect; what they leave beside figures; workbooks;
 * and how forms are made. Every function checks the permission itself.
 */
export { listForms, type FormCard } from './list';
export { choicesSchema, formAsk, readForm } from './open';
export { openForm, type FormChoices, type OpenForm } from './open';
export { enterFigures, redoEntry, undoEntry, type EntryOutcome } from './enter';
export { endTrialOf, runFromForm, runsOfForm, tryFromForm, type RunOfForm } from './runs';
export { seekFormGoal, tryFormValues } from './tryout';
export { takeBackSave, type TakenBack } from './take-back-save';
export { bringBackDraft, discardDraft, saveDraft, type SaveOutcome } from './save';
export { draftsWithin, saveWithin } from './save-within';
export { inspectFigure, type FigureDetails } from './inspect';
export { markedCells, readBeside, type Beside, type CellLink, type CellMark, type DetailLine, type Note, type NoteThread } from './beside';
export { actOnNote, bringNotes, writeNote } from './notes';
export { saveDetailLines } from './detail-lines';
export { addFile, addLink, readFile, removeLink } from './links';
export { tellPresence, type Present } from './presence';
export { addOwnLine } from './own-line';
export { fillByMethod, lastMethod, movedMethods, previewMethod, type MethodDesk, type MovedMethod } from './methods';
export { formGrid, formWorkbook, readWorkbook, type WorkbookChange, type WorkbookReading } from './workbook';
export {
	copyForm,
	deleteForm,
	membersUnder,
	previewForm,
	readDesign,
	saveDesign,
	selectedMembers,
	usesOfForm,
	type DesignDesk,
	type FormDesign,
	type FormUses
} from './design';
export { readExpression } from './expressions';
export { formVersions, restoreVersion, type FormVersion } from './versions';
export { handOnDraft, handOnSchema } from './hand-on';
