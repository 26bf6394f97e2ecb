import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
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

const shown = z.object({ choices: choicesSchema, window: windowSchema.optional() });
const at = z.object({ choices: choicesSchema, row: z.number().int().min(0), column: z.number().int().min(0) });

/** What can be asked of a form: by verb, how its body is understood and who answers. */
const verb = <Schema extends z.ZodType>(
	schema: Schema,
	work: (locals: App.Locals, code: string, body: z.infer<Schema>) => Promise<unknown>
) => ({ run: async (request: Request, locals: App.Locals, code: string) => work(locals, code, await readBody(request, schema)) });

const VERBS = {
	open: verb(shown, ({ person, modelId }, code, { choices, window }) => openForm(person, modelId, code, choices, window)),
	enter: verb(shown.extend({ entries: entriesSchema }), ({ person, modelId }, code, { choices, entries, window }) =>
		enterFigures(person, modelId, code, choices, entries, window)
	),
	undo: verb(shown, ({ person, modelId }, code, { choices, window }) => undoEntry(person, modelId, code, choices, window)),
	redo: verb(shown, ({ person, modelId }, code, { choices, window }) => redoEntry(person, modelId, code, choices, window)),
	save: verb(z.object({ decisions: decisionsSchema, all: z.boolean().optional() }), ({ person, modelId }, code, { decisions, all }) =>
		saveDraft(person, modelId, code, decisions, all)
	),
	runs: verb(z.object({ choices: choicesSchema }), async ({ person, modelId }, code) => ({
		runs: await runsOfForm(person, modelId, code)
	})),
	'try-runbook': verb(z.object({ choices: choicesSchema, asked: runFromFormSchema }), ({ person, modelId }, code, { choices, asked }) =>
		tryFromForm(person, modelId, code, choices, asked)
	),
	'end-trial': verb(z.object({ choices: choicesSchema }), async ({ person, modelId }) => {
		await endTrialOf(person, modelId);
		return { ended: true };
	}),
	'run-runbook': verb(z.object({ choices: choicesSchema, asked: runFromFormSchema }), ({ person, modelId }, code, { choices, asked }) =>
		runFromForm(person, modelId, code, choices, asked)
	),
	'seek-goal': verb(z.object({ choices: choicesSchema, asked: seekGoalSchema }), ({ person, modelId }, code, { choices, asked }) =>
		seekFormGoal(person, modelId, code, choices, asked)
	),
	'try-values': verb(z.object({ choices: choicesSchema, asked: tryValuesSchema }), ({ person, modelId }, code, { choices, asked }) =>
		tryFormValues(person, modelId, code, choices, asked)
	),
	'take-back': verb(z.object({ takeBack: takeBackSchema }), ({ person, modelId }, _, { takeBack }) =>
		takeBackSave(person, modelId, takeBack)
	),
	discard: verb(z.object({}), ({ person, modelId }, code) => discardDraft(person, modelId, code)),
	'bring-back': verb(z.object({}), ({ person, modelId }, code) => bringBackDraft(person, modelId, code)),
	inspect: verb(at, ({ person, modelId }, code, { choices, row, column }) => inspectFigure(person, modelId, code, choices, row, column)),
	marks: verb(shown.extend({ results: z.boolean().default(false) }), ({ person, modelId }, code, { choices, results }) =>
		markedCells(person, modelId, code, choices, results)
	),
	beside: verb(z.object({ place: placeSchema }), ({ person, modelId }, _, { place }) => readBeside(person, modelId, place)),
	note: verb(noteSchema, ({ person, modelId }, code, note) => writeNote(person, modelId, code, note)),
	'note-act': verb(noteActSchema, ({ person, modelId }, _, act) => actOnNote(person, modelId, act)),
	lines: verb(z.object({ choices: choicesSchema, lines: linesSchema }), ({ person, modelId }, code, { choices, lines }) =>
		saveDetailLines(person, modelId, code, choices, lines)
	),
	link: verb(linkSchema, ({ person, modelId }, _, link) => addLink(person, modelId, link)),
	'link-remove': verb(linkRemoveSchema, ({ person, modelId }, _, link) => removeLink(person, modelId, link)),
	'bring-notes': verb(shown, ({ person, modelId }, code, { choices }) => bringNotes(person, modelId, code, choices)),
	presence: verb(presenceSchema, ({ person, modelId }, code, where) => tellPresence(person, modelId, code, where)),
	'own-line': verb(shown.extend({ line: ownLineSchema }), ({ person, modelId }, code, { choices, line }) =>
		addOwnLine(person, modelId, code, choices, line)
	),
	method: verb(shown.extend({ asked: rowMethodSchema }), ({ person, modelId }, code, { choices, asked }) =>
		previewMethod(person, modelId, code, choices, asked)
	),
	fill: verb(shown.extend({ asked: rowMethodSchema }), ({ person, modelId }, code, { choices, asked, window }) =>
		fillByMethod(person, modelId, code, choices, asked, window)
	),
	'moved-methods': verb(shown, ({ person, modelId }, code, { choices }) => movedMethods(person, modelId, code, choices)),
	'last-method': verb(shown.extend({ asked: lastMethodSchema }), async ({ person, modelId }, code, { choices, asked }) => ({
		last: await lastMethod(person, modelId, code, choices, asked)
	})),
	design: verb(designSchema, ({ person, modelId }, code, design) => saveDesign(person, modelId, code, design)),
	copy: verb(z.object({}), ({ person, modelId }, code) => copyForm(person, modelId, code)),
	delete: verb(z.object({}), ({ person, modelId }, code) => deleteForm(person, modelId, code)),
	versions: verb(z.object({ against: z.number().int().optional() }), async ({ person, modelId }, code, { against }) => ({
		versions: await formVersions(person, modelId, code, against)
	})),
	restore: verb(z.object({ version: z.number().int() }), ({ person, modelId }, code, { version }) =>
		restoreVersion(person, modelId, code, version)
	),
	uses: verb(z.object({}), ({ person, modelId }, code) => usesOfForm(person, modelId, code))
};

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		if (!Object.hasOwn(VERBS, params.verb)) throw notFound('action');
		return VERBS[params.verb as keyof typeof VERBS].run(request, locals, params.code);
	});
