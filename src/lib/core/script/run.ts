import { Block, addsUp, NOTHING, type WorkCube } from '../cube';
import { factPeriod, inContinuation, laterScenarios, type Model } from '../model';
import { EMPTY, isEmpty } from '../number';
import { driversOf, operandsIn } from './domain';
import { readyTerm, type ReadyTerm } from './evaluate';
import { isReadByCells, type Reading } from './operand';
import { Shifts, type LeafPeriod, type PeriodRange } from '../calendar';
import type { Assignment, Operand } from './tree';

/** Cells a statement with `everywhere` fills at most. */
export const MOST_EVERYWHERE = 1_000_000;

/** What writing is asked and told. */
export interface Writing {
	/** Why a cell may not be written; undefined when it may. */
	whyNot: (address: Int32Array, leaf: number) => string | undefined;
	/** Told of each cell that is left out for that reason. */
	skipped: (address: Int32Array, leaf: number, reason: string) => void;
	/** Asked now and then; throws to end the run. */
	breathe: () => void;
}

export interface Written {
	cells: number;
	missingRates: number;
}

/** A run that cannot go on, with a sentence. */
export class RunFault extends Error {}

/**
 * Works out assignments in their order and writes the results under one origin. Where an assignment reads, in another
 * period, what this or a later one writes, they are worked out period by period. O(cells read and written).
 * @throws RunFault when a statement would fill too many cells
 */
export function runAssignments(
	model: Model,
	work: WorkCube,
	assignments: readonly Assignment[],
	origin: number,
	writing: Writing
): Written {
	const shifts = new Shifts(model.periods);
	const missingRates = { count: 0 };
	const reading: Reading = { model, cube: work.cube, shifts, missingRates };
	let cells = 0;
	for (const group of periodGroups(model, assignments)) {
		if (group.length === 1 && !isRecurrent(model, group)) cells += runOne(reading, work, group[0]!, origin, writing);
		else cells += runByPeriod(reading, work, group, origin, writing);
	}
	return { cells, missingRates: missingRates.count };
}

/** Assignments that must go period by period together, and those that stand alone, in order. O(operands × assignments of an account). */
export function periodGroups(model: Model, assignments: readonly Assignment[]): Assignment[][] {
	const groups: Assignment[][] = [];
	const writers = writersOf(assignments);
	for (let first = 0; first < assignments.length;) {
		let last = first;
		for (let at = first; at <= last; at++)
			for (const operand of operandsIn(assignments[at]!.term))
				if (operand.shift)
					for (const other of writers.get(operand.account) ?? [])
						if (other > last && meets(model, operand, assignments[other]!)) last = other;
		groups.push(assignments.slice(first, last + 1));
		first = last + 1;
	}
	return groups;
}

/** Places of the assignments that write each account. */
function writersOf(assignments: readonly Assignment[]): Map<number, number[]> {
	const writers = new Map<number, number[]>();
	assignments.forEach(({ account }, place) => writers.set(account, [...(writers.get(account) ?? []), place]));
	return writers;
}

/** Whether some assignment reads, in another period, what one of them writes. */
function isRecurrent(model: Model, group: readonly Assignment[]): boolean {
	const writers = writersOf(group);
	return group.some(({ term }) =>
		operandsIn(term).some(
			(operand) => operand.shift !== undefined && (writers.get(operand.account) ?? []).some((place) => meets(model, operand, group[place]!))
		)
	);
}

/** Whether an operand may read what an assignment to its account writes: not where it looks at members that are not written. */
function meets(model: Model, { axes }: Operand, { scope }: Assignment): boolean {
	for (const [axis, where] of axes) {
		const allowed = scope.axes.get(axis);
		if (where.kind === 'member' && allowed?.[where.ordinal] === 0) return false;
		if (where.kind === 'of' && allowed && !model.dimensions[axis]!.leavesOf(where.ordinal).some((leaf) => allowed[leaf] === 1))
			return false;
	}
	return true;
}

/**
 * Why assignments cannot be put in an order of periods, in a sentence; undefined when they can: looking back and ahead
 * at each other's results, or reading totals of what they write.
 */
export function orderFault(model: Model, assignments: readonly Assignment[]): { assignment: Assignment; message: string } | undefined {
	for (const group of periodGroups(model, assignments)) {
		if (!isRecurrent(model, group)) continue;
		const writers = writersOf(group);
		const signs = new Set<number>();
		for (const assignment of group)
			for (const operand of operandsIn(assignment.term)) {
				const { account, shift, span, period } = operand;
				const isTouched = model.accounts
					.leavesOf(account)
					.some((leaf) => (writers.get(leaf) ?? []).some((place) => meets(model, operand, group[place]!)));
				if (!isTouched) continue;
				if (span || period !== undefined || !isReadByCells(model, operand))
					return {
						assignment,
						message: `“${model.accounts.member(account).name}” is read as a total while it is being written. Put the total into a step of its own, before this one.`
					};
				if (shift) signs.add(Math.sign(shift.by));
			}
		if (signs.size > 1)
			return {
				assignment: group[0]!,
				message: 'These statements look back and ahead at each other’s results: there is no order of periods for both.'
			};
	}
	return undefined;
}

