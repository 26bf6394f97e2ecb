import type { ReadGuard } from '../access';
import type { PeriodLevel } from '../calendar';
import type { Line, Query } from '../cube';
import { selectMembers, type Dimension } from '../dimension';
import { readsOf } from '../formula';
import type { Model } from '../model';
import { withLines, type DerivedLine } from './derived';
import type { AxisBlock, CellBlock, DerivedBlock, Emphasis, FormLayout, Reading } from './layout';

/** A row or a column of the grid. */
export interface FormLine {
	kind: 'cells' | 'derived' | 'text';
	/** Its place among the lines of the query; −1 for lines that are not read from the model. */
	place: number;
	/** The block it comes from (id). */
	block: number;
	members: Line;
	/** The last nested member's name, and the names of those it is nested under. */
	label: string;
	code: string;
	above: string[];
	/** The block's heading, where it stands over several lines. */
	heading: string;
	/** Depth in the tree among the lines of its block, from 0. */
	depth: number;
	/** Whether one of its members has others under it: its figures are totals. */
	parent: boolean;
	/** Whether what lies beneath it is closed at first. */
	folded: boolean;
	/** Whether what it adds up stands before it. */
	totalAfter: boolean;
	readOnly: boolean;
	guidance: string;
	emphasis: readonly Emphasis[];
	decimals: number | undefined;
	width: number | undefined;
	/** Read in a currency or at rates of its own. */
	reading: Reading | undefined;
	/** How a computed line is made from other lines of its axis. */
	derive: DerivedLine | undefined;
}

export interface FormSelector {
	dimension: number;
	name: string;
	chosen: number;
	/** Whether nothing is shown until one is chosen. */
	asks: boolean;
	choices: { member: number; name: string; depth: number; parent: boolean }[];
}

export interface ExpandedForm {
	rows: FormLine[];
	columns: FormLine[];
	selectors: FormSelector[];
	/** Currencies to choose from and the one chosen. */
	currencies: string[];
	query: Query;
	/** Why the form cannot be shown; empty when it can. */
	faults: string[];
	/** What its maker should know, though it can be shown. */
	hints: string[];
}

/** Levels of a tree that stand open at first. */
const OPEN_LEVELS = 2;

/**
 * The lines of a form for a reader's choices. O(lines).
 * @param choices members by dimension id; choices outside a selector's selection fall back to its initial member
 * @param currency the currency asked for; the first one of the layout when it is not among them
 * @param visible what the reader may read, where that is not everything: members under which there is nothing are left out
 */
export function expandForm(
	model: Model,
	layout: FormLayout,
	choices: Readonly<Record<number, number>>,
	currency?: string,
	visible?: ReadGuard
): ExpandedForm {
	const faults: string[] = [];
	const hints: string[] = [];
	const seen = seenBy(model, visible);
	const selectors = expandSelectors(model, layout, choices, faults, seen);
	const chosenOf = new Map(selectors.map((selector) => [selector.dimension, selector.chosen]));
	const rows = expandAxis(model, layout.rows, 'rows', { chosenOf, seen, faults, hints });
	const columns = expandAxis(model, layout.columns, 'columns', { chosenOf, seen, faults, hints });
	const periodOnRows = dimensionsOn(layout.rows).has(model.periods.dimension.id);
	const toDate = (periodOnRows ? rows : columns).toDate;
	const onAxes = new Set([...dimensionsOn(layout.rows), ...dimensionsOn(layout.columns)]);
	const slice: Record<number, number> = {};
	for (const { dimension, member } of layout.pinned) slice[dimension] = member;
	for (const { dimension, chosen } of selectors) if (!onAxes.has(dimension)) slice[dimension] = chosen;
	for (const dimension of model.dimensions)
		if (!onAxes.has(dimension.id) && slice[dimension.id] === undefined)
			faults.push(`${dimension.name} is not placed: put it on rows, columns, among the selectors or pin a member.`);
	if (!onAxes.has(model.periods.dimension.id) && slice[model.periods.dimension.id] === undefined)
		faults.push(`${model.periods.dimension.name} is not placed: put it on rows, columns, among the selectors or pin a period.`);
	for (const { dimension, member } of layout.pinned)
		if (model.dimension(dimension) && model.dimension(dimension)!.ordinal(member) === undefined)
			faults.push(`The member pinned in ${model.dimension(dimension)!.name} is gone. Pin another one.`);
		else if (model.dimension(dimension) && seen(model.dimension(dimension)!, [model.dimension(dimension)!.ordinal(member)!]).length === 0)
			faults.push(`It is about a part of ${model.dimension(dimension)!.name} that you may not read.`);
	const chosenCurrency =
		currency && layout.currencies.includes(currency) ? currency : (layout.currencies[0] ?? model.definition.reportingCurrency);
	return {
		rows: rows.lines,
		columns: columns.lines,
		selectors,
		currencies: layout.currencies,
		query: {
			slice,
			rows: rows.read,
			columns: columns.read,
			currency: chosenCurrency,
			...(toDate.some((level) => level) ? { toDate } : {})
		},
		faults: [...new Set(faults)],
		hints
	};
}

