import { compileVectors, sameRead, type AccountRead, type Expression } from '../formula';
import { laterScenarios, stands, type LiveFormula, type LiveOperand, type Model } from '../model';
import { EMPTY, isEmpty } from '../number';
import { CHUNK, eachDriverSeries, eachMovingAddress, findBases, hasAlignedOperands, type Where } from './live';
import { LeafReader, liveMemo, placeRead, placeOfOperand } from './live-value';
import type { Reader, StoredReader } from './reader';
import type { Address, CellChange, CellPlace } from '../cell';
import type { Block } from './series-store';

/** A leaf cell that went from one value to another. */
type Moved = CellPlace;

/** The first `count` of some series, with the values of their results. */
export type TakeColumn = (series: Int32Array, count: number, before: Float64Array, after: Float64Array) => void;

/** Where results that moved are told. */
export interface ChangeSink {
	/** One result. The address may be reused. */
	cell: (address: Int32Array, year: number, position: number, before: number, after: number) => void;
	/**
	 * Takes many results of one account and period at once, whose other coordinates are those of a block's series: their
	 * values before and after, as computed. Undefined where none of them is of interest.
	 */
	column: (block: Block, account: number, scenario: number, year: number, position: number) => TakeColumn | undefined;
}

/**
 * Tells of every per-leaf result that moves when a stored leaf goes from one value to another, those that follow
 * from other results included. What is read at the result's own cell moves one result a formula; what is read at a fixed
 * place moves one at every address that reads it: O(series of the blocks concerned), by columns where operands are stored.
 */
