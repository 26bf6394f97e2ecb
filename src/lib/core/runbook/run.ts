import type { LineTrace } from '../allocation';
import type { CellPlace } from '../cell';
import { addsUp, isTranslated, NOTHING, rateUse, translationFactors, WorkCube, type Block, type ChangedSeries, type Cube } from '../cube';
import { factPeriod, type Model } from '../model';
import { isEmpty, Sum } from '../number';
import { runAssignments, RunFault, ScriptNames, type Assignment, type ParameterValue, type Scope } from '../script';
import { namedKey, type MembersNamed } from './answers';
import type { Clears, Step } from './definition';
import { leaveAside, putBack, removeEarlier, resultsRead, type LeftAside, type ResultOrigin } from './earlier-results';
import { originModeOf, recordOf } from './kinds';
import type { Proof } from './kinds/proof';
import { reachOf, type Reach } from './reach';
import { isAddressIn, leafOfPlace } from './slice';

/** What a run needs to know. */
export interface RunOrder {
	steps: readonly Step[];
	values: ReadonlyMap<string, ParameterValue>;
	/** Members (ids) by the name of a variable or parameter. */
	variables: ReadonlyMap<string, number>;
	/** The origin under which each step writes. */
	originOf: ReadonlyMap<number, number>;
	/** The members this run is for. */
	named?: MembersNamed;
	/** All origins that results of this runbook stand under. */
	results: readonly ResultOrigin[];
	/** By origin of any runbook's results: the origins whose results its last run read. */
	readBy?: ReadonlyMap<number, readonly number[]>;
	/** Steps (ids) that are carried out; the others' results stay. All without. */
	only?: ReadonlySet<number>;
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
	/** Takes how a step (id) shared out, to be kept with the run. */
	traced?: (step: number, trace: LineTrace) => void;
}

/** What one step did. */
export interface StepLog {
	step: number;
	name: string;
	kind: Step['kind'];
	written: number;
	/** Cells it set to nothing, which sets aside what stood there. */
	emptied: number;
	/** Cells where an entry stands above what it wrote, and where a lower step's result does. */
	kept: number;
	beneath: number;
	/** Cells taken away that an earlier run had written for other members. */
	replaced: number;
	skipped: number;
	/** What else is to be said. */
	notes: string[];
	/** Why cells were left out, and how many; the most frequent first. */
	reasons: { reason: string; cells: number }[];
	missingRates: number;
	/** Of an allocation: that what went in went somewhere. */
	proof?: Proof;
	milliseconds: number;
}

/** An account's amounts over the cells a run changed, before and after. */
export interface AccountTotal {
	account: number;
	/** Empty for what does not add up: prices, percents, choices. */
	before: number;
	after: number;
	/** The currency they are stated in; null where nothing is translated. */
	currency: string | null;
	/** Whether a rate was missing, so that something is left out. */
	incomplete: boolean;
	cells: number;
}

/** A cell before and after; empty as NaN. */
export interface SampleCell extends CellPlace {
	before: number;
	after: number;
}

