import {
	checkRunbook as findingsIn,
	checkScript as check,
	namesOfModel,
	printScript,
	readExpression,
	resolveAnswers,
	scopeOf,
	ScriptNames,
	type Finding,
	type Model,
	type NameUse,
	type ParameterDefinition,
	type ParameterValue,
	type ScriptFault,
	type Slice,
	type Step,
	type StoredScript
} from '../../../core';
import type { ModelEngine } from '../model-engine';

export interface ScriptCheck {
	faults: ScriptFault[];
	names: NameUse[];
}

/** What may be named in a script, to be offered while one types. */
export interface Vocabulary {
	dimensions: {
		id: number;
		name: string;
		kind: string;
		members: { id: number; code: string; name: string; written: string; leaf: boolean }[];
	}[];
	levels: string[];
	currencies: string[];
	variables: { name: string; dimension: number | null }[];
	attributes: { name: string; dimension: number }[];
}

export interface CheckScriptAsk {
	structure: number;
	text: string;
	parameters: ParameterDefinition[];
	limits: Slice;
	/** While one types the names are of no use, and there are many; and mostly only what stands near is wanted. */
	faultsOnly?: boolean;
	near?: { from: number; to: number } | undefined;
}

/** Names offered while a script is written, of one dimension. */
const MOST_NAMES = 3_000;
/** What is wrong with a script, and the members its names are. */
export function lookAtScript(model: Model, { text, parameters, limits, faultsOnly = false, near }: CheckScriptAsk): ScriptCheck {
	const { values, variables } = resolveAnswers(model, parameters, Object.fromEntries(parameters.map((each) => [each.name, each.initial])));
	// A parameter without an initial value is still known by its name.
	for (const { name, kind, dimension, choices } of parameters) if (!values.has(name)) values.set(name, standIn(kind, dimension, choices));
	const { faults, names } = check(model, text, {
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
function lookAtFormula(model: Model, text: string): ScriptCheck {
	const read = readExpression(text, namesOfModel(namesOf(model)));
	return 'fault' in read ? { faults: [read.fault], names: [] } : { faults: [], names: read.names };
}

function standIn(kind: ParameterDefinition['kind'], dimension: number | null, choices: ParameterDefinition['choices']): ParameterValue {
	if (kind === 'number' || kind === 'percent') return { kind: 'number', value: 1 };
	if (kind === 'text' || dimension === null) return { kind: 'text', value: '' };
	return { kind: 'selection', dimension, selection: kind === 'member' ? { kind: 'level', depth: 0 } : (choices ?? { kind: 'all' }) };
}

/** What may be named in a script. */
function vocabularyOf(model: Model): Vocabulary {
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
		currencies: model.definition.currencies.map(({ code }) => code),
		variables: (model.definition.variables ?? []).map(({ name, member }) => ({
			name,
			dimension:
				member === null ? null : (model.definition.dimensions.find(({ members }) => members.some(({ id }) => id === member))?.id ?? null)
		})),
		attributes: model.definition.dimensions.flatMap(({ id, attributes }) => (attributes ?? []).map(({ name }) => ({ name, dimension: id })))
	};
}

/** What is wrong with a script, and the members its names are. */
export const checkScript = async ({ model }: ModelEngine, ask: CheckScriptAsk): Promise<ScriptCheck> => lookAtScript(model, ask);

/** What is wrong with the text of a live formula. */
export const checkFormula = async ({ model }: ModelEngine, { text }: { structure: number; text: string }): Promise<ScriptCheck> =>
	lookAtFormula(model, text);

/** Scripts with today's names. */
export const printScripts = async (
	{ model }: ModelEngine,
	{ scripts }: { structure: number; scripts: StoredScript[] }
): Promise<string[]> => scripts.map((script) => printScript(model, script, namesOf(model)));

/** What is wrong with the steps of a runbook. */
export const checkRunbook = async (
	{ model }: ModelEngine,
	{ steps, parameters }: { structure: number; steps: Step[]; parameters: ParameterDefinition[] }
): Promise<Finding[]> => findingsIn(model, steps, parameters);

/** What may be named in a script. */
export const vocabulary = async ({ model }: ModelEngine, _ask: { structure: number }): Promise<Vocabulary> => vocabularyOf(model);
