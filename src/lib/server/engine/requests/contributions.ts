import { lookCloser, takeApart, type Contributions, type Model, type PlacedFigure, type ReadGuard } from '../../../core';
import { EngineFault, inWords, requireCell } from '../fault';
import { FormFault } from '../form-fault';
import { FormView } from '../form-view';
import type { ModelEngine } from '../model-engine';
import { readAs, type ComparedSide } from './compared-side';
import type { FormAsk } from './form';

export type { Contributions } from '../../../core';

export interface ContributionsAsk extends FormAsk {
	row: number;
	column: number;
	/** What is held against what. */
	from: ComparedSide;
	to: ComparedSide;
	/** Members (ids) further down, by dimension (id): where one has looked closer. */
	at: Record<number, number>;
	/** By which dimension (id) the difference is taken apart; by the one that tells most where none is named. */
	dimension: number | null;
}

const MOST_LINES = 20;

/** What makes a figure of a form another one where it is read otherwise: by member, the largest differences first. */
export async function contributions(engine: ModelEngine, ask: ContributionsAsk): Promise<Contributions> {
	await engine.reach(ask.revision);
	const { model } = engine;
	const form = openLines(model, ask, engine.visibleOf(ask.rules));
	requireCell(form, ask.row, ask.column);
	if (!form.isRead(ask.row, ask.column)) throw new EngineFault('This line is computed by the form. Look at one it is computed from.');
	const figure: PlacedFigure = form.cell(ask.row, ask.column);
	const read = { figure, currency: form.currencyOf(ask.row, ask.column), rules: ask.rules };
	const [from, to] = await Promise.all([readAs(engine, ask.from, read), readAs(engine, ask.to, read)]);
	return inWords(() => {
		for (const [dimension, member] of Object.entries(ask.at))
			for (const side of [from, to]) lookCloser(side.reader.model, side.figure, Number(dimension), member);
		return takeApart([from, to], { dimension: ask.dimension, most: MOST_LINES });
	});
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
