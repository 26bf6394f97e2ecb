/** A form of the plan and of some of its branches, side by side. */
import { z } from 'zod';
import { pool } from '../database';
import { branchVersion } from '../database/branch-series';
import type { FormSelector } from '../../core';
import { askEngine, type ColumnLine, type RowLine } from '../engine';
import { choicesSchema, formAsk, readForm } from '../form';
import { requirePermission, type SignedIn } from '../session';
import { branchFor } from './record';

export const compareSchema = z.object({
	form: z.string().max(80),
	choices: choicesSchema,
	/** Branches (ids) beside the plan. */
	branches: z.array(z.int()).min(1).max(3)
});

export interface Comparison {
	form: string;
	rows: Pick<RowLine, 'label' | 'depth' | 'shownDecimals' | 'valueType'>[];
	columns: Pick<ColumnLine, 'label' | 'short' | 'group'>[];
	selectors: FormSelector[];
	currency: string;
	currencies: string[];
	/** The plan first; row by row, null for empty. */
	sides: { branch: number | null; name: string; values: (number | null)[] }[];
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
	const sides: Comparison['sides'] = [{ branch: null, name: 'Plan', values: base.values }];
	for (const { id, name } of named) {
		const { values } = await askEngine(modelId, 'form', { ...ask, branch: (await branchVersion(pool(), id))! });
		sides.push({ branch: id, name, values });
	}
	return {
		form: stored.name,
		rows: base.rows.map(({ label, depth, shownDecimals, valueType }) => ({ label, depth, shownDecimals, valueType })),
		columns: base.columns.map(({ label, short, group }) => ({ label, short, group })),
		selectors: base.selectors,
		currency: base.currency,
		currencies: base.currencies,
		sides
	};
}
