import { collapse, Cube, Reader, type Collapsed, type Model, type ModelDefinition } from '../../../core';
import { toMembers } from '../addresses';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';
import { differences, figures, modelOf, type EffectLine, type Shown } from './effect';

/** A dimension (id) to be taken out of the model. */
export interface CollapsedAsk {
	revision: number;
	structure: number;
	dimension: number;
	/** Only what it would do: without the series. */
	preview: boolean;
}

export interface CollapsedAnswer extends Omit<Collapsed, 'series'> {
	/** Totals that would move most: results of formulas over what is one now. */
	moved: EffectLine[];
	/** Whole series without the dimension; ids. */
	series: { origin: number; members: number[]; year: number; amounts: Float64Array; stamps: Float64Array }[];
}

/** Series that cross to the server at once. */
const MOST_SERIES = 600_000;
const MOST_ACCOUNTS = 60;

/** What the model's cells come to without a dimension. @throws EngineFault when the model would be none without it */
export async function collapsed(engine: ModelEngine, { revision, dimension, preview }: CollapsedAsk): Promise<CollapsedAnswer> {
	await engine.reach(revision);
	const { model, cube } = engine;
	const axis = model.dimensions.findIndex(({ id }) => id === dimension);
	if (axis < 0) throw new EngineFault('The model has no such dimension.');
	const narrow = modelOf(withoutDimension(model, dimension));
	const { series, ...counts } = collapse(new Reader(cube), axis);
	if (series.length > MOST_SERIES)
		throw new EngineFault(
			`The model has ${series.length.toLocaleString('en')} series; a dimension can be taken out of up to ${MOST_SERIES.toLocaleString('en')}.`
		);
	const becomes = new Cube(narrow);
	for (const { origin, address, year, amounts, stamps } of series) becomes.writeSeries(origin, address, year, amounts, stamps);
	const asked = totalsOf(model);
	return {
		...counts,
		moved: differences(model, asked, figures(new Reader(cube), asked), figures(new Reader(becomes), asked)),
		series: preview ? [] : series.map(({ address, ...rest }) => ({ ...rest, members: toMembers(narrow, address) }))
	};
}

function withoutDimension(model: Model, dimension: number): ModelDefinition {
	const gone = model.dimension(dimension)!;
	return {
		...model.definition,
		dimensions: model.definition.dimensions.filter(({ id }) => id !== dimension),
		...(model.definition.balanceRoles && {
			balanceRoles: model.definition.balanceRoles.filter(({ member }) => gone.ordinal(member) === undefined)
		})
	};
}

/** The tops of the accounts, what formulas work out, and what does not add up. */
function totalsOf({ accounts, live }: Model): Shown[] {
	const found = new Set([...accounts.tree.roots(), ...live.ordered.map((formula) => formula.account)]);
	accounts.members.forEach((_, ordinal) => {
		if (accounts.isLeaf(ordinal)) found.add(ordinal);
	});
	return [...found].slice(0, MOST_ACCOUNTS).map((each) => ({ account: each }));
}
