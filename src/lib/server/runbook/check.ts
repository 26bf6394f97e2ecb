import type { StepLog } from '../../core';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askEngine } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { readStored } from './read';
import { planFor, stepsOfDraft, type PreviewAsk } from './plan';
import { missingAnswer } from './start';

/** Something to look at before a run. */
export interface CheckFinding {
	/** The place of the step; null for what concerns all. */
	step: number | null;
	severity: 'error' | 'hint';
	message: string;
}

/**
 * All that stands in the way of a run of a runbook as it is on the page, or is worth a look before: what the rules say, and what
 * there is to read. Nothing is written.
 */
export async function checkBeforeRun(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	{ answers, draft, only, onDraft = false }: PreviewAsk
): Promise<{ findings: CheckFinding[] }> {
	const reader = requirePermission(person, 'rule.read');
	await readStored(pool(), modelId, id);
	const { structure } = await modelVersions(pool(), modelId);
	const steps = await stepsOfDraft(modelId, structure, draft);
	const isAsked = (place: number | null) => place === null || (only?.includes(place) ?? true);
	const found: CheckFinding[] = [];
	const placeOf = new Map(steps.map(({ id: step }, place) => [step, place]));
	const faulty = new Set<number>();
	for (const { step, severity, message } of await askEngine(modelId, 'checkRunbook', { structure, steps, parameters: draft.parameters })) {
		found.push({ step: placeOf.get(step) ?? null, severity, message });
		if (severity === 'error') faulty.add(step);
	}
	const missing = missingAnswer(draft.parameters, answers);
	if (missing) found.push({ step: null, severity: 'error', message: `Choose ${missing.label}: nothing runs without it.` });
	else {
		// What is wrong by itself is said already; what else there is can be looked at without it.
		const runnable = steps.map((step) => (faulty.has(step.id) ? { ...step, active: false } : step));
		const part = { clears: false, goesOn: true, ...(only && { only: only.flatMap((place) => steps[place]?.id ?? []) }) };
		const plan = await planFor(reader, modelId, { ...draft, id, steps: runnable }, answers, { preview: true, onDraft, part });
		for (const { message } of plan.faults) found.push({ step: null, severity: 'error', message });
		for (const entry of plan.log)
			for (const finding of findingsOf(entry)) found.push({ step: placeOf.get(entry.step) ?? null, ...finding });
	}
	return { findings: found.filter(({ step }) => isAsked(step)) };
}

/** What a step's log says that is worth a look before it runs. */
function findingsOf({ fault, name, reasons, missingRates, notes, proof }: StepLog): Pick<CheckFinding, 'severity' | 'message'>[] {
	if (fault !== undefined) return [{ severity: 'error', message: fault.startsWith(`${name}: `) ? fault.slice(name.length + 2) : fault }];
	const stranded = new Map<string, Set<string>>();
	for (const { line, period, why } of proof?.stranded ?? [])
		stranded.set(`${line}: ${why}`, (stranded.get(`${line}: ${why}`) ?? new Set()).add(period));
	return [
		...reasons.map(({ reason, cells }) => `${cells.toLocaleString('en')} cells would be left out. ${reason}`),
		...(missingRates > 0 ? [`${missingRates.toLocaleString('en')} amounts have no rate and would be left out.`] : []),
		...[...stranded].map(([why, periods]) => `${why} Stranded in ${[...periods].join(', ')}.`),
		...(proof?.rows.some(({ evenly }) => evenly) ? ['Nothing weighs in some periods: it would be shared evenly there.'] : []),
		...(proof?.rows.some(({ incomplete }) => incomplete) ? ['Amounts without a rate are left out of its proof.'] : []),
		...notes
	].map((message) => ({ severity: 'hint' as const, message }));
}