function runOne(reading: Reading, work: WorkCube, assignment: Assignment, origin: number, writing: Writing): number {
	const { model } = reading;
	const term = readyTerm(reading, assignment);
	const { width } = model.periods;
	const values = new Float64Array(width);
	const sets = new Uint8Array(width);
	let cells = 0;
	const years = yearsOf(model, assignment);
	const readsItself = isReadItself(model, assignment);
	eachCandidate(reading, assignment, term, writing, (address) => {
		term.target(address);
		const span = spanOf(model, address);
		const fact = isFact(model, address) ? factPeriod(model, address) : undefined;
		for (const { year, leaves } of years) {
			let any = false;
			sets.fill(0);
			for (const { leaf, position } of leaves) {
				if (leaf < span.from || leaf > span.to || isComputed(model, address, leaf) || !term.isThere(leaf)) continue;
				const found = term.value(leaf);
				const value = result(found);
				if (isEmpty(value) && !setsNothing(work, term, found, address, year, leaf)) continue;
				const reason = writing.whyNot(address, fact ?? leaf);
				if (reason !== undefined) {
					writing.skipped(address, fact ?? leaf, reason);
					continue;
				}
				values[position] = toStore(work, model, address, year, position, value, readsItself);
				sets[position] = 1;
				any = true;
				cells++;
			}
			if (any) work.writePlaces(origin, address, year, values, sets);
		}
	});
	return cells;
}

/** The same for statements that look at each other's results of other periods: all of them a period at a time. */
function runByPeriod(reading: Reading, work: WorkCube, group: readonly Assignment[], origin: number, writing: Writing): number {
	const { model } = reading;
	const ready = group.map((assignment) => ({ assignment, term: readyTerm(reading, assignment) }));
	// Results of one may be what another starts from: every address any of them may stand at.
	const addresses = new Block(model.dimensions.length, 1);
	for (const { assignment, term } of ready)
		eachCandidate(reading, assignment, term, writing, (address) => {
			const account = address[model.accountAxis]!;
			address[model.accountAxis] = 0;
			addresses.ensure(address);
			address[model.accountAxis] = account;
		});
	const writers = writersOf(group);
	const backwards = group.some(({ term }) =>
		operandsIn(term).some(
			(operand) =>
				operand.shift !== undefined &&
				operand.shift.by > 0 &&
				(writers.get(operand.account) ?? []).some((place) => meets(model, operand, group[place]!))
		)
	);
	const leaves = backwards ? model.periods.leaves.toReversed() : model.periods.leaves;
	const places = ready.map(({ assignment, term }) => {
		const { account, scope } = assignment;
		return {
			account,
			term,
			/** The cell that is worked out: each statement's own, as its readers keep it. */
			address: new Int32Array(model.dimensions.length),
			axes: [...scope.axes].filter(([axis]) => axis !== model.accountAxis),
			turns: turnsOf(model, assignment),
			readsItself: isReadItself(model, assignment),
			isIn: true,
			span: { from: 0, to: -1 }
		};
	});
	type Place = (typeof places)[number];
	let cells = 0;
	const go = (place: Place, at: number): void => {
		const { address, account, axes, term } = place;
		addresses.readAddress(at, address);
		place.isIn = axes.every(([axis, allowed]) => allowed[address[axis]!] === 1);
		if (!place.isIn) return;
		address[model.accountAxis] = account;
		place.span = spanOf(model, address);
		term.target(address);
	};
	const workOut = ({ address, term, turns, isIn, span, readsItself }: Place, { index: leaf }: LeafPeriod): void => {
		const turn = turns[leaf];
		if (!isIn || !turn || leaf < span.from || leaf > span.to || isComputed(model, address, leaf) || !term.isThere(leaf)) return;
		const found = term.value(leaf);
		const value = result(found);
		if (isEmpty(value) && !setsNothing(work, term, found, address, turn.year, leaf)) return;
		const judged = isFact(model, address) ? factPeriod(model, address) : leaf;
		const reason = writing.whyNot(address, judged);
		if (reason !== undefined) return writing.skipped(address, judged, reason);
		work.write(origin, address, turn.year, turn.position, toStore(work, model, address, turn.year, turn.position, value, readsItself));
		cells++;
	};
	if (stayAtAddress(model, group))
		// An address at a time, its series at hand, as no statement looks at what is written at another one.
		for (const scenario of inContinuation(model))
			for (let at = 0; at < addresses.count; at++) {
				if (addresses.coordinates[model.scenarioAxis]![at] !== scenario) continue;
				if (at % BREATH === 0) writing.breathe();
				for (const place of places) go(place, at);
				for (const leaf of leaves) for (const place of places) workOut(place, leaf);
			}
	else
		for (const leaf of leaves) {
			writing.breathe();
			for (const place of places)
				for (let at = 0; at < addresses.count; at++) {
					go(place, at);
					workOut(place, leaf);
				}
		}
	return cells;
}

