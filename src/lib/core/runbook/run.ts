import type { LineTrace } from '../allocation';
import { NOTHING, WorkCube, type ChangedSeries, type Cube } from '../cube';
import { factPeriod, leafOfPlace, type Model } from '../model';
import { isEmpty } from '../number';
import { RunFault, ScriptNames, type ParameterValue, type Scope } from '../script';
import { namedKey, type MembersNamed } from './answers';
import { compare, type AccountTotal, type SampleCell } from './compare';
import type { Clears, Step } from './definition';
import { clearResults, leaveAside, putBack, removeEarlier, resultsRead, type LeftAside, type ResultOrigin } from './earlier-results';
import { originModeOf, recordOf } from './kinds';
import { runAllocationsTogether } from './kinds/allocation';
import type { Proof } from './kinds/proof';
import { reachOf, type Reach } from './reach';
import { isAddressIn } from './slice';
import { openStep, refusal } from './step-work';
import { isSolvedTogether, unitsOf } from './units';

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
	/** Steps (ids) that are carried out, with those that are solved together with them; the others' results stay. All without. */
	only?: ReadonlySet<number>;
	/** Whether what the steps wrote, for whatever members, is taken away and nothing written instead. */
	clears?: boolean;
	kindOf: (origin: number) => Clears;
	/** Why a cell may not be written; undefined when it may. */
	whyNot: (address: Int32Array, leaf: number) => string | undefined;
	/** Whether cells that may not be written are left out, or end the run. */
	onRefused: 'skip' | 'stop';
	/** Called all the time; throws to end the run. */
	breathe: () => void;
	/** Told as steps begin. */
	progress: (step: number) => void;
	/** Whether a step that cannot be followed is noted, and the others looked at all the same; of a look only. */
	goesOn?: boolean;
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
	/** Why it could not be followed, where that was only to be found out. */
	fault?: string;
	/** Of an allocation: that what went in went somewhere. */
	proof?: Proof;
	milliseconds: number;
}

export interface RunResult {
	changes: ChangedSeries[];
	/** By the origin of each step that ran: the origins of results it read. */
	reads: Map<number, number[]>;
	/** By origin: the leaf periods whose results it is that were written anew, or taken away; undefined for all. */
	reached: Map<number, Uint8Array | undefined>;
	/** Cells whose figure is another one now. */
	cells: number;
	log: StepLog[];
	totals: AccountTotal[];
	samples: SampleCell[];
	/** Where that was asked for: where figures are other ones now, by series and in its year: what showed before, and what would. */
	figures: { address: Int32Array; year: number; before: Float64Array; after: Float64Array }[];
}

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
	const units = unitsOf(order.steps).filter((unit) => !order.only || unit.some(({ id }) => order.only!.has(id)));
	const running = units.flat();
	const reaches = new Map(running.map((step) => [step.id, reachOf(model, step, { ...order, names })]));
	const faults = new Map<number, string>();
	// What is written as a whole is not left half standing either.
	const closed = (id: number, address: Int32Array, leaf: number, reason: string) => {
		const step = order.steps.find((each) => each.id === id);
		if (!step || !recordOf(step).isWhole) return;
		const fault = refusal(model, step, address, leaf, reason);
		if (!order.goesOn) throw fault;
		faults.set(id, fault.message);
	};
	try {
		if (order.clears) return clearSteps(model, work, order, closed);
		const replaced = removeEarlier(
			model,
			work,
			order.only ? order.results.filter(({ step }) => reaches.has(step)) : order.results,
			order.named ?? {},
			ownOrigins(order),
			new Map([...reaches].map(([step, { periods }]) => [step, periods])),
			{ ...order, closed }
		);
		for (const unit of units) {
			for (const { id } of unit) order.progress(id);
			const own = new Map(unit.map((step) => [step, reaches.get(step.id)!]));
			const left = leaveAsideFor(model, work, order, own);
			for (const [step, { reads: read }] of own) {
				const origin = order.originOf.get(step.id);
				if (origin !== undefined) reads.set(origin, [...resultsRead(model, work, foreignResults(model, order), read)]);
			}
			const entries = runUnit(model, work, own, order);
			putBack(work, left);
			for (const [step, reach] of own) {
				const entry = entries.get(step)!;
				const origin = order.originOf.get(step.id);
				if (origin !== undefined) finish(model, work, step, reach, origin, order, entry);
				entry.replaced = replaced.get(step.id) ?? 0;
				const fault = faults.get(step.id) ?? entry.fault;
				log.push({ ...entry, ...(fault !== undefined && { fault }) });
			}
		}
		const changes = work.changes();
		const reached = new Map<number, Uint8Array | undefined>();
		for (const { id } of running) if (order.originOf.has(id)) reached.set(order.originOf.get(id)!, reaches.get(id)!.periods);
		return { changes, log, reads, reached, ...compare(model, work, changes, order.wantsFigures ?? false) };
	} finally {
		work.restore();
	}
}

