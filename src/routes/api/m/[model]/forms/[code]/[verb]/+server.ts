import { z } from 'zod';
import {
	actOnNote,
	addLink,
	addOwnLine,
	bringBackDraft,
	bringNotes,
	copyForm,
	deleteForm,
	discardDraft,
	enterFigures,
	fillByMethod,
	formVersions,
	inspectFigure,
	lastMethod,
	markedCells,
	movedMethods,
	openForm,
	previewMethod,
	readBeside,
	redoEntry,
	removeLink,
	restoreVersion,
	saveDesign,
	saveDetailLines,
	endTrialOf,
	runFromForm,
	runsOfForm,
	seekFormGoal,
	tryFormValues,
	tryFromForm,
	saveDraft,
	takeBackSave,
	tellPresence,
	undoEntry,
	usesOfForm,
	writeNote
} from '$lib/server/form';
import { placeSchema } from '$lib/server/form/beside';
import { linesSchema } from '$lib/server/form/detail-lines';
import { linkRemoveSchema, linkSchema } from '$lib/server/form/links';
import { noteActSchema, noteSchema } from '$lib/server/form/notes';
import { designSchema } from '$lib/server/form/design';
import { entriesSchema } from '$lib/server/form/enter';
import { lastMethodSchema, rowMethodSchema } from '$lib/server/form/methods';
import { choicesSchema, windowSchema } from '$lib/server/form/open';
import { ownLineSchema } from '$lib/server/form/own-line';
import { presenceSchema } from '$lib/server/form/presence';
import { decisionsSchema } from '$lib/server/form/save';
import { runFromFormSchema } from '$lib/server/form/runs';
import { takeBackSchema } from '$lib/server/form/take-back-save';
import { seekGoalSchema, tryValuesSchema } from '$lib/server/form/tryout';
import { answerVerbs, verb } from '$lib/server/verbs';

const shown = z.object({ choices: choicesSchema, window: windowSchema.optional() });
const at = z.object({ choices: choicesSchema, row: z.number().int().min(0), column: z.number().int().min(0) });

/** What can be asked of a form: by verb, how its body is understood and who answers. */
const ofForm = <Schema extends z.ZodType>(
	schema: Schema,
	work: (locals: App.Locals, code: string, body: z.infer<Schema>) => Promise<unknown>
) => verb(schema, (_person, _modelId, body, { locals, params }) => work(locals, params.code ?? '', body));

