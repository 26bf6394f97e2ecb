import type { CodedValues, Model, PeriodRange, Query } from '../../core';

type Choice = CodedValues['choices'][number];

/**
 * Choices in the order they are offered: of months those from the form's first one on within its scenario's span, then the
 * earlier ones of the span, then all others. Other choices stay as they come.
 */
export function inOrderOffered(model: Model, query: Query, choices: readonly Choice[]): readonly Choice[] {
	const periods = model.periods.dimension;
	if (choices.length === 0 || choices.some(({ member }) => periods.ordinal(member) === undefined)) return choices;
	const lines = [query.slice, ...query.rows, ...query.columns];
	const starts = lines.flatMap((line) => {
		const ordinal = line[periods.id] === undefined ? undefined : periods.ordinal(line[periods.id]!);
		return ordinal === undefined ? [] : [model.periods.range(ordinal).from];
	});
	const spans = lines.flatMap((line) => spanOf(model, line[model.scenarios.id]) ?? []);
	const first = Math.min(...starts);
	const rank = ({ member }: Choice): number => {
		const index = model.periods.range(periods.ordinal(member)!).from;
		if (spans.length > 0 && !spans.some(({ from, to }) => index >= from && index <= to)) return 2;
		return index < first ? 1 : 0;
	};
	return [0, 1, 2].flatMap((wanted) => choices.filter((choice) => rank(choice) === wanted));
}

/** A word of warning where a chosen month lies outside what the scenario speaks about; undefined where it does not. */
export function chosenOutside(model: Model, members: ArrayLike<number>, choice: number): string | undefined {
	const month = model.periods.dimension.ordinal(choice);
	const scenario = members[model.scenarioAxis]!;
	const span = model.scenario(scenario)?.span;
	if (month === undefined || !span) return undefined;
	const range = model.periods.range(month);
	if (range.from >= span.from && range.to <= span.to) return undefined;
	const nameOf = (index: number) => model.periods.dimension.member(model.periods.leaf(index).ordinal).name;
	return `${model.periods.dimension.member(month).name} lies outside ${model.scenarios.member(scenario).name}, which speaks about ${nameOf(span.from)} to ${nameOf(span.to)}.`;
}

function spanOf(model: Model, member: number | undefined): PeriodRange | undefined {
	const ordinal = member === undefined ? undefined : model.scenarios.ordinal(member);
	return ordinal === undefined ? undefined : model.scenario(ordinal)?.span;
}