/** Whether every statement reads what the group writes at its own address only, so that addresses may go one by one. */
function stayAtAddress(model: Model, group: readonly Assignment[]): boolean {
	const written = new Set(group.map(({ account }) => account));
	const followsFromWritten = (account: number) => [...model.live.followedFrom(account)].some((each) => written.has(each));
	return group.every(({ term }) =>
		operandsIn(term).every(({ account, axes }) =>
			axes.size === 0 && model.accounts.isLeaf(account)
				? model.live.staysAtAddress(account)
				: !model.accounts.leavesOf(account).some(followsFromWritten)
		)
	);
}

/** A computed 0, and what is no number, is empty. */
const result = (value: number): number => (value === 0 || value - value !== 0 ? EMPTY : value);

/**
 * Whether a result that shows blank is to be kept: only where anything at all was ever kept can it set something aside. What
 * fills everything sets to nothing only where it comes to 0 or has operands.
 */
function setsNothing({ cube }: WorkCube, term: ReadyTerm, found: number, address: Int32Array, year: number, leaf: number): boolean {
	if (found !== 0 && !term.hasOperands(leaf)) return false;
	const block = cube.store.blockOf(address, year);
	return block !== undefined && block.find(address) >= 0;
}

/** Whether a statement reads the very cell it sets. */
function isReadItself(model: Model, { account, term, scope }: Assignment): boolean {
	return operandsIn(term).some(
		({ account: read, axes, shift, span, period }) =>
			read === account &&
			!shift &&
			!span &&
			period === undefined &&
			[...axes].every(([axis, where]) => {
				const allowed = scope.axes.get(axis);
				return (
					where.kind === 'member' &&
					allowed?.[where.ordinal] === 1 &&
					allowed.every((each, ordinal) => each === 0 || ordinal === where.ordinal)
				);
			})
	);
}

/**
 * What is stored so that a cell shows a result: where the cell itself was read, the additions it read are taken off. A
 * result of nothing is kept as such, as it sets aside what stands there.
 */
function toStore(
	work: WorkCube,
	model: Model,
	address: Int32Array,
	year: number,
	position: number,
	value: number,
	readsItself: boolean
): number {
	if (readsItself && model.hasAdditions && addsUp(model, address[model.accountAxis]!)) {
		const block = work.cube.store.blockOf(address, year);
		const series = block ? block.find(address) : -1;
		const added = series < 0 ? EMPTY : work.cube.addedAt(block!, series, position);
		if (!isEmpty(added)) return (isEmpty(value) ? 0 : value) - added;
	}
	return isEmpty(value) ? NOTHING : value;
}

/**
 * The leaf periods a scenario speaks about: nothing is written beside them, where nobody would see it. Facts of the year or
 * of all time have no month of their own.
 */
function spanOf(model: Model, address: Int32Array): PeriodRange {
	const isMonthly = (model.account(address[model.accountAxis]!)?.frequency ?? 'per period') === 'per period';
	const span = isMonthly ? model.scenario(address[model.scenarioAxis]!)?.span : undefined;
	return span ?? { from: 0, to: model.periods.leaves.length - 1 };
}

const isComputed = (model: Model, address: Int32Array, leaf: number): boolean =>
	model.live.at(address[model.accountAxis]!, address[model.scenarioAxis]!, leaf) !== undefined;

/** The leaf periods an assignment writes, by fiscal year; facts of the year or of all time have one place. */
function yearsOf(model: Model, { account, scope }: Assignment): { year: number; leaves: { leaf: number; position: number }[] }[] {
	const frequency = model.account(account)?.frequency ?? 'per period';
	const years = new Map<number, { leaf: number; position: number }[]>();
	for (const { index, fiscalYear, position } of model.periods.leaves) {
		if (scope.periods && scope.periods[index] === 0) continue;
		const year = frequency === 'timeless' ? 0 : fiscalYear;
		const known = years.get(year);
		if (!known) years.set(year, [{ leaf: index, position: frequency === 'per period' ? position : 0 }]);
		else if (frequency === 'per period') known.push({ leaf: index, position });
	}
	return [...years].map(([year, leaves]) => ({ year, leaves }));
}

