import {
	EMPTY,
	entryFor,
	isEmpty,
	LoadGuard,
	lockSlices,
	LockTable,
	NOW,
	Reader,
	resolveAnswers,
	RunFault,
	runSteps,
	snapshotPart,
	WorkCube,
	orNull,
	heldAfterRun,
	ownAfterRun,
	type AccessRules,
	type Answers,
	type BranchLayer,
	type Clears,
	type Cube,
	type LineTrace,
	type Model,
	type MembersNamed,
	type OriginDefinition,
	type Overlay,
	type ParameterDefinition,
	type ResultOrigin,
	type RunResult,
	type Step,
	type StepLog
} from '../../../core';
import type { BranchCell, BranchVersion } from '../../database/branch-series';
import { cellInWords, judgedPeriod, membersOfLeaves, periodMember, toMembers, toOrdinals } from '../addresses';
import { PersonDraft } from '../person-draft';
import type { ModelEngine } from '../model-engine';
import { EngineFault } from '../fault';
import { inCopy } from './in-copy';
import { packTraces } from './kept-traces';

/** What a run of a runbook would write. */
export interface RunPlan {
	/** The revision it was computed at. */
	revision: number;
	/** Answers that are missing or make no sense, by parameter; nothing was computed then. */
	faults: { parameter: string; message: string }[];
	/** Whole series by origin, ids; left out of a preview. */
	series: {
		origin: number;
		members: number[];
		year: number;
		before: Float64Array;
		amounts: Float64Array;
		stampsBefore: Float64Array;
		stamps: Float64Array;
	}[];
	/** By the origin of each step: the origins of results it read. */
	reads: [number, number[]][];
	/** By origin: how its step shared out, packed; left out of a preview. */
	traces: [number, Uint8Array][];
	/** Whether it would write more than can be kept at once. */
	isTooLarge: boolean;
	/** Cells whose figure changes. */
	cells: number;
	log: StepLog[];
	totals: RunTotal[];
	samples: { words: string; before: number | null; after: number | null }[];
	/** What its lock steps set on the lock board: slices by their members (ids). */
	locks: { step: string; state: 'open' | 'closed'; slices: number[][] }[];
	/** The snapshots its steps take once it is stored. */
	snapshots: { called: string; part: Record<number, number[]> }[];
	/** What would show at each cell whose figure changes, ids; where that was asked for. Null: nothing. */
	figures?: TrialFigure[];
	/** Of a run in a branch: what the branch is to hold; left out of a preview. */
	inBranch?: BranchRun | undefined;
}

/** What a run leaves in a branch. */
export interface BranchRun {
	cells: BranchCell[];
	/** Which results are the branch's own afterwards, of the origins that ran: the leaf periods (members); null for all. */
	own: { origin: number; periods: number[] | null }[];
	/** How many places a year has. */
	width: number;
}

/** An account's amounts over the cells a run changes; null for what does not add up. In one currency. */
export interface RunTotal {
	account: string;
	before: number | null;
	after: number | null;
	currency: string | null;
	incomplete: boolean;
	cells: number;
}

/** What a run would leave at a cell; ids. */
export interface TrialFigure {
	address: number[];
	period: number;
	value: number | null;
}

export interface PlanRunAsk {
	revision: number;
	structure: number;
	steps: Step[];
	parameters: ParameterDefinition[];
	answers: Answers;
	/** Step → origin; those among them that are not stored yet; what kind of thing each origin is. */
	originOf: [number, number][];
	unknown: OriginDefinition[];
	/** The members it is for, and every origin results of the runbook stand under. */
	named: MembersNamed;
	results: ResultOrigin[];
	/** By origin of results: those its last run read. */
	readBy: [number, number[]][];
	kinds: [number, Clears][];
	rules: AccessRules;
	onRefused: 'skip' | 'stop';
	/** Steps (ids) it is about, all without; and whether what they wrote is taken away. */
	only?: number[];
	clears?: boolean;
	/** Whether steps that cannot be followed are noted and the others looked at. */
	goesOn?: boolean;
	preview: boolean;
	/** Whose unsaved entries it is tried on; the base when nobody's. */
	draftOf?: number;
	/** Whether the figures themselves are wanted. */
	figures?: boolean;
	/** The branch it runs in. */
	branch?: BranchVersion | undefined;
	/** Two integers, shared: 1 in the first ends it, the second tells the step. */
	control?: SharedArrayBuffer;
}

/** Series to be written: members by id, places within the year. */
export interface WhyNotWriteAsk {
	structure: number;
	rules: AccessRules;
	series: { members: number[]; year: number; places: number[] }[];
}

/** Series that cross to the server at once. */
const MOST_SERIES = 400_000;

/** Cells a branch holds of a run at most: they are stored one by one. */
const MOST_CELLS_IN_BRANCH = 300_000;

/** Computing looks up this often whether it shall end. */
const LOOK_UP = 2_048;

/** Thrown inside a run that shall end. */
class RunCancelled extends Error {}

