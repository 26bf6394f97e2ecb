import type { Line, Query } from '../cube';
import { selectMembers, type Dimension } from '../dimension';
import type { Model } from '../model';
import type { PeriodLevel } from '../calendar';
import type { DerivedLine } from './derived';
import type { AxisBlock, FormLayout } from './layout';

/** A row or a column of the grid. */
export interface FormLine {
	members: Line;
	/** The last nested member's name, and the names of those it is nested under. */
	label: string;
	code: string;
	above: string[];
	/** Depth in the tree among the lines of its block, from 0. */
	depth: number;
	/** Whether the member has others under it. */
	parent: boolean;
}

export interface FormSelector {
	dimension: number;
	name: string;
	chosen: number;
	choices: { member: number; name: string; depth: number; parent: boolean }[];
}

export interface ExpandedForm {
	rows: FormLine[];
	columns: FormLine[];
	selectors: FormSelector[];
	/** Currencies to choose from and the one chosen. */
	currencies: string[];
	query: Query;
	/** Computed columns: their operands are places among `columns`. */
	derived: DerivedLine[];
	/** Why the form cannot be shown; empty when it can. */
	faults: string[];
}

/**
 * The lines of a form for a reader's choices.
 * @param choices members by dimension id; choices outside a selector's selection fall back to its initial member
 * @param currency the currency asked for; the first one of the layout when it is not among them
 */
export function expandForm(model: Model, layout: FormLayout, choices: Readonly<Record<number, number>>, currency?: string): ExpandedForm {
	const faults: string[] = [];
	const selectors: FormSelector[] = [];
	const variables = model.variables;
	for (const part of layout.selectors) {
		const dimension = model.dimension(part.dimension);
		if (!dimension) {
			faults.push(`The selector's dimension ${part.dimension} is not in this model.`);
			continue;
		}
		const offered = selectMembers(dimension, part.selection, { variables });
		const wanted = [choices[part.dimension], part.initial].map((member) => (member === undefined ? undefined : dimension.ordinal(member)));
		const chosen = wanted.find((ordinal) => ordinal !== undefined && offered.includes(ordinal)) ?? offered[0];
		if (chosen === undefined) {
			faults.push(`The selector ${dimension.name} offers nothing to choose.`);
			continue;
		}
		const least = Math.min(...offered.map((ordinal) => dimension.tree.depth[ordinal]!));
		selectors.push({
			dimension: dimension.id,
			name: dimension.name,
			chosen: dimension.member(chosen).id,
			choices: offered.map((ordinal) => ({
				member: dimension.member(ordinal).id,
				name: dimension.member(ordinal).name,
				depth: dimension.tree.depth[ordinal]! - least,
				parent: !dimension.isLeaf(ordinal)
			}))
		});
	}
	const chosenOf = new Map(selectors.map((selector) => [selector.dimension, selector.chosen]));
	const rowBlocks = layout.rows.map((block) => expandBlock(model, block, chosenOf));
	const columnBlocks = layout.columns.map((block) => expandBlock(model, block, chosenOf));
	const rows = rowBlocks.flat();
	const columns = columnBlocks.flat();
	const derived = expandDerived(layout, columnBlocks, faults);
	if (rows.length === 0) faults.push('No rows: the selection on the rows yields nothing today.');
	if (columns.length === 0) faults.push('No columns: the selection on the columns yields nothing today.');
	const periodOnRows = layout.rows.some(({ parts }) => parts.some(({ dimension }) => dimension === model.periods.dimension.id));
	const toDate = periodOnRows ? toDateOf(layout.rows, rowBlocks) : toDateOf(layout.columns, columnBlocks);
	const onAxes = new Set([...layout.rows, ...layout.columns].flatMap((block) => block.parts.map((part) => part.dimension)));
	const slice: Record<number, number> = {};
	for (const { dimension, member } of layout.pinned) slice[dimension] = member;
	for (const { dimension, chosen } of selectors) if (!onAxes.has(dimension)) slice[dimension] = chosen;
	const chosenCurrency =
		currency && layout.currencies.includes(currency) ? currency : (layout.currencies[0] ?? model.definition.reportingCurrency);
	return {
		rows,
		columns,
		selectors,
		currencies: layout.currencies,
		query: {
			slice,
			rows: rows.map((line) => line.members),
			columns: columns.map((line) => line.members),
			currency: chosenCurrency,
			...(toDate ? { toDate } : {})
		},
		derived,
		faults
	};
}

function expandBlock(model: Model, block: AxisBlock, chosenOf: ReadonlyMap<number, number>): FormLine[] {
	let lines: FormLine[] = [{ members: {}, label: '', code: '', above: [], depth: 0, parent: false }];
	for (const part of block.parts) {
		const dimension = model.dimension(part.dimension);
		if (!dimension) return [];
		const chosen = chosenOf.get(dimension.id);
		const ordinals = selectMembers(dimension, part.selection, {
			chosen: chosen === undefined ? undefined : dimension.ordinal(chosen),
			variables: model.variables
		});
		const depths = depthsAmong(dimension, ordinals);
		lines = lines.flatMap((line) =>
			ordinals.map((ordinal, index) => ({
				members: { ...line.members, [dimension.id]: dimension.member(ordinal).id },
				label: dimension.member(ordinal).name,
				code: dimension.member(ordinal).code,
				above: line.label === '' ? [] : [...line.above, line.label],
				depth: depths[index]!,
				parent: !dimension.isLeaf(ordinal)
			}))
		);
	}
	return lines;
}

/** How each line of the blocks runs, for the query; undefined when none runs to date. */
function toDateOf(blocks: readonly AxisBlock[], lines: readonly FormLine[][]): (PeriodLevel | undefined)[] | undefined {
	return blocks.some(({ toDate }) => toDate) ? blocks.flatMap(({ toDate }, index) => lines[index]!.map(() => toDate)) : undefined;
}

function expandDerived(layout: FormLayout, blocks: readonly FormLine[][], faults: string[]): DerivedLine[] {
	const start = (block: number) => blocks.slice(0, block).reduce((total, lines) => total + lines.length, 0);
	return (layout.derived ?? []).flatMap(({ kind, label, of, base }): DerivedLine[] => {
		const [ofLines, baseLines] = [blocks[of]?.length ?? 0, blocks[base]?.length ?? 0];
		const lines = Math.max(ofLines, baseLines);
		if (Math.min(ofLines, baseLines) === 0 || ![ofLines, baseLines].every((count) => count === lines || count === 1)) {
			faults.push(`${label}: its two groups of columns have ${ofLines} and ${baseLines} lines, so they do not match.`);
			return [];
		}
		return Array.from({ length: lines }, (_, line) => {
			const [one, other] = [start(of) + (ofLines === 1 ? 0 : line), start(base) + (baseLines === 1 ? 0 : line)];
			return kind === 'share' ? { kind, label, of: one, whole: other } : { kind, label, of: one, base: other };
		});
	});
}

/** Tree depth counted among the selected members only, so that a selection of leaves is not indented. */
function depthsAmong(dimension: Dimension, ordinals: readonly number[]): number[] {
	const selected = new Set(ordinals);
	return ordinals.map((ordinal) => dimension.tree.ancestors(ordinal).filter((above) => selected.has(above)).length);
}