/** Leaves out the members (ordinals) under which a reader sees nothing. */
type Seen = (dimension: Dimension, ordinals: readonly number[]) => readonly number[];

function seenBy(model: Model, visible: ReadGuard | undefined): Seen {
	if (!visible) return (_, ordinals) => ordinals;
	return (dimension, ordinals) => {
		const axis = model.dimensions.indexOf(dimension);
		return axis < 0 ? ordinals : ordinals.filter((ordinal) => visible.reaches(axis, ordinal));
	};
}

function expandSelectors(
	model: Model,
	layout: FormLayout,
	choices: Readonly<Record<number, number>>,
	faults: string[],
	seen: Seen
): FormSelector[] {
	const selectors: FormSelector[] = [];
	for (const part of layout.selectors) {
		const dimension = model.dimension(part.dimension);
		if (!dimension) {
			faults.push(`The selector's dimension ${part.dimension} is not in this model.`);
			continue;
		}
		const offered = seen(dimension, selectMembers(dimension, part.selection, { variables: model.variables }));
		const among = new Set(offered);
		const named = part.initialVariable === undefined ? undefined : model.variables.get(part.initialVariable);
		const wanted = [choices[part.dimension], named, part.initial].map((member) =>
			member === undefined ? undefined : dimension.ordinal(member)
		);
		const chosen = wanted.find((ordinal) => ordinal !== undefined && among.has(ordinal)) ?? offered[0];
		if (chosen === undefined) {
			faults.push(`The selector ${dimension.name} offers nothing to choose.`);
			continue;
		}
		const least = offered.reduce((depth, ordinal) => Math.min(depth, dimension.tree.depth[ordinal]!), Number.POSITIVE_INFINITY);
		selectors.push({
			dimension: dimension.id,
			name: dimension.name,
			chosen: dimension.member(chosen).id,
			asks: part.asks === true && (choices[part.dimension] === undefined || dimension.ordinal(choices[part.dimension]!) !== chosen),
			choices: offered.map((ordinal) => ({
				member: dimension.member(ordinal).id,
				name: dimension.member(ordinal).name,
				depth: dimension.tree.depth[ordinal]! - least,
				parent: !dimension.isLeaf(ordinal)
			}))
		});
	}
	return selectors;
}

/** What members are chosen in selectors and seen by the reader, and where faults and hints are noted. */
interface Expanding {
	chosenOf: ReadonlyMap<number, number>;
	seen: Seen;
	faults: string[];
	hints: string[];
}

interface ExpandedAxis {
	lines: FormLine[];
	/** The lines the query reads, and how each of them runs to date. */
	read: Line[];
	toDate: (PeriodLevel | undefined)[];
}