/** What a run would write, on the cube as it is. @throws RunFault, RunCancelled */
function planOf(cube: Cube, locks: LockTable, revision: number, ask: PlanRunAsk, layer?: BranchLayer): RunPlan {
	const { model } = cube;
	const { values, variables, faults } = resolveAnswers(model, ask.parameters, ask.answers);
	if (faults.size > 0) return { ...NOTHING, revision, faults: [...faults].map(([parameter, message]) => ({ parameter, message })) };
	const guard = new LoadGuard(model, ask.rules, locks);
	const kinds = new Map(ask.kinds);
	model.announce(ask.unknown);
	const control = ask.control && new Int32Array(ask.control);
	let asked = 0;
	const traces = new Map<number, LineTrace[]>();
	const originOf = new Map(ask.originOf);
	const result = runSteps(model, cube, {
		steps: ask.steps,
		values,
		variables,
		originOf,
		named: ask.named,
		results: ask.results,
		readBy: new Map(ask.readBy),
		kindOf: (origin) => kinds.get(origin) ?? 'loads',
		whyNot: (address, leaf) => guard.whyNot(address, leaf),
		onRefused: ask.onRefused,
		wantsFigures: ask.figures ?? false,
		...(ask.only && { only: new Set(ask.only) }),
		clears: ask.clears ?? false,
		goesOn: ask.goesOn ?? false,
		...(!ask.preview && {
			traced: (step: number, trace: LineTrace) => {
				const origin = originOf.get(step)!;
				traces.set(origin, [...(traces.get(origin) ?? []), trace]);
			}
		}),
		breathe: () => {
			if (++asked % LOOK_UP === 0 && control && Atomics.load(control, 0) === 1) throw new RunCancelled();
		},
		progress: (step) => {
			if (control) Atomics.store(control, 1, ask.steps.findIndex(({ id }) => id === step) + 1);
			if (control && Atomics.load(control, 0) === 1) throw new RunCancelled();
		}
	});
	const kept = [...traces].map(([origin, lines]): [number, Uint8Array] => [origin, packTraces(lines)]);
	if (layer && !ask.preview) {
		const left = inBranch(cube, layer, result);
		return {
			...told(model, ask, result, revision),
			// Also what came to the same is held.
			isTooLarge: left.cells.length > MOST_CELLS_IN_BRANCH,
			reads: [...result.reads],
			snapshots: snapshotsOf(model, ask, variables),
			traces: kept,
			inBranch: left
		};
	}
	const figures: TrialFigure[] = [];
	for (const { address, year, before, after } of ask.figures ? result.figures : [])
		after.forEach((value, position) => {
			if (value === before[position] || (isEmpty(value) && isEmpty(before[position]!))) return;
			figures.push({ address: toMembers(model, address), period: periodMember(model, year, position), value: orNull(value) });
		});
	const series = result.changes.slice(0, MOST_SERIES).map(({ origin, address, year, before, after, stampsBefore, stamps }) => ({
		origin,
		members: toMembers(model, address),
		year,
		before,
		amounts: after,
		stampsBefore,
		// What is new gets the revision of the run.
		stamps: stamps.map((stamp) => (stamp === NOW ? 0 : stamp))
	}));
	return {
		...told(model, ask, result, revision),
		series: ask.preview ? [] : series,
		isTooLarge: result.changes.length > MOST_SERIES,
		...(ask.figures && { figures }),
		reads: ask.preview ? [] : [...result.reads],
		locks: locksOf(model, ask, variables),
		snapshots: snapshotsOf(model, ask, variables),
		traces: kept
	};
}

/** What is told of a run, whatever becomes of its figures. */
function told(model: Model, ask: PlanRunAsk, result: RunResult, revision: number): RunPlan {
	return {
		...NOTHING,
		revision,
		faults: [],
		cells: result.cells,
		log: ask.branch
			? result.log.map((entry) =>
					LEFT_TO_THE_PLAN[entry.kind] ? { ...entry, notes: [...entry.notes, LEFT_TO_THE_PLAN[entry.kind]!] } : entry
				)
			: result.log,
		totals: result.totals
			.map(({ account, before, after, ...rest }) => ({
				account: model.accounts.member(account).name,
				before: orNull(before),
				after: orNull(after),
				...rest
			}))
			.sort((one, other) => Math.abs((other.after ?? 0) - (other.before ?? 0)) - Math.abs((one.after ?? 0) - (one.before ?? 0))),
		samples: result.samples.map(({ address, year, position, before, after }) => ({
			words: cellInWords(model, address, year, position),
			before: orNull(before),
			after: orNull(after)
		}))
	};
}

/** Steps that are of the plan alone, and are passed over in a branch. */
const LEFT_TO_THE_PLAN: Partial<Record<Step['kind'], string>> = {
	import: 'Nothing is loaded in a branch: what is loaded into the plan shows in it.',
	lock: 'Locks are the plan’s: none are set from a branch.'
};

