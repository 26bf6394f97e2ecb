/** A form of the plan and of some of its branches, side by side. */
import { z } from 'zod';
import { pool } from '../database';
import { branchVersion } from '../database/branch-series';
import type { FormSelector, ValueType } from '../../core';
import { askEngine, type FormAnswer, type LineFacts } from '../engine';
import { choicesSchema, formAsk, readForm } from '../form';
import { requirePermission, type SignedIn } from '../session';
import { branchFor } from './record';

export const compareSchema = z.object({
	form: z.string().max(80),
	choices: choicesSchema,
	/** Branches (ids) beside the plan. */
	branches: z.array(z.int()).min(1).max(3)
});

/** How figures are written. */
export interface ComparedFacts {
	valueType: ValueType;
	shownDecimals: number;
	/** Whether they stand for words: there is no difference of them. */
	inWords: boolean;
}

export interface Comparison {
	form: string;
	rows: { label: string; depth: number; facts: ComparedFacts }[];
	/** Where accounts stand on the columns theirs are the facts that count. */
	columns: { label: string; facts: ComparedFacts | null }[];
	selectors: FormSelector[];
	currency: string;
	currencies: string[];
	/** The plan first; row by row, null for empty. What figures of choices, dates and texts stand for, by cell. */
	sides: { branch: number | null; name: string; values: (number | null)[]; words: Record<number, string> }[];
}

/** Without anybody’s drafts: what is saved is compared. */
const NOBODYS_DRAFT = 0;

export async function compareBranches(
	person: SignedIn | undefined,
	modelId: number,
	{ form: code, choices, branches }: z.infer<typeof compareSchema>
): Promise<Comparison> {
	const reader = requirePermission(person, 'form.read');
	const stored = await readForm(reader, modelId, code);
	const ask = { ...(await formAsk({ ...reader, branch: undefined }, modelId, stored.layout, choices, 0)), person: NOBODYS_DRAFT };
	const named = await Promise.all([...new Set(branches)].map((id) => branchFor(reader, modelId, id)));
	const base = await askEngine(modelId, 'form', ask);
	const sides: Comparison['sides'] = [{ branch: null, name: 'Plan', values: base.values, words: wordsOf(base, base) }];
	for (const { id, name } of named) {
		const form = await askEngine(modelId, 'form', { ...ask, branch: (await branchVersion(pool(), id))! });
		sides.push({ branch: id, name, values: form.values, words: wordsOf(base, form) });
	}
	return {
		form: stored.name,
		rows: base.rows.map((line) => ({ label: line.label, depth: line.depth, facts: comparedFacts(line) })),
		columns: base.columns.map(({ label, facts }) => ({ label, facts: facts ? comparedFacts(facts) : null })),
		selectors: base.selectors,
		currency: base.currency,
		currencies: base.currencies,
		sides
	};
}

const comparedFacts = ({ valueType, shownDecimals, coded }: LineFacts): ComparedFacts => ({
	valueType,
	shownDecimals,
	inWords: coded || valueType === 'date'
});

/** What the figures of a form stand for, dates among them. */
function wordsOf({ rows, columns }: FormAnswer, { values, words }: FormAnswer): Record<number, string> {
	const found: Record<number, string> = Object.fromEntries(words);
	values.forEach((value, cell) => {
		const facts = columns[cell % columns.length]!.facts ?? rows[Math.floor(cell / columns.length)]!;
		if (value !== null && facts.valueType === 'date') found[cell] = new Date(value * 86_400_000).toISOString().slice(0, 10);
	});
	return found;
}