/** The lines of an axis, block by block; computed ones know the lines they are made of. */
function expandAxis(model: Model, blocks: readonly AxisBlock[], axis: 'rows' | 'columns', how: Expanding): ExpandedAxis {
	const { faults, hints } = how;
	const expanded: ExpandedAxis = { lines: [], read: [], toDate: [] };
	/** The places of the lines of the blocks met so far that hold figures, for blocks made of them. */
	const linesOf = new Map<number, number[]>();
	const placed = dimensionsOn(blocks);
	const add = (block: number, lines: readonly FormLine[], toDate?: PeriodLevel) => {
		const places: number[] = [];
		for (const line of lines) {
			if (line.kind !== 'text') places.push(expanded.lines.length);
			expanded.lines.push(line.kind === 'cells' ? { ...line, place: expanded.read.length } : line);
			if (line.kind !== 'cells') continue;
			expanded.read.push(line.members);
			expanded.toDate.push(toDate);
		}
		linesOf.set(block, places);
	};
	for (const block of blocks) {
		if (block.kind === 'text') add(block.id, [blankLine(block, block.label)]);
		else if (block.kind === 'cells') {
			const missing = [...placed].find((dimension) => !block.parts.some((part) => part.dimension === dimension));
			if (missing !== undefined)
				faults.push(`A block on the ${axis} says nothing about ${model.dimension(missing)?.name ?? missing}; the others do.`);
			if (block.reading?.rateSet !== undefined && !model.rates(block.reading.rateSet))
				faults.push(`A block on the ${axis} is read at rates that are gone. Choose others.`);
			const lines = expandCells(model, block, axis, how);
			if (lines.length === 0) hints.push(`A block on the ${axis} yields nothing today${block.heading ? `: ${block.heading}` : ''}.`);
			add(block.id, lines, block.toDate);
		} else if (block.derivation.how === 'to date') {
			const { of, since } = block.derivation;
			const source = blocks.find((each) => each.id === of);
			if (source?.kind !== 'cells') faults.push(`${block.label}: it runs up a block of ${axis} that is not there.`);
			else add(block.id, toDateLines(block, expandCells(model, source, axis, how)), since);
		} else add(block.id, deriveLines(block, linesOf, blocks, axis, faults));
	}
	stand(expanded, blocks, linesOf, axis, faults);
	if (expanded.read.length === 0) faults.push(`No ${axis}: the selection on the ${axis} yields nothing today.`);
	return expanded;
}

/** Puts the lines of blocks that stand beside another one's each after its line there; computed lines follow theirs. */
function stand(
	expanded: ExpandedAxis,
	blocks: readonly AxisBlock[],
	linesOf: ReadonlyMap<number, number[]>,
	axis: string,
	faults: string[]
): void {
	const beside = new Map<number, number[]>();
	const moved = new Set<number>();
	for (const block of blocks) {
		if (block.beside === undefined) continue;
		const [own, other] = [linesOf.get(block.id) ?? [], linesOf.get(block.beside)];
		if (!other || other.length !== own.length || blocks.findIndex(({ id }) => id === block.beside) >= blocks.indexOf(block)) {
			faults.push(`A block on the ${axis} is to stand beside one that has other lines: ${other?.length ?? 0} and ${own.length}.`);
			continue;
		}
		own.forEach((line, index) => {
			beside.set(other[index]!, [...(beside.get(other[index]!) ?? []), line]);
			moved.add(line);
		});
	}
	if (moved.size === 0) return;
	const order: number[] = [];
	const put = (line: number): void => {
		order.push(line);
		for (const each of beside.get(line) ?? []) put(each);
	};
	expanded.lines.forEach((_, line) => {
		if (!moved.has(line)) put(line);
	});
	const placeOf = new Map(order.map((line, place) => [line, place]));
	expanded.lines = order.map((line) => {
		const { derive, ...rest } = expanded.lines[line]!;
		return { ...rest, derive: derive && withLines(derive, (each) => placeOf.get(each)!) };
	});
}

/** The dimensions that the blocks of an axis read. */
const dimensionsOn = (blocks: readonly AxisBlock[]): Set<number> =>
	new Set(blocks.flatMap((block) => (block.kind === 'cells' ? block.parts.map((part) => part.dimension) : [])));

