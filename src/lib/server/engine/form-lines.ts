import { isPercent, operandsOf, print, thresholdsOf, type FormLine, type Line, type Model, type Reading } from '../../core';
import type { ColumnLine, LineFacts, RowLine } from './requests/form';

/** A row as the page shows it. */
export function rowLine(model: Model, line: FormLine, slice: Line): RowLine {
	const facts = factsOf(model, line, slice);
	return { ...line, ...facts, unit: line.reading && line.kind === 'cells' ? readingInWords(model, line.reading) : facts.unit };
}

/** In which currency and at which rates a block of its own reading is read. */
function readingInWords(model: Model, { currency, rateSet }: Reading): string {
	const money = currency === 'local' ? 'local currency' : currency;
	const rates = rateSet === undefined ? undefined : `at ${rateSetName(model, rateSet)}`;
	return [money, rates].filter((part) => part !== undefined).join(' ');
}

export const rateSetName = (model: Model, id: number): string =>
	model.definition.rateSets.find((set) => set.id === id)?.name ?? 'a rate set that is gone';

/** How the figures of a line are written, by the account it or the slice names. */
function factsOf(model: Model, line: FormLine, slice: Line): LineFacts {
	const member = line.members[model.accounts.id] ?? slice[model.accounts.id];
	const ordinal = member === undefined || line.kind === 'text' ? undefined : model.accounts.ordinal(member);
	// A group of accounts is shown like what it groups.
	const leaf = ordinal === undefined ? undefined : model.accounts.tree.leaves(ordinal).find((each) => model.account(each));
	const facts = leaf === undefined ? undefined : model.account(leaf);
	const formula = ordinal === undefined || line.members[model.accounts.id] === undefined ? undefined : model.formula(ordinal);
	const valueType = facts?.valueType ?? 'money';
	return {
		valueType,
		coded: valueType === 'choice' || valueType === 'text',
		account: member ?? null,
		shownDecimals: line.decimals ?? (valueType === 'money' ? 0 : (facts?.decimals ?? 0)),
		unit: facts?.unit ?? null,
		// Of a group of accounts none is meant.
		thresholds: leaf === ordinal ? thresholdsOf(facts) : null,
		formula: formula
			? print(formula.expression, { member: (account) => model.accounts.member(model.accounts.ordinal(account)!).name })
			: null
	};
}

/** A computed row is written like the first row it is made of, or as a share. */
export function likeOperand(
	line: RowLine,
	rows: readonly RowLine[]
): Pick<RowLine, 'valueType' | 'shownDecimals' | 'unit' | 'thresholds' | 'formula'> {
	const first = rows[operandsOf(line.derive!)[0] ?? -1];
	if (isPercent(line.derive!))
		return { valueType: 'percent', shownDecimals: line.decimals ?? 1, unit: null, thresholds: null, formula: null };
	return {
		valueType: first?.valueType ?? 'money',
		shownDecimals: line.decimals ?? first?.shownDecimals ?? 0,
		unit: first?.unit ?? null,
		thresholds: null,
		formula: null
	};
}

/** A column as the page shows it: its headings, and what its scenario speaks about. */
export function columnLine(model: Model, line: FormLine, slice: Line): ColumnLine {
	const period = model.periods.dimension;
	const ordinal = line.members[period.id] === undefined ? undefined : period.ordinal(line.members[period.id]!);
	const { accounts } = model;
	const facts = line.members[accounts.id] === undefined ? undefined : factsOf(model, line, slice);
	const plain = { computed: undefined, percent: false, facts };
	const reading = line.reading && line.kind === 'cells' ? readingInWords(model, line.reading) : '';
	const outer = [line.heading || line.above.join(' · '), reading].filter(Boolean).join(' · ');
	if (ordinal === undefined) return { ...line, ...plain, short: line.label, group: outer, level: '', cut: cutBeside(model, line, slice) };
	const above = period.tree.parent[ordinal]!;
	const level = model.periods.facts(ordinal)?.level;
	return {
		...line,
		...plain,
		group: outer || (level === 'month' && above >= 0 ? period.member(above).name : ''),
		level: level ?? '',
		short: level === 'month' && line.label === period.member(ordinal).name ? line.label.split(' ')[0]! : line.label,
		cut: cutOf(model, line, slice, ordinal)
	};
}

const named = ({ heading, label }: FormLine): string => (heading ? `${heading}, ${label}` : label);

/** How a computed column is made, in words. */
export function wordsOf({ derive, label }: FormLine, columns: readonly FormLine[]): string {
	if (derive!.kind === 'expression')
		return `${label}, from ${operandsOf(derive!)
			.map((place) => named(columns[place]!))
			.join(', ')}`;
	const [one, other] = operandsOf(derive!).map((place) => named(columns[place]!));
	const words = {
		difference: `${one} less ${other}`,
		'% difference': `${one} less ${other}, in % of ${other}`,
		share: `${one} as a share of ${other}`
	};
	return words[derive!.kind];
}

/** The same of a column of scenarios, in the period that stands beside. */
function cutBeside(model: Model, line: FormLine, slice: Line): string | undefined {
	const period = slice[model.periods.dimension.id];
	const ordinal = period === undefined ? undefined : model.periods.dimension.ordinal(period);
	return ordinal === undefined || line.kind !== 'cells' ? undefined : cutOf(model, line, slice, ordinal);
}

function cutOf(model: Model, line: FormLine, slice: Line, period: number): string | undefined {
	const member = line.members[model.scenarios.id] ?? slice[model.scenarios.id];
	const ordinal = member === undefined ? undefined : model.scenarios.ordinal(member);
	return ordinal === undefined ? undefined : spanWithin(model, ordinal, period);
}

/** Where a scenario's span ends or begins inside a period (ordinals), in words; undefined where it speaks about all of it, or nothing. */
export function spanWithin(model: Model, scenario: number, period: number): string | undefined {
	const span = model.scenario(scenario)?.span;
	const range = model.periods.range(period);
	if (!span || span.to < range.from || span.from > range.to) return undefined;
	const name = (index: number) => model.periods.dimension.member(model.periods.leaf(index).ordinal).name;
	if (span.to < range.to) return `to ${name(span.to)}`;
	return span.from > range.from ? `from ${name(span.from)}` : undefined;
}