export interface RunResult {
	changes: ChangedSeries[];
	/** By the origin of each step that ran: the origins of results it read. */
	reads: Map<number, number[]>;
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

/** Sample cells that a preview shows. */
const SAMPLES = 40;

/** A refusal that ends the run, where it is set to stop. */
const MOST_REASONS = 20;

/**
 * Carries out the steps of a runbook on a cube, one after another, each seeing what those before it wrote. What the same
 * steps wrote before in the periods they reach is removed first; what else stands of theirs, of steps beneath them, and of
 * steps that read one of these, they leave aside at the cells they set. So running twice changes nothing. The cube is put
 * back as it was: the changes are what is to be stored.
 * @throws RunFault with a sentence naming the step
 */
export function runSteps(model: Model, cube: Cube, order: RunOrder): RunResult {
	const work = new WorkCube(cube);
	const log: StepLog[] = [];
	const reads = new Map<number, number[]>();
	let known: ScriptNames | undefined;
	const names = () => (known ??= new ScriptNames(model));
	const running = order.steps.filter((step) => step.active && (!order.only || order.only.has(step.id)));
	const reaches = new Map(running.map((step) => [step.id, reachOf(model, step, { ...order, names })]));
	try {
		const replaced = removeEarlier(
			model,
			work,
			order.only ? order.results.filter(({ step }) => reaches.has(step)) : order.results,
			order.named ?? {},
			ownOrigins(order),
			new Map([...reaches].map(([step, { periods }]) => [step, periods])),
			{
				...order,
				// What is written as a whole is not left half standing either.
				closed: (id, address, leaf, reason) => {
					const step = running.find((each) => each.id === id);
					if (step && recordOf(step).isWhole) throw refusal(model, step, address, leaf, reason);
				}
			}
		);
		for (const step of running) {
			order.progress(step.id);
			const reach = reaches.get(step.id)!;
			const origin = order.originOf.get(step.id);
			const left = leaveAsideFor(model, work, order, step, reach);
			if (origin !== undefined) reads.set(origin, [...resultsRead(model, work, foreignResults(model, order), reach.reads)]);
			const entry = runStep(model, work, step, reach, order);
			putBack(work, left);
			if (origin !== undefined) finish(model, work, step, reach, origin, order, entry);
			entry.replaced = replaced.get(step.id) ?? 0;
			log.push(entry);
		}
		const changes = work.changes();
		return { changes, log, reads, ...compare(model, work, changes, order.wantsFigures ?? false) };
	} finally {
		work.restore();
	}
}

/** Ends a run at a cell that may not be written. */
const refusal = (model: Model, step: Step, address: Int32Array, leaf: number, reason: string): RunFault =>
	new RunFault(
		`${step.name}: ${model.accounts.member(address[model.accountAxis]!).name}, ${model.periods.dimension.member(model.periods.leaf(leaf).ordinal).name}, cannot be written. ${reason}`
	);

/** The origins under which these steps write now, and those of steps that are gone for the same members. */
function ownOrigins({ results, originOf, named }: RunOrder): Set<number> {
	const key = namedKey(named ?? {});
	return new Set([...originOf.values(), ...results.filter((each) => namedKey(each.named) === key).map(({ origin }) => origin)]);
}

/**
 * Leaves aside what a step must not read: where it sets, what would feed on itself; where it adds, what steps beneath it have
 * added to what it reads: they come after it.
 */
function leaveAsideFor(model: Model, work: WorkCube, order: RunOrder, step: Step, { writes, reads }: Reach): LeftAside[] {
	const mode = originModeOf(step);
	if (mode === 'sets') return leaveAside(model, work, asideOf(model, order, step), writes);
	if (mode !== 'adds') return [];
	const from = order.steps.findIndex(({ id }) => id === step.id);
	const beneath = new Set(order.steps.slice(from).map(({ id }) => id));
	const additions = order.results.filter((each) => beneath.has(each.step) && model.origin(each.origin)?.mode === 'adds');
	return leaveAside(model, work, new Set(additions.map(({ origin }) => origin)), reads);
}

/** What a step leaves aside at the cells it sets: its own results, those of steps beneath it, and of steps that read these. */
function asideOf(model: Model, { steps, results, readBy }: RunOrder, step: Step): Set<number> {
	const beneath = new Set(steps.slice(steps.findIndex(({ id }) => id === step.id)).map(({ id }) => id));
	const above = new Set(results.filter((each) => !beneath.has(each.step)).map(({ origin }) => origin));
	const aside = new Set(results.filter((each) => beneath.has(each.step)).map(({ origin }) => origin));
	for (let grown = true; grown;) {
		grown = false;
		for (const [origin, read] of readBy ?? [])
			if (!aside.has(origin) && !above.has(origin) && model.origin(origin)?.mode === 'sets' && read.some((each) => aside.has(each))) {
				aside.add(origin);
				grown = true;
			}
	}
	return aside;
}

/** Results of other runbooks. */
function foreignResults(model: Model, { results }: RunOrder): Set<number> {
	const own = new Set(results.map(({ origin }) => origin));
	return new Set(model.definition.origins.filter(({ id, result }) => result !== undefined && !own.has(id)).map(({ id }) => id));
}

/**
 * After a step has written: empties what a copy found nothing for, forgets results of nothing that set nothing aside, and
 * counts where its results do not show.
 */
function finish(model: Model, work: WorkCube, step: Step, reach: Reach, origin: number, order: RunOrder, entry: StepLog): void {
	const sets = originModeOf(step) === 'sets';
	if (sets && recordOf(step).setsAll?.(step)) entry.emptied += emptyTheRest(model, work, reach.writes, origin, order);
	work.eachWritten(origin, (block, series, position, value, forget) => {
		if (value === NOTHING && !work.cube.hasOtherBase(block, series, position, origin)) return forget();
		if (!sets || !work.cube.isShared(block, series)) return;
		if (work.cube.hasEntry(block, series, position)) entry.kept++;
		else if (!work.cube.standingAt(block, series, position).has(origin)) entry.beneath++;
	});
}

/** A copy sets its whole target: where its source has nothing, what is loaded or computed there is set aside. */
function emptyTheRest(model: Model, work: WorkCube, targets: readonly Scope[], origin: number, order: RunOrder): number {
	let emptied = 0;
	const { cube } = work;
	const found: { address: Int32Array; year: number; position: number }[] = [];
	const address = new Int32Array(model.dimensions.length);
	const held = new Float64Array(cube.store.width);
	for (const { year, block } of cube.store.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			const scope = targets.find((each) => isAddressIn(each, address));
			if (!scope) continue;
			cube.heldAt(block, series, origin, held);
			const account = address[model.accountAxis]!;
			const { span } = model.scenario(address[model.scenarioAxis]!) ?? { span: { from: 0, to: -1 } };
			for (let position = 0; position < held.length; position++) {
				if (!isEmpty(held[position]!) || !cube.hasOtherBase(block, series, position, origin)) continue;
				const leaf = leafOfPlace(
					model,
					account,
					year,
					position,
					(each) => scope.periods?.[each] !== 0 && each >= span.from && each <= span.to
				);
				if (year !== 0 && (leaf === undefined || scope.periods?.[leaf] === 0 || leaf < span.from || leaf > span.to)) continue;
				const judged = leaf ?? factPeriod(model, address);
				if (model.live.at(account, address[model.scenarioAxis]!, judged) || order.whyNot(address, judged) !== undefined) continue;
				found.push({ address: address.slice(), year, position });
			}
		}
	for (const { address, year, position } of found) {
		order.breathe();
		work.write(origin, address, year, position, NOTHING);
		emptied++;
	}
	return emptied;
}

function runStep(model: Model, work: WorkCube, step: Step, reach: Reach, order: RunOrder): StepLog {
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
	recordOf(step).run?.(stepWork, step, reach);
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
	const totals = new Map<number, Omit<AccountTotal, 'before' | 'after'> & { before: Sum; after: Sum }>();
	const known = new Map<string, Float64Array>();
	const factorsOf = (address: Int32Array): Float64Array | undefined => {
		const facts = model.factsAt(address);
		const local = model.entityAxis < 0 ? model.definition.reportingCurrency : model.currencyOf(address[model.entityAxis]!);
		if (!facts || !isTranslated(facts) || local === model.definition.reportingCurrency) return undefined;
		const scenario = address[model.scenarioAxis]!;
		const key = `${local} ${scenario} ${rateUse(facts)}`;
		let factors = known.get(key);
		if (!factors) {
			const setAt = (period: number) => model.rateSetAt(scenario, period);
			known.set(key, (factors = translationFactors(model, local, model.definition.reportingCurrency, setAt, rateUse(facts))));
		}
		return factors;
	};
	const samples: SampleCell[] = [];
	const figures: RunResult['figures'] = [];
	let cells = 0;
	touched.forEach(({ address, year }, index) => {
		const changedBefore = cells;
		const account = address[model.accountAxis]!;
		let total = totals.get(account);
		const facts = model.account(account);
		if (!total) {
			const currency = facts && isTranslated(facts) ? model.definition.reportingCurrency : null;
			totals.set(account, (total = { account, currency, incomplete: false, cells: 0, before: new Sum(), after: new Sum() }));
		}
		const factors = factorsOf(address);
		/** In the one currency all amounts are stated in. */
		const stated = (value: number, position: number): number => {
			if (!factors) return value;
			const leaf = model.periods.at(year, position)?.index ?? factPeriod(model, address);
			if (isEmpty(factors[leaf]!)) total.incomplete = true;
			return value * factors[leaf]!;
		};
		for (let position = 0; position < width; position++) {
			const was = before[index * width + position]!;
			const is = after[index * width + position]!;
			if (!isEmpty(was)) total.before.add(stated(was, position));
			if (!isEmpty(is)) total.after.add(stated(is, position));
			if (was === is || (isEmpty(was) && isEmpty(is))) continue;
			cells++;
			total.cells++;
			if (samples.length < SAMPLES) samples.push({ address, year, position, before: was, after: is });
		}
		const range = [index * width, (index + 1) * width] as const;
		if (wantsFigures && cells > changedBefore)
			figures.push({ address, year, before: before.subarray(...range), after: after.subarray(...range) });
	});
	const told = [...totals.values()]
		.filter((total) => total.cells > 0)
		.map((total): AccountTotal => {
			const adds = addsUp(model, total.account);
			const orZero = (value: number) => (isEmpty(value) ? 0 : value);
			return {
				...total,
				before: adds ? orZero(total.before.value) : Number.NaN,
				after: adds ? orZero(total.after.value) : Number.NaN
			};
		});
	return { cells, figures, samples, totals: told };
}