/** What a branch is to hold after a run, and what is its own from then on. What the plan shows there is filled in later. */
function inBranch(cube: Cube, layer: BranchLayer, result: RunResult): BranchRun {
	const { model } = cube;
	const own = ownAfterRun(layer.own, result.reached);
	const held = heldAfterRun(cube, layer, result);
	// Of others it took away results: none of theirs become its own, but they are put back with it.
	const others = new Set(
		held.map(({ origin }) => origin).filter((origin) => !result.reached.has(origin) && model.origin(origin)?.mode !== 'entry')
	);
	for (const origin of others) if (!own.has(origin)) own.set(origin, new Uint8Array(model.periods.leaves.length));
	return {
		cells: held.map(({ origin, address, year, position, value }) => ({
			origin,
			address: toMembers(model, address),
			year,
			position,
			value: orNull(value),
			seen: EMPTY
		})),
		own: [...result.reached.keys(), ...others].map((origin) => {
			const periods = own.get(origin);
			return { origin, periods: periods ? membersOfLeaves(model, periods) : null };
		}),
		width: model.periods.width
	};
}

/** What the lock steps of a run come to; clearing a run's figures locks nothing. */
function locksOf(model: Model, { steps, only, clears, branch }: PlanRunAsk, variables: ReadonlyMap<string, number>): RunPlan['locks'] {
	if (clears || branch) return [];
	return steps.flatMap((step) =>
		step.active && step.kind === 'lock' && (only?.includes(step.id) ?? true)
			? [{ step: step.name, state: step.state, slices: lockSlices(model, step.limits, variables) ?? [] }]
			: []
	);
}

/** What the snapshot steps of a run take. */
function snapshotsOf(model: Model, { steps, only, clears }: PlanRunAsk, variables: ReadonlyMap<string, number>): RunPlan['snapshots'] {
	if (clears) return [];
	return steps.flatMap((step) =>
		step.active && step.kind === 'snapshot' && (only?.includes(step.id) ?? true)
			? [{ called: step.called, part: snapshotPart(model, step.limits, variables) }]
			: []
	);
}

/** Does something with a draft laid over the cube as if it had been saved, and takes it off again. */
function onDraft<Result>(cube: Cube, draft: Overlay | undefined, work: () => Result): Result {
	if (!draft) return work();
	const { model } = cube;
	const entries = model.definition.origins.find(({ mode }) => mode === 'entry');
	if (!entries) return work();
	const laid = new WorkCube(cube);
	try {
		new Reader(cube, [draft]).eachChanged((address, year, position, value) => {
			laid.write(entries.id, address, year, position, isEmpty(value) ? value : entryFor(model, cube, address, year, position, value));
		});
		return work();
	} finally {
		laid.restore();
	}
}

const NOTHING = {
	series: [],
	isTooLarge: false,
	cells: 0,
	log: [],
	reads: [],
	traces: [],
	totals: [],
	samples: [],
	locks: [],
	snapshots: []
};

/** The first reason for which a cell of some series may not be written; null when all may. */
function firstRefused({ model, locks }: ModelEngine, { rules, series }: WhyNotWriteAsk): string | null {
	const guard = new LoadGuard(model, rules, locks);
	for (const { members, year, places } of series) {
		const address = toOrdinals(model, members);
		for (const position of address ? places : []) {
			const reason = guard.whyNot(address!, judgedPeriod(model, address!, year, position));
			if (reason !== undefined) return `${cellInWords(model, address!, year, position)}: ${reason}`;
		}
	}
	return null;
}

/** What a run would write. Asked of a thread of its own, so that typing stays quick meanwhile. */
export async function planRun(engine: ModelEngine, ask: PlanRunAsk): Promise<RunPlan> {
	await engine.reach(ask.revision);
	const { cube, database } = engine;
	try {
		const layer = ask.branch && (await engine.branchOf(ask.branch));
		// Read anew: this thread computes, the one that keeps drafts is another.
		const base = new Reader(cube, layer ? [layer] : []);
		const draft = ask.draftOf === undefined ? undefined : await PersonDraft.read(database, base, ask.draftOf, ask.branch?.id);
		const plan = inCopy(cube, layer, () => onDraft(cube, draft?.overlay, () => planOf(cube, engine.locks, engine.revision, ask, layer)));
		// What the plan shows, now that the branch is off it again.
		if (plan.isTooLarge) return { ...plan, inBranch: undefined };
		for (const cell of plan.inBranch?.cells ?? []) cell.seen = cube.read(toOrdinals(cube.model, cell.address)!, cell.year, cell.position);
		return plan;
	} catch (error) {
		if (error instanceof RunFault) throw new EngineFault(error.message);
		if (error instanceof RunCancelled) throw new EngineFault('The run was cancelled. Nothing was written.');
		throw error;
	}
}

/** Why series may not be written, as the first cell that may not; null when all may. */
export const whyNotWrite = async (engine: ModelEngine, ask: WhyNotWriteAsk): Promise<{ reason: string | null }> => ({
	reason: firstRefused(engine, ask)
});
