import { pool } from '../database';
import { valueHistory, type HistoryLine } from '../database/history';
import { askEngine, type Inspection } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { draftVersion } from './draft';
import { formAsk, readForm, type FormChoices } from './open';

export type FigureDetails = Omit<Inspection, 'beneath'> & {
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
	const { beneath, ...inspection } = await askEngine(modelId, 'inspect', { ...ask, row, column });
	const history = beneath.members.length === 0 ? [] : await valueHistory(pool(), modelId, beneath);
	const isLoaded = inspection.leaf && history.some(({ kind }) => kind === 'load') && reader.permissions.includes('data.read');
	return {
		...inspection,
		history,
		loadedCell: isLoaded ? { members: beneath.members.map((members) => members[0]!), period: beneath.periods[0]! } : null
	};
}