/** Takes away what the steps wrote; of all of them also what steps wrote that are gone. */
function clearSteps(
	model: Model,
	work: WorkCube,
	order: RunOrder,
	whole: (step: number, address: Int32Array, leaf: number, reason: string) => void
): RunResult {
	const wanted = new Set(
		unitsOf(order.steps.map((step) => ({ ...step, active: true })))
			.flatMap((unit) => (unit.some(({ id }) => order.only?.has(id) ?? true) ? unit : []))
			.map(({ id }) => id)
	);
	const opened = new Map(order.steps.filter(({ id }) => wanted.has(id)).map((step) => [step.id, openStep(model, work, step, order)]));
	const results = order.only ? order.results.filter(({ step }) => wanted.has(step)) : order.results;
	const cleared = clearResults(model, work, results, {
		...order,
		closed: (step, address, leaf, reason) => {
			whole(step, address, leaf, reason);
			opened.get(step)?.stepWork.skip(address, leaf, reason);
		}
	});
	for (const [step, { entry, close }] of opened) {
		entry.replaced = cleared.get(step) ?? 0;
		close();
	}
	const gone = [...cleared].reduce((sum, [step, cells]) => (opened.has(step) ? sum : sum + cells), 0);
	const last = [...opened.values()].at(-1)?.entry;
	if (gone > 0) last?.notes.push(`${gone} taken away that steps had written which are gone.`);
	const changes = work.changes();
	return {
		changes,
		log: [...opened.values()].map(({ entry }) => entry),
		reads: new Map(),
		reached: new Map(results.map(({ origin }) => [origin, undefined])),
		...compare(model, work, changes, order.wantsFigures ?? false)
	};
}

/** The origins under which these steps write now, and those of steps that are gone for the same members. */
function ownOrigins({ results, originOf, named }: RunOrder): Set<number> {
	const key = namedKey(named ?? {});
	return new Set([...originOf.values(), ...results.filter((each) => namedKey(each.named) === key).map(({ origin }) => origin)]);
}

/**
 * Leaves aside what a step must not read: where it sets, what would feed on itself; where it adds, what steps beneath it have
 * added to what it reads: they come after it.
 */
function leaveAsideFor(model: Model, work: WorkCube, order: RunOrder, unit: ReadonlyMap<Step, Reach>): LeftAside[] {
	const [step] = [...unit.keys()];
	if (!step) return [];
	const reaches = [...unit.values()];
	const mode = originModeOf(step);
	if (mode === 'sets')
		return leaveAside(
			model,
			work,
			asideOf(model, order, step),
			reaches.flatMap(({ writes }) => writes)
		);
	if (mode !== 'adds') return [];
	const from = order.steps.findIndex(({ id }) => id === step.id);
	const beneath = new Set(order.steps.slice(from).map(({ id }) => id));
	const additions = order.results.filter((each) => beneath.has(each.step) && model.origin(each.origin)?.mode === 'adds');
	return leaveAside(
		model,
		work,
		new Set(additions.map(({ origin }) => origin)),
		reaches.flatMap(({ reads }) => reads)
	);
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

/** Carries out a step, or several that are solved together. @returns what each did */
function runUnit(model: Model, work: WorkCube, unit: ReadonlyMap<Step, Reach>, order: RunOrder): Map<Step, StepLog> {
	const opened = [...unit].map(([step, reach]) => ({ step, reach, ...openStep(model, work, step, order) }));
	const [first] = opened;
	try {
		if (first && isSolvedTogether(first.step))
			runAllocationsTogether(opened.flatMap(({ step, stepWork }) => (isSolvedTogether(step) ? [{ step, work: stepWork }] : [])));
		else for (const { step, reach, stepWork } of opened) recordOf(step).run?.(stepWork, step, reach);
	} catch (error) {
		if (!order.goesOn || !(error instanceof RunFault)) throw error;
		for (const { entry } of opened) entry.fault = error.message;
	}
	for (const { close } of opened) close();
	return new Map(opened.map(({ step, entry }) => [step, entry]));
}
