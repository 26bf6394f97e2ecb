import type { Answers, Finding, ParameterDefinition, Step } from '../../core';
import { pool, type Database } from '../database';
import { askEngine, type Vocabulary } from '../engine';
import { stepsOf } from '../definition/steps';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import type { Schedule } from '../jobs/moments';
import { presetsOf, type Preset } from './presets';
import { latestRuns, type RunInShort } from './runs';
import { readRunbookSchedule } from './schedule-read';
import type { StepDraft } from './schema';
import { modelVersions } from '../database/structure-version';

export interface RunbookInShort {
	id: number;
	name: string;
	description: string;
	steps: number;
	last: { at: string; state: string; words: string } | null;
}

/** A runbook as it is stored. */
export interface StoredRunbook {
	id: number;
	name: string;
	description: string;
	parameters: ParameterDefinition[];
	onRefused: 'skip' | 'stop';
	whenBusy: 'wait' | 'refuse';
	runsAs: number | null;
	version: number;
	steps: Step[];
}

/** A runbook as its page shows it: scripts as text with today's names. */
export interface RunbookDetails extends Omit<StoredRunbook, 'steps'> {
	steps: StepDraft[];
	findings: Finding[];
	runs: RunInShort[];
	people: { id: number; name: string }[];
	/** Imports whose rows can be fetched, and the schedule it runs by. */
	imports: { id: number; name: string }[];
	schedule: (Schedule & { answers: Answers }) | null;
	vocabulary: Vocabulary;
	presets: Preset[];
	mayWrite: boolean;
}

/** The runbooks of a model, for those who look at rules. */
export async function listRunbooks(person: SignedIn | undefined, modelId: number): Promise<RunbookInShort[]> {
	requirePermission(person, 'rule.read');
	const found = await pool().query<Omit<RunbookInShort, 'last'> & { at: Date | null; state: string; words: string }>(
		`SELECT b.id, b.name, b.description, (SELECT count(*)::integer FROM runbook_step s WHERE s.runbook_id = b.id) AS steps, r.at, r.state, r.words
		FROM runbook b LEFT JOIN LATERAL (SELECT at, state, words FROM run WHERE runbook_id = b.id AND branch_id IS NULL ORDER BY id DESC LIMIT 1) r ON true
		WHERE b.model_id = $1 ORDER BY b.name`,
		[modelId]
	);
	return found.rows.map(({ at, state, words, ...rest }) => ({ ...rest, last: at ? { at: at.toISOString(), state, words } : null }));
}

/** What is wrong in all runbooks of a model, each with where it is. */
export async function checkAllRunbooks(
	person: SignedIn | undefined,
	modelId: number
): Promise<{ runbook: number; name: string; step: string; finding: Finding }[]> {
	requirePermission(person, 'rule.read');
	const { structure } = await modelVersions(pool(), modelId);
	const found: { runbook: number; name: string; step: string; finding: Finding }[] = [];
	const ids = await pool().query<{ id: number }>('SELECT id FROM runbook WHERE model_id = $1 ORDER BY name', [modelId]);
	for (const { id } of ids.rows) {
		const { name, steps, parameters } = await readStored(pool(), modelId, id);
		for (const finding of await askEngine(modelId, 'checkRunbook', { structure, steps, parameters }))
			found.push({ runbook: id, name, step: steps.find((step) => step.id === finding.step)?.name ?? '', finding });
	}
	return found;
}

/** Everything about a runbook. @throws Fault 404 */
export async function readRunbook(person: SignedIn | undefined, modelId: number, id: number): Promise<RunbookDetails> {
	const reader = requirePermission(person, 'rule.read');
	const { steps, ...stored } = await readStored(pool(), modelId, id);
	const { structure } = await modelVersions(pool(), modelId);
	const people = await pool().query<{ id: number; name: string }>(
		`SELECT DISTINCT p.id, p.name FROM person p JOIN person_role r ON r.person_id = p.id JOIN role_permission rp ON rp.role_id = r.role_id
		WHERE p.active AND rp.permission = 'form.enter' AND (r.model_id IS NULL OR r.model_id = $1) ORDER BY p.name`,
		[modelId]
	);
	const imports = await pool().query<{ id: number; name: string }>(
		"SELECT id, name FROM import WHERE model_id = $1 AND source #>> '{place,kind}' <> 'file' ORDER BY name",
		[modelId]
	);
	return {
		...stored,
		steps: await asDrafts(modelId, structure, steps),
		findings: await askEngine(modelId, 'checkRunbook', { structure, steps, parameters: stored.parameters }),
		runs: await latestRuns(modelId, id),
		people: people.rows,
		imports: imports.rows,
		schedule: await readRunbookSchedule(id),
		vocabulary: await askEngine(modelId, 'vocabulary', { structure }),
		presets: await presetsOf(pool(), modelId),
		mayWrite: reader.permissions.includes('rule.write')
	};
}

/** Steps with their scripts as text, in today's names. */
export async function asDrafts(modelId: number, structure: number, steps: readonly Step[]): Promise<StepDraft[]> {
	const scripts = steps.flatMap((step) => (step.kind === 'formula' ? [step.script] : []));
	const texts = scripts.length > 0 ? await askEngine(modelId, 'printScripts', { structure, scripts }) : [];
	let next = 0;
	return steps.map((step) => {
		if (step.kind !== 'formula') return step as StepDraft;
		const { script: _, ...rest } = step;
		return { ...rest, text: texts[next++]! };
	});
}

/** A runbook as it is stored. @throws Fault 404 */
export async function readStored(database: Database, modelId: number, id: number): Promise<StoredRunbook> {
	const found = await database.query<Omit<StoredRunbook, 'steps'>>(
		'SELECT id, name, description, parameters, on_refused AS "onRefused", when_busy AS "whenBusy", runs_as AS "runsAs", version FROM runbook WHERE id = $1 AND model_id = $2',
		[id, modelId]
	);
	if (!found.rows[0]) throw notFound('runbook');
	const steps = await stepsOf(database, 'to read', id);
	return {
		...found.rows[0],
		steps: steps.map(({ step }) => step)
	};
}
