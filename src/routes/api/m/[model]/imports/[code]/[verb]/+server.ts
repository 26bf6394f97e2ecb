import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import {
	actSchema,
	checkImport,
	checkSchema,
	createMember,
	detectKept,
	editImport,
	importMap,
	newMemberSchema,
	readImport,
	removeImport,
	scheduleSchema,
	setSchedule,
	startFetch,
	startLoad,
	trialSchema,
	tryValue
} from '$lib/server/import';
import type { SignedIn } from '$lib/server/session';
import { z } from 'zod';

const loadSchema = z.object({
	file: z.int(),
	way: z.enum(['replace', 'add']).optional(),
	rejects: z.enum(['stop', 'load good rows']).optional(),
	chosen: z.record(z.string().regex(/^\d+$/), z.int()).optional(),
	again: z.boolean().optional()
});
const detectSchema = z.object({ file: z.int(), sheet: z.string().max(100).default('') });
const mapSchema = z.object({ map: z.int(), csv: z.string().max(3_500_000) });
const scheduleOrNone = z.object({ schedule: scheduleSchema.nullable() });

type Act = (person: SignedIn | undefined, modelId: number, code: string, request: Request) => Promise<unknown>;

/** What can be asked of an import, by verb. */
const acts: Record<string, Act> = {
	check: async (person, modelId, code, request) => checkImport(person, modelId, code, await readBody(request, checkSchema)),
	detect: async (person, modelId, _, request) => {
		const { file, sheet } = await readBody(request, detectSchema);
		return detectKept(person, modelId, file, sheet);
	},
	edit: async (person, modelId, code, request) => {
		await editImport(person, modelId, code, await readBody(request, actSchema));
		return readImport(person, modelId, code);
	},
	load: async (person, modelId, code, request) => startLoad(person, modelId, code, await readBody(request, loadSchema)),
	fetch: (person, modelId, code) => startFetch(person, modelId, code),
	try: async (person, modelId, code, request) => tryValue(person, modelId, code, await readBody(request, trialSchema)),
	member: async (person, modelId, code, request) => createMember(person, modelId, code, await readBody(request, newMemberSchema)),
	map: async (person, modelId, code, request) => {
		const { map, csv } = await readBody(request, mapSchema);
		return importMap(person, modelId, code, map, csv);
	},
	schedule: async (person, modelId, code, request) => ({
		schedule: await setSchedule(person, modelId, code, (await readBody(request, scheduleOrNone)).schedule)
	}),
	remove: (person, modelId, code) => removeImport(person, modelId, code)
};

export const POST = ({ request, locals, params }) =>
	answer(() => {
		const act = Object.hasOwn(acts, params.verb) ? acts[params.verb] : undefined;
		if (!act) throw notFound('action');
		return act(locals.person, locals.modelId, params.code, request);
	});