/** The same by leaf period: where its result is kept; undefined where it has no turn. */
function turnsOf(model: Model, assignment: Assignment): ({ year: number; position: number } | undefined)[] {
	const turns: ({ year: number; position: number } | undefined)[] = [];
	for (const { year, leaves } of yearsOf(model, assignment)) for (const { leaf, position } of leaves) turns[leaf] = { year, position };
	return turns;
}

/** Whether an account holds one value for all time. */
const isFact = (model: Model, address: Int32Array): boolean => model.account(address[model.accountAxis]!)?.frequency === 'timeless';

/** How often a long enumeration lets the caller look up. */
const BREATH = 4_096;

/** Calls back once with every address at which an assignment may write; the address is reused and may be changed meanwhile. */
function eachCandidate(
	reading: Reading,
	assignment: Assignment,
	term: ReadyTerm,
	writing: Writing,
	visit: (address: Int32Array) => void
): void {
	const { model } = reading;
	const { account, scope, everywhere } = assignment;
	const candidates = new Block(model.dimensions.length, 1);
	const target = new Int32Array(model.dimensions.length);
	const allowedOn = (axis: number): readonly number[] => {
		const allowed = scope.axes.get(axis);
		return allowed ? [...allowed.keys()].filter((ordinal) => allowed[ordinal] === 1) : [];
	};
	const axes = model.dimensions.map((_, axis) => axis).filter((axis) => axis !== model.accountAxis);
	const accountAllowed = scope.axes.get(model.accountAxis);
	if (accountAllowed && accountAllowed[account] === 0) return;
	target[model.accountAxis] = account;
	/** Fills the axes from `at` on: with the options of each. */
	const spread = (optionsOf: (axis: number) => readonly number[], at: number): void => {
		if (at === axes.length) {
			candidates.ensure(target);
			if (candidates.count > MOST_EVERYWHERE)
				throw new RunFault(`This statement would write to more than ${MOST_EVERYWHERE.toLocaleString('en')} places. Narrow its scope.`);
			return;
		}
		const axis = axes[at]!;
		for (const ordinal of optionsOf(axis)) {
			target[axis] = ordinal;
			spread(optionsOf, at + 1);
		}
	};
	if (everywhere) {
		const free = axes.find((axis) => !scope.axes.has(axis));
		if (free !== undefined)
			throw new RunFault(
				`“everywhere” fills the whole scope, but ${model.dimensions[free]!.name} is not named in it. Name its members in a within.`
			);
		const size = axes.reduce((product, axis) => product * allowedOn(axis).length, 1);
		if (size > MOST_EVERYWHERE)
			throw new RunFault(
				`“everywhere” would fill ${size.toLocaleString('en')} places; at most ${MOST_EVERYWHERE.toLocaleString('en')} are filled. Narrow the scope.`
			);
		spread(allowedOn, 0);
	} else {
		const drivers = new Set(driversOf(model, assignment.term, assignment));
		let visited = 0;
		for (const operand of drivers) {
			const reader = term.reader(operand);
			const spreads = new Map([...operand.axes.keys()].map((axis) => [axis, allowedOn(axis)]));
			const own = axes.filter((axis) => !spreads.has(axis));
			const limits = own.flatMap((axis) => (scope.axes.has(axis) ? [{ axis, allowed: scope.axes.get(axis)! }] : []));
			const spreadAxes = axes.filter((axis) => spreads.has(axis));
			// What looks back from the first periods of a scenario sees the one it continues from.
			const looksBack = operand.shift !== undefined || operand.span?.to === 'here';
			const continued = looksBack && own.includes(model.scenarioAxis) ? laterScenarios(model) : undefined;
			const take = (source: Int32Array, scenario: number): void => {
				for (const { axis, allowed } of limits) if (allowed[axis === model.scenarioAxis ? scenario : source[axis]!] === 0) return;
				for (const axis of own) target[axis] = source[axis]!;
				if (own.includes(model.scenarioAxis)) target[model.scenarioAxis] = scenario;
				fill(spreads, spreadAxes, 0);
			};
			reader.eachSource((source) => {
				if (++visited % BREATH === 0) writing.breathe();
				const scenario = source[model.scenarioAxis]!;
				take(source, scenario);
				for (const later of continued?.get(scenario) ?? []) take(source, later);
			});
		}
	}
	function fill(spreads: ReadonlyMap<number, readonly number[]>, spreadAxes: readonly number[], at: number): void {
		if (at === spreadAxes.length) {
			candidates.ensure(target);
			return;
		}
		for (const ordinal of spreads.get(spreadAxes[at]!)!) {
			target[spreadAxes[at]!] = ordinal;
			fill(spreads, spreadAxes, at + 1);
		}
	}
	const address = new Int32Array(model.dimensions.length);
	for (let place = 0; place < candidates.count; place++) {
		if (place % BREATH === 0) writing.breathe();
		visit(candidates.readAddress(place, address));
	}
}
