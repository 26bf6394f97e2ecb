import type { Model, Query } from '../../core';

/** Why a query can show nothing: no period of it lies in the span of a scenario of it. Null where some does. */
export function outsideSpan(model: Model, { slice, rows, columns }: Query): string | null {
	const [periods, scenarios] = [model.periods.dimension, model.scenarios];
	const all = (id: number) => [...new Set([slice, ...rows, ...columns].flatMap((line) => line[id] ?? []))];
	const shown = all(periods.id).flatMap((member) => periods.ordinal(member) ?? []);
	const asked = all(scenarios.id).flatMap((member) => scenarios.ordinal(member) ?? []);
	const spans = asked.flatMap((scenario) => scenarios.leavesOf(scenario).map((leaf) => ({ leaf, span: model.scenario(leaf)?.span })));
	if (shown.length === 0 || spans.length === 0) return null;
	for (const { span } of spans) {
		if (!span) return null;
		for (const period of shown) {
			const range = model.periods.range(period);
			if (range.to >= span.from && range.from <= span.to) return null;
		}
	}
	const { leaf, span } = spans[0]!;
	const nameOf = (index: number) => periods.member(model.periods.leaf(index).ordinal).name;
	return `${scenarios.member(leaf).name} speaks about ${nameOf(span!.from)} to ${nameOf(span!.to)}; none of the periods shown lies there.`;
}
