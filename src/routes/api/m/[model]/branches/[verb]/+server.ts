import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import {
	askSchema,
	asksInBranch,
	branchOnly,
	checkBranchRuns,
	putBackRun,
	runAgain,
	runInBranch,
	runInSchema,
	runOnly,
	branchSchema,
	bringBackBranch,
	changeBranch,
	changeBranchSchema,
	changesSchema,
	commentSchema,
	compare,
	compareSchema,
	contributionsSchema,
	copyBranch,
	copyBranchSchema,
	deleteSnapshot,
	dropBranch,
	makeBranch,
	mergeBranch,
	mergeSchema,
	putBackChanges,
	putBackSchema,
	readChanges,
	readContributions,
	setBranchState,
	snapshotOnly,
	snapshotSchema,
	stateSchema,
	takeBackMerge,
	takeSnapshot,
	writeComment
} from '$lib/server/branch';
import { notFound } from '$lib/server/fault';

/** What can be asked: by verb, how its body is understood and who answers. */
const verb = <Schema extends z.ZodType>(
	schema: Schema,
	work: (person: App.Locals['person'], modelId: number, body: z.infer<Schema>) => Promise<unknown>
) => ({ run: async (request: Request, { person, modelId }: App.Locals) => work(person, modelId, await readBody(request, schema)) });

const VERBS = {
	make: verb(branchSchema, makeBranch),
	change: verb(changeBranchSchema, changeBranch),
	state: verb(stateSchema, setBranchState),
	drop: verb(branchOnly, dropBranch),
	'bring-back': verb(branchOnly, bringBackBranch),
	copy: verb(copyBranchSchema, copyBranch),
	changes: verb(changesSchema, readChanges),
	'put-back': verb(putBackSchema, putBackChanges),
	merge: verb(mergeSchema, mergeBranch),
	'take-back': verb(branchOnly, takeBackMerge),
	comment: verb(commentSchema, writeComment),
	compare: verb(compareSchema, compare),
	contributions: verb(contributionsSchema, readContributions),
	asks: verb(askSchema, asksInBranch),
	run: verb(runInSchema, runInBranch),
	'run-again': verb(runOnly, runAgain),
	'put-back-run': verb(runOnly, putBackRun),
	'take-snapshot': verb(snapshotSchema, takeSnapshot),
	'delete-snapshot': verb(snapshotOnly, deleteSnapshot),
	freshness: verb(branchOnly, checkBranchRuns)
};

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		if (!Object.hasOwn(VERBS, params.verb)) throw notFound('action');
		return VERBS[params.verb as keyof typeof VERBS].run(request, locals);
	});