const blankLine = (block: AxisBlock, label: string): FormLine => ({
	kind: 'text',
	place: -1,
	block: block.id,
	members: {},
	label,
	code: '',
	above: [],
	heading: '',
	depth: 0,
	parent: false,
	folded: false,
	totalAfter: false,
	readOnly: true,
	guidance: '',
	emphasis: block.emphasis ?? [],
	decimals: block.decimals,
	width: block.width,
	reading: block.kind === 'cells' ? block.reading : undefined,
	derive: undefined
});

/** The lines of a block. Rows nested under others stand beneath a line with the others' names. */
function expandCells(model: Model, block: CellBlock, axis: 'rows' | 'columns', { chosenOf, seen }: Expanding): FormLine[] {
	let lines: FormLine[] = [{ ...blankLine(block, ''), kind: 'cells', readOnly: block.readOnly ?? false }];
	const openLevels = block.openLevels ?? OPEN_LEVELS;
	for (const part of block.parts) {
		const dimension = model.dimension(part.dimension);
		if (!dimension) return [];
		const chosen = chosenOf.get(dimension.id);
		const ordinals = sorted(
			dimension,
			[
				...seen(
					dimension,
					selectMembers(dimension, part.selection, {
						chosen: chosen === undefined ? undefined : dimension.ordinal(chosen),
						variables: model.variables
					})
				)
			],
			block
		);
		const inTree = block.flat || isSorted(block) ? ordinals.map(() => 0) : depthsAmong(dimension, ordinals);
		const order = block.totalsAfter ? afterWhatTheyAdd(inTree) : ordinals.map((_, index) => index);
		const depths = order.map((index) => inTree[index]!);
		lines = lines.flatMap((line) =>
			order.map((from, index) => {
				const ordinal = ordinals[from]!;
				const { id, code, name } = dimension.member(ordinal);
				return {
					...line,
					members: { ...line.members, [dimension.id]: id },
					label: block.names === 'code' ? code : block.names === 'both' ? `${code} ${name}` : name,
					code,
					above: line.label === '' ? [] : [...line.above, line.label],
					depth: depths[index]!,
					parent: line.parent || !dimension.isLeaf(ordinal),
					folded: !block.totalsAfter && depths[index]! + 1 >= openLevels && !dimension.isLeaf(ordinal),
					totalAfter: block.totalsAfter === true && !dimension.isLeaf(ordinal),
					guidance: block.guidance?.[id] ?? ''
				};
			})
		);
	}
	// Over columns a heading stands above their names; a single row takes it for its name.
	const name = lines.length === 1 ? block.called || (axis === 'rows' ? block.heading : undefined) : undefined;
	if (name) lines[0]!.label = name;
	if (block.heading && (axis === 'columns' || lines.length > 1)) for (const line of lines) line.heading = block.heading;
	const nested = axis === 'rows' && block.parts.length > 1 ? underTheirNames(block, lines) : lines;
	return axis === 'rows' && block.heading && lines.length > 1 ? [blankLine(block, block.heading), ...nested] : nested;
}

/** Places in which each line follows those deeper than it that stand after it: totals after what they add up. */
function afterWhatTheyAdd(depths: readonly number[]): number[] {
	const order: number[] = [];
	const open: number[] = [];
	depths.forEach((depth, index) => {
		while (open.length > 0 && depths[open.at(-1)!]! >= depth) order.push(open.pop()!);
		open.push(index);
	});
	while (open.length > 0) order.push(open.pop()!);
	return order;
}

const isSorted = ({ sort }: CellBlock): boolean => sort === 'name' || sort === 'code';

function sorted(dimension: Dimension, ordinals: number[], block: CellBlock): number[] {
	if (!isSorted(block)) return ordinals;
	const key = block.sort as 'name' | 'code';
	return [...ordinals].sort((a, b) => dimension.member(a)[key].localeCompare(dimension.member(b)[key], 'en', { numeric: true }));
}

