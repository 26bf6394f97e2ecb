import { pool } from '../database';
import { valueHistory, type HistoryLine } from '../database/history';
import { askEngine, type Inspection } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { draftVersion } from './draft';
import { formAsk, readForm, type FormChoices } from './open';

export type FigureDetails = Omit<Inspection, 'beneath' | 'inBranch'> & {
	/** Where the branch changes it: what the plan shows, and who wrote it in the branch, when, and through what. */
	inBranch: { base: number | null; person: string | null; at: string; words: string } | null;
	history: HistoryLine[];
	/** For a leaf that a load has written: how to ask for the rows behind it (ids). Null otherwise, and for who may not see files. */
	loadedCell: { members: number[]; period: number } | null;
};

/** A grid cell's address, what it is made of, whether the person may write it, and its history. */
export async function inspectFigure(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	row: number,
	column: number
): Promise<FigureDetails> {
	const reader = requirePermission(person, 'form.read');
	const { layout } = await readForm(reader, modelId, code);
	const ask = await formAsk(reader, modelId, layout, choices, await draftVersion(pool(), reader, modelId));
	const { beneath, inBranch, ...inspection } = await askEngine(modelId, 'inspect', { ...ask, row, column });
	const history = beneath.members.length === 0 ? [] : await valueHistory(pool(), modelId, beneath);
	const isLoaded = inspection.leaf && history.some(({ kind }) => kind === 'load') && reader.permissions.includes('data.read');
	return {
		...inspection,
		inBranch: inBranch && reader.branch ? await writtenInBranch(reader.branch.id, inBranch) : null,
		history,
		loadedCell: isLoaded ? { members: beneath.members.map((members) => members[0]!), period: beneath.periods[0]! } : null
	};
}

async function writtenInBranch(branch: number, { base, version }: NonNullable<Inspection['inBranch']>): Promise<FigureDetails['inBranch']> {
	const found = await pool().query<{ person: string | null; at: Date; words: string }>(
		'SELECT doer(person_id, acting_id) AS person, at, words FROM branch_change WHERE branch_id = $1 AND version = $2',
		[branch, version]
	);
	const written = found.rows[0];
	return written ? { base, person: written.person, at: written.at.toISOString(), words: written.words } : null;
}