export function eachLiveChange(reader: Reader, { address, year, position, before, after }: CellChange, sink: ChangeSink): void {
	const { model, cube, read } = reader;
	const { accountAxis, scenarioAxis } = model;
	const source = address[accountAxis]!;
	const readers = model.live.readers(source);
	const period = model.periods.at(year, position)?.index;
	if (readers.length === 0) return;
	// A stored value under a standing formula is not shown, so nothing follows from it.
	if (period !== undefined && model.live.hides(source, address[scenarioAxis]!, period)) return;
	const withValue =
		(value: number): StoredReader =>
		(at, atYear, atPosition) =>
			atYear === year && atPosition === position && sameAddress(at, address) ? value : read(at, atYear, atPosition);
	const [readBefore, readAfter] = [withValue(before), withValue(after)];
	const leaves = [readBefore, readAfter].map((stored) => new LeafReader(model, stored));
	const changed = reader.changedAddresses;
	const isFrozen = ({ account }: LiveFormula, inYear: number) => model.frozen?.touches(account, inYear) ?? false;
	/** By account: the source, and results that moved and are read in turn. */
	const moved = new Map<number, Moved[]>([[source, [{ address: Int32Array.from(address), year, position }]]]);

	for (const formula of readers) {
		if (formula.moving) continue;
		const seen = new Set<string>();
		const readInTurn = model.live.readers(formula.account).length > 0;
		const note = (target: Int32Array, atYear: number, atPosition: number, was: number, is: number) => {
			if (was === is || (isEmpty(was) && isEmpty(is))) return;
			sink.cell(target, atYear, atPosition, was, is);
			if (!readInTurn) return;
			const known = moved.get(formula.account) ?? [];
			known.push({ address: target.slice(), year: atYear, position: atPosition });
			moved.set(formula.account, known);
		};
		const consider = (target: Int32Array, atYear: number, atPosition: number) => {
			const leaf = model.periods.at(atYear, atPosition);
			const key = `${target.join()} ${atYear} ${atPosition}`;
			if (!leaf || seen.has(key) || !stands(formula, target[scenarioAxis]!, leaf.index)) return;
			seen.add(key);
			const [was, is] = leaves.map((each) => each.result(formula, target, atYear, atPosition));
			note(target, atYear, atPosition, was!, is!);
		};
		const onlySource = formula.operands.filter(({ account }) => moved.has(account)).length === 1;
		for (const operand of formula.operands)
			for (const cell of moved.get(operand.account) ?? []) {
				if (!operand.fixed.every(({ axis, ordinal }) => cell.address[axis] === ordinal)) continue;
				if (operand.fixed.length === 0) {
					const target = cell.address.with(accountAxis, formula.account);
					for (const place of placesRead(model, operand, cell)) consider(target, place.year, place.position);
				} else if (
					!readInTurn &&
					onlySource &&
					operand.account === source &&
					hasAlignedOperands(model, formula) &&
					!isFrozen(formula, year)
				)
					byColumns(formula, operand, cell, consider);
				else cellByCell(formula, operand, cell, consider);
			}
	}
	if (readers.some(({ moving }) => moving)) throughPeriods();

	/**
	 * What looks into other periods: from each cell that moved to those that read it, until nothing moves any more. Results
	 * are worked out from the stored values alone, so the order does not matter.
	 */
	function throughPeriods(): void {
		const [leavesBefore, leavesAfter] = [readBefore, readAfter].map((stored) => new LeafReader(model, stored, liveMemo(model)));
		const later = laterScenarios(model);
		const seen = new Set<string>();
		const queue = [...moved].flatMap(([account, cells]) => cells.map((cell) => ({ account, cell })));
		const consider = (formula: LiveFormula, target: Int32Array, leaf: number) => {
			const key = `${model.live.ordered.indexOf(formula)} ${target.join()} ${leaf}`;
			if (seen.has(key) || !stands(formula, target[scenarioAxis]!, leaf)) return;
			seen.add(key);
			const { fiscalYear, position: at } = model.periods.leaf(leaf);
			const was = leavesBefore!.result(formula, target, fiscalYear, at);
			const is = leavesAfter!.result(formula, target, fiscalYear, at);
			if (was === is || (isEmpty(was) && isEmpty(is))) return;
			const cell = { address: target.slice(), year: fiscalYear, position: at };
			sink.cell(cell.address, fiscalYear, at, was, is);
			queue.push({ account: formula.account, cell });
		};
		for (let next = queue.pop(); next; next = queue.pop()) {
			const { account, cell } = next;
			const own = cell.address[scenarioAxis]!;
			for (const formula of model.live.directReaders(account)) {
				if (!formula.moving) continue;
				for (const operand of formula.operands) {
					if (operand.account !== account || !operand.fixed.every(({ axis, ordinal }) => cell.address[axis] === ordinal)) continue;
					const isFree = !operand.fixed.some(({ axis }) => axis === scenarioAxis);
					const take = (target: Int32Array) => {
						for (let leaf = 0; leaf < model.periods.leaves.length; leaf++) {
							const place = placeRead(model, operand, target[scenarioAxis]!, leaf);
							if (place && place.year === cell.year && place.position === cell.position && (!isFree || place.scenario === own))
								consider(formula, target, leaf);
						}
					};
					if (operand.fixed.length > 0)
						eachMovingAddress(reader, formula, (target) => {
							if (readsFrom(operand, cell, (axis) => (axis === scenarioAxis ? own : target[axis]!))) take(target.slice());
						});
					else
						for (const scenario of [own, ...(operand.shift ? (later.get(own) ?? []) : [])])
							take(cell.address.with(accountAxis, formula.account).with(scenarioAxis, scenario));
				}
			}
		}
	}

	/** Every address that reads a cell at a fixed place, its drivers stored or drafted. */
	function cellByCell(formula: LiveFormula, operand: LiveOperand, cell: Moved, consider: (...place: [Int32Array, number, number]) => void) {
		const target = new Int32Array(model.dimensions.length);
		for (const place of placesRead(model, operand, cell)) {
			for (const { block } of blocksReading(operand, cell, place.year))
				eachDriverSeries(
					model,
					formula,
					block,
					(series) => {
						block.readAddress(series, target)[accountAxis] = formula.account;
						consider(target, place.year, place.position);
					},
					whereReaders(operand, cell, block)
				);
			changed?.eachWithoutSeries(cube, formula, (target, atYear) => {
				if (atYear === place.year && readsFrom(operand, cell, (axis) => target[axis]!)) consider(target, place.year, place.position);
			});
		}
	}

	/** The same where the other operands are stored too: the formula with the changed operand's two values in its place. */
	function byColumns(formula: LiveFormula, operand: LiveOperand, cell: Moved, consider: (...place: [Int32Array, number, number]) => void) {
		const placeOf = placeOfOperand(formula);
		const [was, is] = [before, after].map((value) => compileVectors(replace(formula.expression, operand.read, value), placeOf, CHUNK));
		const others = formula.operands.filter((each) => each !== operand);
		// Most often all else is read from the driver's own series: then nothing is to be looked up.
		const driver = formula.drivers.length === 1 ? formula.drivers[0] : undefined;
		const onlyDriver = others.every(({ account, fixed }) => account === driver && fixed.length === 0);
		const inputs = formula.operands.map(() => new Float64Array(CHUNK));
		const bases = new Int32Array(formula.operands.length).fill(-1);
		const offsets = new Int32Array(formula.operands.length);
		const driverPlace = formula.operands.findIndex((each) => each !== operand && each.account === driver);
		const driverInput = inputs[driverPlace] ?? new Float64Array(CHUNK);
		const chosen = new Int32Array(CHUNK);
		const target = new Int32Array(model.dimensions.length);
		/** Takes out those where the draft has something to say, which are worked out cell by cell. */
		const withoutDrafted = (drafts: (series: number) => boolean, block: Block, filled: number): number => {
			let kept = 0;
			for (let at = 0; at < filled; at++) {
				const series = chosen[at]!;
				if (!drafts(series)) chosen[kept++] = series;
				else {
					block.readAddress(series, target)[accountAxis] = formula.account;
					consider(target, cell.year, cell.position);
				}
			}
			return kept;
		};
		for (const { scenario, block } of blocksReading(operand, cell, cell.year)) {
			if (period === undefined || !stands(formula, scenario, period)) continue;
			const take = sink.column(block, formula.account, scenario, cell.year, cell.position);
			if (!take) continue;
			const drafts = changed?.testerFor(formula, block, cell.year, operand);
			let filled = 0;
			const flush = () => {
				const count = drafts ? withoutDrafted(drafts, block, filled) : filled;
				if (onlyDriver) gather(block, chosen, count, cell.position, driverInput);
				else
					for (let at = 0; at < count; at++) {
						findBases(model, formula, block, chosen[at]!, block.readAddress(chosen[at]!, target), bases, offsets, operand);
						for (let place = 0; place < bases.length; place++)
							inputs[place]![at] = bases[place]! < 0 ? EMPTY : block.values[bases[place]! + cell.position]!;
					}
				take(chosen, count, was!(inputs, count), is!(inputs, count));
				filled = 0;
			};
			const visit = (series: number) => {
				chosen[filled++] = series;
				if (filled === CHUNK) flush();
			};
			eachDriverSeries(model, formula, block, visit, whereReaders(operand, cell, block));
			if (filled > 0) flush();
		}
		changed?.eachWithoutSeries(cube, formula, (at, atYear) => {
			if (atYear === cell.year && readsFrom(operand, cell, (axis) => at[axis]!)) consider(at, cell.year, cell.position);
		});
	}

	/** The series of a block that read the cell: equal on every axis that is not fixed; the scenario is the block's own. */
	function whereReaders({ fixed }: LiveOperand, cell: Moved, block: Block): Where {
		const free = [...cell.address.keys()].filter(
			(axis) => axis !== accountAxis && axis !== scenarioAxis && !fixed.some((each) => each.axis === axis)
		);
		return { columns: free.map((axis) => block.coordinates[axis]!), wanted: Int32Array.from(free, (axis) => cell.address[axis]!) };
	}

	/** Blocks of a fiscal year whose cells may read a cell at a fixed place. */
	function* blocksReading({ fixed }: LiveOperand, cell: Moved, atYear: number) {
		const anyScenario = fixed.some(({ axis }) => axis === scenarioAxis);
		for (const each of cube.store.blocks())
			if (each.year === atYear && (anyScenario || each.scenario === cell.address[scenarioAxis])) yield each;
	}

	/** Whether a result reads the cell: equal on every axis that is not fixed. */
	function readsFrom({ fixed }: LiveOperand, cell: Moved, ordinalOn: (axis: number) => number): boolean {
		for (let axis = 0; axis < cell.address.length; axis++)
			if (axis !== accountAxis && ordinalOn(axis) !== cell.address[axis] && !fixed.some((each) => each.axis === axis)) return false;
		return true;
	}
}

