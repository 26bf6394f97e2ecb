import { eachSeriesOf, WorkCube, type Block, type ChangedSeries, type Cube } from '../cube';
import { factPeriod, type Model } from '../model';
import { isEmpty } from '../number';
import { checkScript, printScript, runAssignments, RunFault, ScriptNames, type ParameterValue } from '../script';
import { runClear } from './clear';
import { runCopy } from './copy';
import type { Clears, Step } from './definition';
import { runRollForward } from './roll-forward';
import { scopeOf } from './slice';

/** What a run needs to know. */
export interface RunOrder {
	steps: readonly Step[];
	values: ReadonlyMap<string, ParameterValue>;
	/** Members (ids) by the name of a variable or parameter. */
	variables: ReadonlyMap<string, number>;
	/** The origin under which each step writes. */
	originOf: ReadonlyMap<number, number>;
	/** What the runbook wrote before for the same answers: it is taken away first. */
	earlier: ReadonlySet<number>;
	kindOf: (origin: number) => Clears;
	/** Why a cell may not be written; undefined when it may. */
	whyNot: (address: Int32Array, leaf: number) => string | undefined;
	/** Whether cells that may not be written are left out, or end the run. */
	onRefused: 'skip' | 'stop';
	/** Called all the time; throws to end the run. */
	breathe: () => void;
	/** Told as steps begin. */
	progress: (step: number) => void;
	/** Whether the figures that change are wanted, one by one. */
	wantsFigures?: boolean;
}

/** What one step did. */
export interface StepLog {
	step: number;
	name: string;
	kind: Step['kind'];
	written: number;
	skipped: number;
	/** Why cells were left out, and how many; the most frequent first. */
	reasons: { reason: string; cells: number }[];
	missingRates: number;
	milliseconds: number;
}

/** An account's amounts over the cells a run changed, before and after. */
export interface AccountTotal {
	account: number;
	before: number;
	after: number;
	cells: number;
}

/** A cell before and after; empty as NaN. */
export interface SampleCell {
	address: Int32Array;
	year: number;
	position: number;
	before: number;
	after: number;
}

export interface RunResult {
	changes: ChangedSeries[];
	/** Cells whose figure is another one now. */
	cells: number;
	log: StepLog[];
	totals: AccountTotal[];
	samples: SampleCell[];
	/** Where that was asked for: where figures are other ones now, by series and in its year: what showed before, and what would. */
	figures: { address: Int32Array; year: number; before: Float64Array; after: Float64Array }[];
}

/** What the kinds of step are given to work with. */
export interface StepWork {
	model: Model;
	cube: Cube;
	variables: ReadonlyMap<string, number>;
	number: (parameter: string) => number;
	write: (address: Int32Array, leaf: number, value: number) => void;
	/** A fact of all time. */
	writeFact: (address: Int32Array, value: number) => void;
	/** Many leaf periods of one address at once, by leaf; empty ones stay as they are. */
	writeAll: (address: Int32Array, values: Float64Array) => void;
	remove: (origin: number, address: Int32Array, year: number, position: number, leaf: number, value: number) => void;
	skip: (address: Int32Array, leaf: number, reason: string) => void;
	kindOf: (origin: number) => Clears;
	missingRate: () => void;
	breathe: () => void;
	fault: (message: string) => RunFault;
}

/** Sample cells that a preview shows. */
const SAMPLES = 40;

/** A refusal that ends the run, where it is set to stop. */
const MOST_REASONS = 20;

/**
 * Carries out the steps of a runbook on a cube, one after another, each seeing what those before it wrote; what the same
 * runbook wrote before for the same answers is removed first, so that running twice changes nothing. The cube is put
 * back as it was: the changes are what is to be stored.
 * @throws RunFault with a sentence naming the step
 */
export function runSteps(model: Model, cube: Cube, order: RunOrder): RunResult {
	const work = new WorkCube(model, cube);
	const log: StepLog[] = [];
	try {
		removeEarlier(model, work, order);
		for (const step of order.steps) {
			if (!step.active) continue;
			order.progress(step.id);
			log.push(runStep(model, work, step, order));
		}
		const changes = work.changes();
		return { changes, log, ...compare(model, work, changes, order.wantsFigures ?? false) };
	} finally {
		work.restore();
	}
}

