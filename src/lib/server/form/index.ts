/** What people do with forms: list, open, enter, undo, save, discard, inspect. Every function checks the permission itself. */
export { listForms, type FormCard } from './list';
export { openForm, type FormChoices, type OpenForm } from './open';
export { enterFigures, redoEntry, undoEntry, type EntryOutcome } from './enter';
export { discardDraft, saveDraft, type SaveOutcome } from './save';
export { inspectFigure, type FigureDetails } from './inspect';