/** The values of some series at one position, side by side. */
function gather({ values, width }: Block, series: Int32Array, count: number, position: number, into: Float64Array): void {
	for (let at = 0; at < count; at++) into[at] = values[series[at]! * width + position]!;
}

/** The periods in which a cell of an account is read: its own, all of its year, or all there are. */
function placesRead(model: Model, { account }: LiveOperand, { year, position }: Moved): { year: number; position: number }[] {
	const frequency = model.account(account)?.frequency ?? 'per period';
	if (frequency === 'per period') return [{ year, position }];
	return model.periods.leaves
		.filter(({ fiscalYear }) => frequency === 'timeless' || fiscalYear === year)
		.map(({ fiscalYear, position }) => ({ year: fiscalYear, position }));
}

/** Arithmetic with a number in the place of a read. */
function replace(expression: Expression, read: AccountRead, value: number): Expression {
	if (expression.kind === 'account') return sameRead(expression, read) ? { kind: 'number', value } : expression;
	if (expression.kind === 'negative') return { kind: 'negative', of: replace(expression.of, read, value) };
	if (expression.kind !== 'binary') return expression;
	return { ...expression, left: replace(expression.left, read, value), right: replace(expression.right, read, value) };
}

function sameAddress(one: Address, other: Address): boolean {
	for (let axis = 0; axis < one.length; axis++) if (one[axis] !== other[axis]) return false;
	return true;
}