/** Puts a line with the outer members' names before the lines nested under them. */
function underTheirNames(block: CellBlock, lines: readonly FormLine[]): FormLine[] {
	const found: FormLine[] = [];
	let last = '';
	for (const line of lines) {
		const names = line.above.join(' · ');
		if (names !== last) found.push({ ...blankLine(block, names), parent: true });
		last = names;
		found.push({ ...line, depth: line.depth + 1 });
	}
	return found;
}

/** The lines of another block run up since the start of a level. */
const toDateLines = (block: DerivedBlock, lines: readonly FormLine[]): FormLine[] =>
	lines.map((line) => ({
		...line,
		block: block.id,
		label: lines.length === 1 ? block.label : line.label,
		heading: lines.length === 1 ? '' : block.label,
		readOnly: true,
		emphasis: block.emphasis ?? [],
		decimals: block.decimals ?? line.decimals,
		width: block.width ?? line.width
	}));

function deriveLines(
	block: DerivedBlock,
	linesOf: ReadonlyMap<number, number[]>,
	blocks: readonly AxisBlock[],
	axis: string,
	faults: string[]
): FormLine[] {
	const { derivation, label } = block;
	const operands =
		derivation.how === 'expression'
			? [...new Set(readsOf(derivation.expression).map(({ member }) => member))]
			: derivation.how === 'to date'
				? []
				: [derivation.of, derivation.base];
	const places = operands.map((id) => linesOf.get(id) ?? []);
	const currencies = new Set(operands.map((id) => currencyOfBlock(blocks, id)));
	// An expression may want two currencies: one divided by the other is a rate.
	if (derivation.how !== 'expression' && currencies.size > 1) {
		faults.push(`${label}: its groups of ${axis} are read in different currencies, so they cannot be compared.`);
		return [];
	}
	const count = places.reduce((most, { length }) => Math.max(most, length), operands.length === 0 ? 1 : 0);
	if (places.some(({ length }) => length === 0)) {
		faults.push(`${label}: it is made of a group of ${axis} that does not stand before it.`);
		return [];
	}
	if (places.some(({ length }) => length !== count && length !== 1)) {
		faults.push(`${label}: its groups of ${axis} have ${places.map(({ length }) => length).join(' and ')} lines, so they do not match.`);
		return [];
	}
	return Array.from({ length: count }, (_, line) => {
		const at = (operand: number) => places[operand]![places[operand]!.length === 1 ? 0 : line]!;
		return {
			...blankLine(block, label),
			kind: 'derived' as const,
			parent: true,
			derive: derivedLine(derivation, label, operands, at)
		};
	});
}

/** In which currency a block is read, or what it is made of, where that says so itself. */
function currencyOfBlock(blocks: readonly AxisBlock[], id: number): string | undefined {
	const at = blocks.findIndex((each) => each.id === id);
	const block = blocks[at];
	if (block?.kind === 'cells') return block.reading?.currency;
	// What it is made of stands before it.
	return block?.kind === 'derived' && block.derivation.how !== 'expression'
		? currencyOfBlock(blocks.slice(0, at), block.derivation.of)
		: undefined;
}

function derivedLine(
	derivation: DerivedBlock['derivation'],
	label: string,
	operands: readonly number[],
	at: (operand: number) => number
): DerivedLine {
	switch (derivation.how) {
		case 'expression':
			return {
				kind: 'expression',
				label,
				expression: derivation.expression,
				percent: derivation.percent ?? false,
				lines: new Map(operands.map((id, operand) => [id, at(operand)]))
			};
		case 'share':
			return { kind: 'share', label, of: at(0), whole: at(1) };
		case 'difference':
		case '% difference':
			return { kind: derivation.how, label, of: at(0), base: at(1) };
		default:
			throw new Error('a block to date is read, not computed');
	}
}

/** Tree depth counted among the selected members only, so that a selection of leaves is not indented. */
function depthsAmong(dimension: Dimension, ordinals: readonly number[]): number[] {
	const selected = new Set(ordinals);
	return ordinals.map((ordinal) => dimension.tree.ancestors(ordinal).filter((above) => selected.has(above)).length);
}