const VERBS = {
	open: ofForm(shown, ({ person, modelId }, code, { choices, window }) => openForm(person, modelId, code, choices, window)),
	enter: ofForm(shown.extend({ entries: entriesSchema }), ({ person, modelId }, code, { choices, entries, window }) =>
		enterFigures(person, modelId, code, choices, entries, window)
	),
	undo: ofForm(shown, ({ person, modelId }, code, { choices, window }) => undoEntry(person, modelId, code, choices, window)),
	redo: ofForm(shown, ({ person, modelId }, code, { choices, window }) => redoEntry(person, modelId, code, choices, window)),
	save: ofForm(z.object({ decisions: decisionsSchema, all: z.boolean().optional() }), ({ person, modelId }, code, { decisions, all }) =>
		saveDraft(person, modelId, code, decisions, all)
	),
	runs: ofForm(z.object({ choices: choicesSchema }), async ({ person, modelId }, code) => ({
		runs: await runsOfForm(person, modelId, code)
	})),
	'try-runbook': ofForm(z.object({ choices: choicesSchema, asked: runFromFormSchema }), ({ person, modelId }, code, { choices, asked }) =>
		tryFromForm(person, modelId, code, choices, asked)
	),
	'end-trial': ofForm(z.object({ choices: choicesSchema }), async ({ person, modelId }) => {
		await endTrialOf(person, modelId);
		return { ended: true };
	}),
	'run-runbook': ofForm(z.object({ choices: choicesSchema, asked: runFromFormSchema }), ({ person, modelId }, code, { choices, asked }) =>
		runFromForm(person, modelId, code, choices, asked)
	),
	'seek-goal': ofForm(z.object({ choices: choicesSchema, asked: seekGoalSchema }), ({ person, modelId }, code, { choices, asked }) =>
		seekFormGoal(person, modelId, code, choices, asked)
	),
	'try-values': ofForm(z.object({ choices: choicesSchema, asked: tryValuesSchema }), ({ person, modelId }, code, { choices, asked }) =>
		tryFormValues(person, modelId, code, choices, asked)
	),
	'take-back': ofForm(z.object({ takeBack: takeBackSchema }), ({ person, modelId }, _, { takeBack }) =>
		takeBackSave(person, modelId, takeBack)
	),
	discard: ofForm(z.object({}), ({ person, modelId }, code) => discardDraft(person, modelId, code)),
	'bring-back': ofForm(z.object({}), ({ person, modelId }, code) => bringBackDraft(person, modelId, code)),
	inspect: ofForm(at, ({ person, modelId }, code, { choices, row, column }) => inspectFigure(person, modelId, code, choices, row, column)),
	marks: ofForm(shown.extend({ results: z.boolean().default(false) }), ({ person, modelId }, code, { choices, results }) =>
		markedCells(person, modelId, code, choices, results)
	),
	beside: ofForm(z.object({ place: placeSchema }), ({ person, modelId }, _, { place }) => readBeside(person, modelId, place)),
	note: ofForm(noteSchema, ({ person, modelId }, code, note) => writeNote(person, modelId, code, note)),
	'note-act': ofForm(noteActSchema, ({ person, modelId }, _, act) => actOnNote(person, modelId, act)),
	lines: ofForm(z.object({ choices: choicesSchema, lines: linesSchema }), ({ person, modelId }, code, { choices, lines }) =>
		saveDetailLines(person, modelId, code, choices, lines)
	),
	link: ofForm(linkSchema, ({ person, modelId }, _, link) => addLink(person, modelId, link)),
	'link-remove': ofForm(linkRemoveSchema, ({ person, modelId }, _, link) => removeLink(person, modelId, link)),
	'bring-notes': ofForm(shown, ({ person, modelId }, code, { choices }) => bringNotes(person, modelId, code, choices)),
	presence: ofForm(presenceSchema, ({ person, modelId }, code, where) => tellPresence(person, modelId, code, where)),
	'own-line': ofForm(shown.extend({ line: ownLineSchema }), ({ person, modelId }, code, { choices, line }) =>
		addOwnLine(person, modelId, code, choices, line)
	),
	method: ofForm(shown.extend({ asked: rowMethodSchema }), ({ person, modelId }, code, { choices, asked }) =>
		previewMethod(person, modelId, code, choices, asked)
	),
	fill: ofForm(shown.extend({ asked: rowMethodSchema }), ({ person, modelId }, code, { choices, asked, window }) =>
		fillByMethod(person, modelId, code, choices, asked, window)
	),
	'moved-methods': ofForm(shown, ({ person, modelId }, code, { choices }) => movedMethods(person, modelId, code, choices)),
	'last-method': ofForm(shown.extend({ asked: lastMethodSchema }), async ({ person, modelId }, code, { choices, asked }) => ({
		last: await lastMethod(person, modelId, code, choices, asked)
	})),
	design: ofForm(designSchema, ({ person, modelId }, code, design) => saveDesign(person, modelId, code, design)),
	copy: ofForm(z.object({}), ({ person, modelId }, code) => copyForm(person, modelId, code)),
	delete: ofForm(z.object({}), ({ person, modelId }, code) => deleteForm(person, modelId, code)),
	versions: ofForm(z.object({ against: z.number().int().optional() }), async ({ person, modelId }, code, { against }) => ({
		versions: await formVersions(person, modelId, code, against)
	})),
	restore: ofForm(z.object({ version: z.number().int() }), ({ person, modelId }, code, { version }) =>
		restoreVersion(person, modelId, code, version)
	),
	uses: ofForm(z.object({}), ({ person, modelId }, code) => usesOfForm(person, modelId, code))
};

export const POST = answerVerbs(VERBS);
