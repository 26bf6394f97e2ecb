import type { LineTrace } from '../allocation';
import { addsUp, NOTHING, type Cube, type WorkCube } from '../cube';
import { factPeriod, type Model } from '../model';
import { isEmpty } from '../number';
import { runAssignments, RunFault, type Assignment } from '../script';
import type { Clears, Step } from './definition';
import { recordOf } from './kinds';
import type { Proof } from './kinds/proof';
import type { RunOrder, StepLog } from './run';

/** What the kinds of step are given to work with. */
export interface StepWork {
	model: Model;
	cube: Cube;
	variables: ReadonlyMap<string, number>;
	number: (parameter: string) => number;
	write: (address: Int32Array, leaf: number, value: number) => void;
	/** A fact of all time. */
	writeFact: (address: Int32Array, value: number) => void;
	/** Counts a cell of the source that goes nowhere, with the reason. */
	leaveOut: (address: Int32Array, leaf: number, reason: string) => void;
	/** Puts a sentence into the log. */
	note: (words: string) => void;
	/** Many leaf periods of one address at once, by leaf; empty ones stay as they are. */
	writeAll: (address: Int32Array, values: Float64Array) => void;
	remove: (origin: number, address: Int32Array, year: number, position: number, leaf: number, value: number) => void;
	/** Works out the statements of a script. */
	assign: (assignments: readonly Assignment[]) => void;
	skip: (address: Int32Array, leaf: number, reason: string) => void;
	kindOf: (origin: number) => Clears;
	missingRate: () => void;
	breathe: () => void;
	/** What steps above have brought to a cell in this run. */
	broughtTo: (address: Int32Array, leaf: number) => number;
	/** Hands over the proof of an allocation. */
	prove: (proof: Proof) => void;
	/** Takes how each line of an allocation was shared out, where that is kept. */
	traced?: (trace: LineTrace) => void;
	fault: (message: string) => RunFault;
}

/** Most reasons that a log tells. */
const MOST_REASONS = 20;

/** Ends a run at a cell that may not be written. */
export const refusal = (model: Model, step: Step, address: Int32Array, leaf: number, reason: string): RunFault =>
	new RunFault(
		`${step.name}: ${model.accounts.member(address[model.accountAxis]!).name}, ${model.periods.dimension.member(model.periods.leaf(leaf).ordinal).name}, cannot be written. ${reason}`
	);

/** Prepares the work of a step: what it is given, what its log says as it works, and what closes that. */
export function openStep(
	model: Model,
	work: WorkCube,
	step: Step,
	order: RunOrder
): { stepWork: StepWork; entry: StepLog; close: () => void } {
	const began = performance.now();
	const reasons = new Map<string, number>();
	const entry: StepLog = {
		step: step.id,
		name: step.name,
		kind: step.kind,
		written: 0,
		emptied: 0,
		kept: 0,
		beneath: 0,
		replaced: 0,
		skipped: 0,
		notes: [],
		reasons: [],
		missingRates: 0,
		milliseconds: 0
	};
	const fault = (message: string) => new RunFault(`${step.name}: ${message}`);
	const stops = order.onRefused === 'stop' || recordOf(step).isWhole === true;
	const skip = (address: Int32Array, leaf: number, reason: string) => {
		if (stops) throw refusal(model, step, address, leaf, reason);
		leaveOut(reason);
	};
	const leaveOut = (reason: string) => {
		entry.skipped++;
		reasons.set(reason, (reasons.get(reason) ?? 0) + 1);
	};
	const origin = order.originOf.get(step.id);
	const above = new Set(
		order.steps
			.slice(
				0,
				order.steps.findIndex(({ id }) => id === step.id)
			)
			.flatMap(({ id }) => order.originOf.get(id) ?? [])
	);
	/** Whether a scenario does not speak about a period, so that nobody would see what is written: said, and no reason to stop. */
	const spans = model.scenarios.members.map((_, scenario) => model.scenario(scenario)?.span);
	const isMonthly = model.accounts.members.map((_, account) => (model.account(account)?.frequency ?? 'per period') === 'per period');
	const isBeside = (address: Int32Array, leaf: number): boolean => {
		const span = spans[address[model.scenarioAxis]!];
		if (!span || (leaf >= span.from && leaf <= span.to) || !isMonthly[address[model.accountAxis]!]) return false;
		leaveOut(`“${model.scenarios.member(address[model.scenarioAxis]!).name}” has no such period.`);
		return true;
	};
	const isLive = (address: Int32Array, leaf: number): boolean => {
		if (!model.live.has(address[model.accountAxis]!)) return false;
		if (!model.live.at(address[model.accountAxis]!, address[model.scenarioAxis]!, leaf)) return false;
		leaveOut(`${model.accounts.member(address[model.accountAxis]!).name} is computed by its formula there.`);
		return true;
	};
	/** A computed 0 on what adds up, and nothing, set aside what stands beneath and show blank. */
	const stored = (address: Int32Array, value: number): number =>
		(value === 0 && addsUp(model, address[model.accountAxis]!)) || isEmpty(value) ? NOTHING : value;
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
			if (isBeside(address, leaf) || isLive(address, leaf)) return;
			const reason = order.whyNot(address, leaf);
			if (reason !== undefined) return skip(address, leaf, reason);
			const { fiscalYear, position } = model.periods.leaf(leaf);
			const yearly = model.account(address[model.accountAxis]!)?.frequency === 'per year';
			work.write(origin!, address, fiscalYear, yearly ? 0 : position, stored(address, value));
			entry.written++;
		},
		writeFact: (address, value) => {
			const judged = factPeriod(model, address);
			const reason = order.whyNot(address, judged);
			if (reason !== undefined) return skip(address, judged, reason);
			work.write(origin!, address, 0, 0, stored(address, value));
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
					if (leaf === undefined || isEmpty(values[leaf]!) || isBeside(address, leaf) || isLive(address, leaf)) continue;
					const reason = order.whyNot(address, leaf);
					if (reason !== undefined) skip(address, leaf, reason);
					else {
						places[position] = stored(address, values[leaf]!);
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
		assign: (assignments) => {
			const { cells, missingRates } = runAssignments(model, work, assignments, origin!, {
				whyNot: order.whyNot,
				skipped: skip,
				breathe: order.breathe
			});
			entry.written += cells;
			entry.missingRates += missingRates;
		},
		skip,
		leaveOut: (_, __, reason) => leaveOut(reason),
		note: (words) => entry.notes.push(words),
		kindOf: order.kindOf,
		missingRate: () => entry.missingRates++,
		broughtTo: (address, leaf) => {
			const { fiscalYear, position } = model.periods.leaf(leaf);
			let brought = 0;
			for (const { origin: by, value } of above.size > 0 ? work.cube.contributions(address, fiscalYear, position) : [])
				if (above.has(by) && !isEmpty(value)) brought += value;
			return brought;
		},
		prove: (proof) => (entry.proof = proof),
		...(order.traced && { traced: (trace: LineTrace) => order.traced!(step.id, trace) }),
		breathe: order.breathe,
		fault
	};
	const close = () => {
		entry.reasons = [...reasons]
			.map(([reason, cells]) => ({ reason, cells }))
			.sort((one, other) => other.cells - one.cells)
			.slice(0, MOST_REASONS);
		entry.milliseconds = Math.round(performance.now() - began);
	};
	return { stepWork, entry, close };
}
