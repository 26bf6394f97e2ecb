import { pool } from '../database';
import { openForm } from '../form';
import { requirePermission, type SignedIn } from '../session';
import { formsOf } from '../definition/forms';

/** How the checks of a form stand at what it shows when it is opened, the reader's own draft included. */
export interface FormChecks {
	code: string;
	name: string;
	/** Those that do not hold, and those that cannot tell. */
	open: { label: string; state: 'fails' | 'cannot tell'; columns: string[] }[];
	holding: number;
}

/** More forms than this are not opened for one page. */
const MOST_FORMS = 30;
const MOST_COLUMNS = 4;

/** Opens the forms that have checks, one after the other, and tells how they stand. For who keeps the structure. */
export async function readChecks(person: SignedIn | undefined, modelId: number): Promise<{ forms: FormChecks[]; more: number }> {
	const reader = requirePermission(person, 'structure.write');
	const checked = (await formsOf(pool(), modelId, 'made')).filter(({ layout }) => (layout.checks ?? []).length > 0);
	const forms: FormChecks[] = [];
	for (const { code, name } of checked.slice(0, MOST_FORMS)) {
		const { form } = await openForm(reader, modelId, code, { members: {} }, { most: 1 });
		forms.push({
			code,
			name,
			open: form.checks.flatMap(({ label, state, where }) =>
				state === 'holds' ? [] : [{ label, state, columns: where.slice(0, MOST_COLUMNS).map(({ column }) => column) }]
			),
			holding: form.checks.filter(({ state }) => state === 'holds').length
		});
	}
	return { forms, more: Math.max(0, checked.length - MOST_FORMS) };
}
