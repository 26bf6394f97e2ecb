/** What a run would write: of a runbook as it is stored, or as it is on a page. */
import { z } from 'zod';
import { membersNamed, namesAsked, originModeOf, type Answers, type OriginDefinition } from '../../core';
import { readAccessRules } from '../access';
import { pool } from '../database';
import { readOwnResults, type BranchVersion } from '../database/branch-series';
import { modelVersions } from '../database/structure-version';
import { askRunner, type RunPlan } from '../engine';
import { personById, requirePermission, type SignedIn } from '../session';
import { toStored } from './edit';
import { originsOfRun } from './origins';
import { readStored, type StoredRunbook } from './read';
import { answersSchema, runbookSchema } from './schema';

export const runSchema = z.object({
	answers: answersSchema,
	/** The steps (ids) it is about; all without. */
	only: z.array(z.number().int()).min(1).max(200).optional(),
	/** Whether what they wrote is taken away, and nothing computed. */
	clears: z.boolean().default(false)
});
/** Which steps a run is about, and what it does with them. */
export type Part = Pick<z.infer<typeof runSchema>, 'only' | 'clears'> & { goesOn?: boolean };
export const previewSchema = z.object({
	answers: answersSchema,
	draft: runbookSchema,
	/** The places of the steps it is about; null for all. */
	only: z.array(z.number().int().min(0)).max(200).nullable(),
	/** Whether what they wrote would be taken away. */
	clears: z.boolean().default(false),
	/** Whether it is tried on what the person has typed and not saved. */
	onDraft: z.boolean().default(false)
});

export type PreviewAsk = Omit<z.infer<typeof previewSchema>, 'clears' | 'onDraft'> & { clears?: boolean; onDraft?: boolean };

/**
 * What a run of a runbook as it is on the page would do: counts, totals and sample cells. Nothing is written.
 */
export async function previewRun(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	{ answers, draft, only, clears = false, onDraft = false }: PreviewAsk
): Promise<Omit<RunPlan, 'series' | 'traces'>> {
	const reader = requirePermission(person, 'rule.read');
	await readStored(pool(), modelId, id);
	const { structure } = await modelVersions(pool(), modelId);
	const steps = await stepsOfDraft(modelId, structure, draft);
	const part = { clears, ...(only && { only: only.flatMap((place) => steps[place]?.id ?? []) }) };
	const {
		series: _,
		traces: __,
		...plan
	} = await planFor(reader, modelId, { ...draft, id, steps }, answers, { preview: true, onDraft, part });
	return plan;
}

/** A draft's steps. Those that are new have no origin yet: a stand-in, as if nothing were written before. */
export const stepsOfDraft = async (
	modelId: number,
	structure: number,
	draft: z.infer<typeof runbookSchema>
): Promise<StoredRunbook['steps']> =>
	(await toStored(modelId, structure, draft)).map((step, place) => ({
		...step,
		id: step.id ?? -1 - place
	})) as unknown as StoredRunbook['steps'];
/** What a run would write, by the rights of its owner or of whoever runs it. */
export async function planFor(
	person: SignedIn,
	modelId: number,
	runbook: StoredRunbook,
	answers: Answers,
	{
		preview,
		control,
		revision,
		onDraft,
		figures,
		part,
		branch
	}: {
		preview: boolean;
		control?: SharedArrayBuffer;
		revision?: number;
		onDraft?: boolean;
		figures?: boolean;
		part?: Part;
		branch?: BranchVersion | undefined;
	}
): Promise<RunPlan> {
	const writer = runbook.runsAs === null ? person : await personById(runbook.runsAs, modelId);
	const rules = await readAccessRules(writer, modelId);
	const variables = await pool().query<{ name: string; member: number }>(
		'SELECT name, member_id AS member FROM variable WHERE model_id = $1 AND member_id IS NOT NULL',
		[modelId]
	);
	const members = new Map(variables.rows.map(({ name, member }) => [name, member]));
	const named = membersNamed(runbook.parameters, answers, members, namesAsked(runbook.steps));
	const known = { ...runbook, steps: runbook.steps.filter(({ id }) => id > 0) };
	// Looking makes no origins: what has none yet is looked at as if it stood under a number of its own. Where the figures
	// themselves are wanted it matters whether a step adds or proposes, which its origin says.
	const origins = await originsOfRun(modelId, known, named, !preview || figures === true);
	const has = new Set(origins.originOf.map(([step]) => step));
	const unknown = runbook.steps.flatMap((step, rank): { step: number; origin: OriginDefinition }[] => {
		const mode = has.has(step.id) ? undefined : originModeOf(step);
		if (!mode) return [];
		const id = 1_000_000_000 + (++standIns % 100_000_000);
		return [{ step: step.id, origin: { id, name: step.name, mode, result: { runbook: runbook.id, step: step.id, rank } } }];
	});
	const versions = await modelVersions(pool(), modelId);
	// What steps read in the branch goes before what their runs in the plan read.
	const readHere = branch ? (await readOwnResults(pool(), branch.id)).map(({ origin, reads }): [number, number[]] => [origin, reads]) : [];
	return askRunner(modelId, 'planRun', {
		revision: revision ?? versions.revision,
		structure: versions.structure,
		steps: runbook.steps,
		parameters: runbook.parameters,
		answers,
		originOf: [...origins.originOf, ...unknown.map(({ step, origin }): [number, number] => [step, origin.id])],
		unknown: unknown.map(({ origin }) => origin),
		named,
		results: origins.results,
		readBy: [...origins.readBy, ...readHere],
		kinds: origins.kinds,
		// Computing is not typing: whoever may run writes wherever grants and locks let them.
		rules: { ...rules, mayEnter: true },
		onRefused: runbook.onRefused,
		preview,
		...part,
		branch,
		...(onDraft && { draftOf: person.id }),
		...(figures && { figures }),
		...(control && { control })
	});
}

/** Numbers for origins that are looked at and never stored. */
let standIns = 0;