function removeEarlier(model: Model, work: WorkCube, order: RunOrder): void {
	if (order.earlier.size === 0) return;
	const found: { origin: number; address: Int32Array; year: number; values: Float64Array }[] = [];
	eachSeriesOf(model, work.cube, order.earlier, (origin, address, year, values) =>
		found.push({ origin, address: address.slice(), year, values })
	);
	for (const { origin, address, year, values } of found) {
		order.breathe();
		for (let position = 0; position < values.length; position++) {
			if (isEmpty(values[position]!)) continue;
			const leaf = model.periods.at(year, position)?.index ?? factPeriod(model, address);
			// What has been closed since keeps what it had.
			if (order.whyNot(address, leaf) === undefined) work.write(origin, address, year, position, Number.NaN);
		}
	}
}

function runStep(model: Model, work: WorkCube, step: Step, order: RunOrder): StepLog {
	const began = performance.now();
	const reasons = new Map<string, number>();
	const entry: StepLog = {
		step: step.id,
		name: step.name,
		kind: step.kind,
		written: 0,
		skipped: 0,
		reasons: [],
		missingRates: 0,
		milliseconds: 0
	};
	const fault = (message: string) => new RunFault(`${step.name}: ${message}`);
	const skip = (address: Int32Array, leaf: number, reason: string) => {
		if (order.onRefused === 'stop')
			throw fault(
				`${model.accounts.member(address[model.accountAxis]!).name}, ${model.periods.dimension.member(model.periods.leaf(leaf).ordinal).name}, cannot be written. ${reason}`
			);
		leaveOut(reason);
	};
	const leaveOut = (reason: string) => {
		entry.skipped++;
		reasons.set(reason, (reasons.get(reason) ?? 0) + 1);
	};
	const origin = order.originOf.get(step.id);
	/** Whether a scenario does not speak about a period, so that nobody would see what is written: said, and no reason to stop. */
	const spans = model.scenarios.members.map((_, scenario) => model.scenario(scenario)?.span);
	const isMonthly = model.accounts.members.map((_, account) => (model.account(account)?.frequency ?? 'per period') === 'per period');
	const isBeside = (address: Int32Array, leaf: number): boolean => {
		const span = spans[address[model.scenarioAxis]!];
		if (!span || (leaf >= span.from && leaf <= span.to) || !isMonthly[address[model.accountAxis]!]) return false;
		leaveOut(`“${model.scenarios.member(address[model.scenarioAxis]!).name}” has no such period.`);
		return true;
	};
	const places = new Float64Array(model.periods.width);
	const sets = new Uint8Array(model.periods.width);
	const stepWork: StepWork = {
		model,
		cube: work.cube,
		variables: order.variables,
		number: (parameter) => {
			const value = order.values.get(parameter);
			if (value?.kind !== 'number') throw fault(`$${parameter} is no number.`);
			return value.value;
		},
		write: (address, leaf, value) => {
			if (isBeside(address, leaf)) return;
			const reason = order.whyNot(address, leaf);
			if (reason !== undefined) return skip(address, leaf, reason);
			const { fiscalYear, position } = model.periods.leaf(leaf);
			const yearly = model.account(address[model.accountAxis]!)?.frequency === 'per year';
			work.write(origin!, address, fiscalYear, yearly ? 0 : position, value);
			entry.written++;
		},
		writeFact: (address, value) => {
			const judged = factPeriod(model, address);
			const reason = order.whyNot(address, judged);
			if (reason !== undefined) return skip(address, judged, reason);
			work.write(origin!, address, 0, 0, value);
			entry.written++;
		},
		writeAll: (address, values) => {
			if (model.account(address[model.accountAxis]!)?.frequency === 'per year')
				return values.forEach((value, leaf) => {
					if (!isEmpty(value)) stepWork.write(address, leaf, value);
				});
			for (const year of model.periods.years) {
				let any = false;
				sets.fill(0);
				for (let position = 0; position < sets.length; position++) {
					const leaf = model.periods.at(year, position)?.index;
					if (leaf === undefined || isEmpty(values[leaf]!) || isBeside(address, leaf)) continue;
					const reason = order.whyNot(address, leaf);
					if (reason !== undefined) skip(address, leaf, reason);
					else {
						places[position] = values[leaf]!;
						sets[position] = 1;
						any = true;
						entry.written++;
					}
				}
				if (any) work.writePlaces(origin!, address, year, places, sets);
			}
		},
		remove: (from, address, year, position, leaf, value) => {
			const reason = order.whyNot(address, leaf);
			if (reason !== undefined) return skip(address, leaf, reason);
			work.write(from, address, year, position, value);
			entry.written++;
		},
		skip,
		kindOf: order.kindOf,
		missingRate: () => entry.missingRates++,
		breathe: order.breathe,
		fault
	};
	switch (step.kind) {
		case 'copy':
			runCopy(stepWork, step);
			break;
		case 'roll-forward':
			runRollForward(stepWork, step);
			break;
		case 'clear':
			runClear(stepWork, step);
			break;
		case 'import':
			// Loaded before: what it brought is part of the cube.
			break;
		case 'formula': {
			const names = new ScriptNames(model);
			const text = printScript(model, step.script, names);
			const checked = checkScript(model, text, { names, parameters: order.values, scope: scopeOf(model, step.limits, order.variables) });
			const first = checked.faults[0];
			if (first) throw fault(`line ${text.slice(0, first.from).split('\n').length}: ${first.message}`);
			const { cells, missingRates } = runAssignments(model, work, checked.assignments, origin!, {
				whyNot: order.whyNot,
				skipped: skip,
				breathe: order.breathe
			});
			entry.written += cells;
			entry.missingRates += missingRates;
			break;
		}
		default:
			step satisfies never;
	}
	entry.reasons = [...reasons]
		.map(([reason, cells]) => ({ reason, cells }))
		.sort((one, other) => other.cells - one.cells)
		.slice(0, MOST_REASONS);
	entry.milliseconds = Math.round(performance.now() - began);
	return entry;
}

