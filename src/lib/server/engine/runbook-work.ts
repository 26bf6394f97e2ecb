import {
	checkRunbook,
	checkScript,
	entryFor,
	isEmpty,
	LoadGuard,
	namesOfModel,
	NOW,
	printScript,
	readExpression,
	resolveAnswers,
	runSteps,
	ScriptNames,
	scopeOf,
	WorkCube,
	type Cube,
	type Finding,
	type Model,
	type Overlay,
	type ParameterDefinition,
	type ParameterValue,
	type Step,
	type StoredScript
} from '../../core';
import { cellInWords, judgedPeriod, periodMember, toMembers, toOrdinals } from './addresses';
import type { EngineRequests, RunPlan, ScriptCheck, TrialFigure, Vocabulary } from './messages';

/** Names offered while a script is written, of one dimension. */
const MOST_NAMES = 3_000;

/** Series that cross to the server at once. */
const MOST_SERIES = 400_000;

/** Computing looks up this often whether it shall end. */
const LOOK_UP = 2_048;

/** Thrown inside a run that shall end. */
export class RunCancelled extends Error {}

/** What a run would write, on the cube as it is. @throws RunFault, RunCancelled */
export function planRun(model: Model, cube: Cube, revision: number, ask: EngineRequests['planRun']['ask'], draft?: Overlay): RunPlan {
	if (draft) return onDraft(model, cube, draft, () => planRun(model, cube, revision, ask));
	const { values, variables, faults } = resolveAnswers(model, ask.parameters, ask.answers);
	if (faults.size > 0) return { ...NOTHING, revision, faults: [...faults].map(([parameter, message]) => ({ parameter, message })) };
	const guard = new LoadGuard(model, ask.rules);
	const kinds = new Map(ask.kinds);
	model.announce(ask.unknown);
	const control = ask.control && new Int32Array(ask.control);
	let asked = 0;
	const result = runSteps(model, cube, {
		steps: ask.steps,
		values,
		variables,
		originOf: new Map(ask.originOf),
		named: ask.named,
		results: ask.results,
		readBy: new Map(ask.readBy),
		kindOf: (origin) => kinds.get(origin) ?? 'loads',
		whyNot: (address, leaf) => guard.whyNot(address, leaf),
		onRefused: ask.onRefused,
		wantsFigures: ask.figures ?? false,
		breathe: () => {
			if (++asked % LOOK_UP === 0 && control && Atomics.load(control, 0) === 1) throw new RunCancelled();
		},
		progress: (step) => {
			if (control) Atomics.store(control, 1, ask.steps.findIndex(({ id }) => id === step) + 1);
			if (control && Atomics.load(control, 0) === 1) throw new RunCancelled();
		}
	});
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
		revision,
		faults: [],
		series: ask.preview ? [] : series,
		isTooLarge: result.changes.length > MOST_SERIES,
		cells: result.cells,
		...(ask.figures && { figures }),
		log: result.log,
		reads: ask.preview ? [] : [...result.reads],
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

/** Does something with a draft laid over the cube as if it had been saved, and takes it off again. */
function onDraft<Result>(model: Model, cube: Cube, draft: Overlay, work: () => Result): Result {
	const entries = model.definition.origins.find(({ mode }) => mode === 'entry');
	if (!entries) return work();
	const laid = new WorkCube(model, cube);
	try {
		draft.each((address, year, position) => {
			const value = draft.read(cube, address, year, position);
			laid.write(entries.id, address, year, position, isEmpty(value) ? value : entryFor(model, cube, address, year, position, value));
		});
		return work();
	} finally {
		laid.restore();
	}
}

const NOTHING = { series: [], isTooLarge: false, cells: 0, log: [], reads: [], totals: [], samples: [] };
const orNull = (value: number): number | null => (value === value ? value : null);

/** The first reason for which a cell of some series may not be written; null when all may. */
export function whyNotWrite(model: Model, { rules, series }: EngineRequests['whyNotWrite']['ask']): string | null {
	const guard = new LoadGuard(model, rules);
	for (const { members, year, places } of series) {
		const address = toOrdinals(model, members);
		for (const position of address ? places : []) {
			const reason = guard.whyNot(address!, judgedPeriod(model, address!, year, position));
			if (reason !== undefined) return `${cellInWords(model, address!, year, position)}: ${reason}`;
		}
	}
	return null;
}

/** What is wrong with a script, and the members its names are. */
export function lookAtScript(
	model: Model,
	{ text, parameters, limits, faultsOnly = false, near }: EngineRequests['checkScript']['ask']
): ScriptCheck {
	const { values, variables } = resolveAnswers(model, parameters, Object.fromEntries(parameters.map((each) => [each.name, each.initial])));
	// A parameter without an initial value is still known by its name.
	for (const { name, kind, dimension, choices } of parameters) if (!values.has(name)) values.set(name, standIn(kind, dimension, choices));
	const { faults, names } = checkScript(model, text, {
		names: namesOf(model),
		parameters: values,
		scope: scopeOf(model, limits, variables),
		...(near && { near })
	});
	return { faults, names: faultsOnly ? [] : names };
}

/** The names of a model, found once: they are asked for with every key that is typed. */
const known = new WeakMap<Model, ScriptNames>();
function namesOf(model: Model): ScriptNames {
	let names = known.get(model);
	if (!names) known.set(model, (names = new ScriptNames(model)));
	return names;
}

/** What is wrong with the text of a live formula, and the members its names are. */
export function lookAtFormula(model: Model, text: string): ScriptCheck {
	const read = readExpression(text, namesOfModel(namesOf(model)));
	return 'fault' in read ? { faults: [read.fault], names: [] } : { faults: [], names: read.names };
}

function standIn(kind: ParameterDefinition['kind'], dimension: number | null, choices: ParameterDefinition['choices']): ParameterValue {
	if (kind === 'number' || kind === 'percent') return { kind: 'number', value: 1 };
	if (kind === 'text' || dimension === null) return { kind: 'text', value: '' };
	return { kind: 'selection', dimension, selection: kind === 'member' ? { kind: 'level', depth: 0 } : (choices ?? { kind: 'all' }) };
}

/** Scripts with today's names. */
export function printScripts(model: Model, scripts: readonly StoredScript[]): string[] {
	const names = namesOf(model);
	return scripts.map((script) => printScript(model, script, names));
}

export const findingsOf = (model: Model, steps: readonly Step[], parameters: readonly ParameterDefinition[]): Finding[] =>
	checkRunbook(model, steps, parameters);

/** What may be named in a script. */
export function vocabularyOf(model: Model): Vocabulary {
	const names = new ScriptNames(model);
	return {
		dimensions: names.dimensions.map((dimension) => ({
			id: dimension.id,
			name: dimension.name,
			kind: dimension.kind,
			members: dimension.members.slice(0, MOST_NAMES).map(({ id, code, name }, ordinal) => ({
				id,
				code,
				name,
				written: names.print(dimension, ordinal),
				leaf: dimension.isLeaf(ordinal)
			}))
		})),
		levels: [...names.levels.keys()],
		variables: (model.definition.variables ?? []).map(({ name, member }) => ({
			name,
			dimension:
				member === null ? null : (model.definition.dimensions.find(({ members }) => members.some(({ id }) => id === member))?.id ?? null)
		})),
		attributes: model.definition.dimensions.flatMap(({ id, attributes }) => (attributes ?? []).map(({ name }) => ({ name, dimension: id })))
	};
}
