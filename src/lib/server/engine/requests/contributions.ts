import { lookCloser, Reader, takeApart, type Contributions, type PlacedFigure, type Model, type ReadGuard } from '../../../core';
import type { BranchVersion } from '../../database/branch-series';
import { EngineFault, inWords, requireCell } from '../fault';
import { FormFault } from '../form-fault';
import { FormView } from '../form-view';
import type { ModelEngine } from '../model-engine';
import type { FormAsk } from './form';

export type { Contributions } from '../../../core';

export interface ContributionsAsk extends FormAsk {
	row: number;
	column: number;
	/** What is held against what: branches, or the plan where none is named. */
	from?: BranchVersion | undefined;
	to?: BranchVersion | undefined;
	/** Members (ids) further down, by dimension (id): where one has looked closer. */
	at: Record<number, number>;
	/** By which dimension (id) the difference is taken apart; by the one that tells most where none is named. */
	dimension: number | null;
}

const MOST_LINES = 20;

/** What makes a figure of a form another one in a branch: by member, the largest differences first. */
export async function contributions(engine: ModelEngine, ask: ContributionsAsk): Promise<Contributions> {
	await engine.reach(ask.revision);
	const { model, cube } = engine;
	const visible = engine.visibleOf(ask.rules);
	const form = openLines(model, ask, visible);
	requireCell(form, ask.row, ask.column);
	if (!form.isRead(ask.row, ask.column)) throw new EngineFault('This line is computed by the form. Look at one it is computed from.');
	const figure: PlacedFigure = { ...form.cell(ask.row, ask.column) };
	figure.members = Int32Array.from(figure.members);
	inWords(() => {
		for (const [dimension, member] of Object.entries(ask.at)) lookCloser(model, figure, Number(dimension), member);
	});
	const currency = form.currencyOf(ask.row, ask.column);
	const [from, to] = await Promise.all(
		[ask.from, ask.to].map(async (branch) => ({
			reader: new Reader(cube, branch ? [await engine.branchOf(branch)] : [], visible),
			figure,
			currency
		}))
	);
	return inWords(() => takeApart(model, [from!, to!], { dimension: ask.dimension, most: MOST_LINES }));
}

/** A form’s lines, its figures left alone. */
function openLines(model: Model, ask: ContributionsAsk, visible: ReadGuard | undefined): FormView {
	try {
		return new FormView(model, ask, visible);
	} catch (error) {
		if (error instanceof FormFault) throw new EngineFault(`This form cannot be shown. ${error.message}`);
		throw error;
	}
}