/** Figures of the changed cells now and, once the cube is put back, before. */
function compare(
	model: Model,
	work: WorkCube,
	changes: readonly ChangedSeries[],
	wantsFigures: boolean
): Pick<RunResult, 'cells' | 'totals' | 'samples' | 'figures'> {
	const { cube } = work;
	// Several origins may have changed one series.
	const seen = new Map<Block, Set<number>>();
	const touched = changes.filter(({ block, series }) => {
		let known = seen.get(block);
		if (!known) seen.set(block, (known = new Set()));
		return !known.has(series) && known.add(series);
	});
	const { width } = cube.store;
	const readAll = () => {
		const all = new Float64Array(touched.length * width);
		touched.forEach(({ block, series }, index) => {
			for (let position = 0; position < width; position++) all[index * width + position] = block.values[series * width + position]!;
		});
		return all;
	};
	const after = readAll();
	work.restore();
	const before = readAll();
	const totals = new Map<number, AccountTotal>();
	const samples: SampleCell[] = [];
	const figures: RunResult['figures'] = [];
	let cells = 0;
	touched.forEach(({ address, year }, index) => {
		const changedBefore = cells;
		const account = address[model.accountAxis]!;
		let total = totals.get(account);
		if (!total) totals.set(account, (total = { account, before: 0, after: 0, cells: 0 }));
		for (let position = 0; position < width; position++) {
			const was = before[index * width + position]!;
			const is = after[index * width + position]!;
			if (!isEmpty(was)) total.before += was;
			if (!isEmpty(is)) total.after += is;
			if (was === is || (isEmpty(was) && isEmpty(is))) continue;
			cells++;
			total.cells++;
			if (samples.length < SAMPLES) samples.push({ address, year, position, before: was, after: is });
		}
		const range = [index * width, (index + 1) * width] as const;
		if (wantsFigures && cells > changedBefore)
			figures.push({ address, year, before: before.subarray(...range), after: after.subarray(...range) });
	});
	return { cells, figures, samples, totals: [...totals.values()].filter((total) => total.cells > 0) };
}
