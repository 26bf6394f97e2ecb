import { selectionInWords, type Selection } from '../dimension';
import type { ParameterDefinition } from './definition';
import { recordOf, renamedStep, type StepDraftLike } from './kinds';
import type { MemberNames } from './kinds/kind';

/** What is compared of a runbook: as it stood for a run, or as it is. */
export interface RunbookVersion {
	name: string;
	description: string;
	parameters: readonly ParameterDefinition[];
	onRefused: 'skip' | 'stop';
	whenBusy?: 'wait' | 'refuse' | undefined;
	runsAs: number | null;
	steps: readonly StepDraftLike[];
}

/** One thing that is said otherwise; empty where it is not said. */
export interface Difference {
	label: string;
	before: string;
	after: string;
}

/** What became of a step. */
export interface StepDifference {
	step: string;
	what: 'new' | 'gone' | 'changed';
	differences: Difference[];
}

/** Names of what a runbook speaks of. */
export interface RunbookWords {
	members: MemberNames;
	dimensions: ReadonlyMap<number, string>;
	people: ReadonlyMap<number, string>;
}

/**
 * What two versions of a runbook say otherwise, in words: of the whole first, then step by step in the order of the later one,
 * with those that are gone at the end. Steps are known by their id, those without one by name.
 */
export function runbookDifferences(
	before: RunbookVersion,
	after: RunbookVersion,
	words: RunbookWords
): { whole: Difference[]; steps: StepDifference[] } {
	const earlier = [...before.steps];
	const steps: StepDifference[] = [];
	const kept: StepDraftLike[] = [];
	for (const step of after.steps) {
		const at = earlier.findIndex((each) => (step.id === null || each.id === null ? each.name === step.name : each.id === step.id));
		if (at < 0) {
			steps.push({ step: step.name, what: 'new', differences: [] });
			continue;
		}
		const [was] = earlier.splice(at, 1);
		kept.push(was!);
		const differences = between(saidOf(was!, words), saidOf(step, words));
		if (differences.length > 0) steps.push({ step: step.name, what: 'changed', differences });
	}
	for (const { name } of earlier) steps.push({ step: name, what: 'gone', differences: [] });
	const whole = between(headOf(before, words), headOf(after, words));
	// Of those that stayed, whether they stand in another order.
	const order = before.steps.filter((step) => kept.includes(step));
	if (order.some((step, at) => step !== kept[at])) {
		const names = (all: readonly StepDraftLike[]) => all.map(({ name }) => name).join(', ');
		whole.push({ label: 'order', before: names(order), after: names(kept) });
	}
	return { whole, steps };
}

function between(before: ReadonlyMap<string, string>, after: ReadonlyMap<string, string>): Difference[] {
	return [...new Set([...before.keys(), ...after.keys()])].flatMap((label) => {
		const [was, is] = [before.get(label) ?? '', after.get(label) ?? ''];
		return was === is ? [] : [{ label, before: was, after: is }];
	});
}

const headOf = (
	{ name, description, parameters, onRefused, whenBusy, runsAs }: RunbookVersion,
	{ members, people }: RunbookWords
): Map<string, string> =>
	new Map([
		['name', name],
		['what it is for', description],
		['cells that may not be written', onRefused === 'skip' ? 'left out' : 'end the run'],
		['while another runs', (whenBusy ?? 'wait') === 'wait' ? 'waits' : 'is refused'],
		['runs with the rights of', runsAs === null ? 'whoever runs it' : (people.get(runsAs) ?? 'somebody who is gone')],
		...parameters.map((parameter): [string, string] => [`asks for $${parameter.name}`, askedInWords(parameter, members)])
	]);

function askedInWords({ label, kind, choices, initial }: ParameterDefinition, members: MemberNames): string {
	const begins = typeof initial === 'number' && (kind === 'member' || kind === 'members') ? (members.get(initial) ?? '?') : initial;
	return [
		label,
		kind,
		...(choices ? [selectionInWords(choices, members)] : []),
		...(initial === null ? [] : [`begins with ${begins}`])
	].join(', ');
}

/** What a step says, by label. */
function saidOf(step: StepDraftLike, words: RunbookWords): Map<string, string> {
	// Beside it the same with names in the place of members' numbers, which are only read as text from here on.
	const named = renamedStep(step, { member: (id) => (words.members.get(id) ?? 'a member that is gone') as unknown as number });
	const said = new Map<string, string>([['kind', recordOf(step).title]]);
	// What it has of a preset is in its settings.
	const { id: _, kind: __, preset: ___, ...own } = step as typeof step & { preset?: unknown };
	tell(own, named, [], said, words);
	return said;
}

const SELECTIONS = new Set<Selection['kind']>([
	'these',
	'all',
	'children',
	'leaves',
	'ancestors',
	'siblings',
	'leaf of each',
	'relative',
	'under',
	'level',
	'range',
	'where',
	'any of',
	'except'
]);
const LABELS: Readonly<Record<string, string>> = {
	active: 'runs with the others',
	description: 'what it is for',
	limits: 'writes only in',
	noDriver: 'where nothing weighs',
	negative: 'drivers below 0',
	currency: 'compared in',
	together: 'solved together',
	share: 'share of the pool, in percent',
	shares: 'fixed shares',
	drivers: 'driver',
	atNamed: 'weighed at what is named',
	rate: 'price',
	text: 'script',
	adds: 'comes on top',
	onlyWhereValues: 'only where the source has values',
	pricesToo: 'prices and percents too',
	over: 'over the year',
	into: 'carried into',
	what: 'takes away',
	keeps: 'keeps',
	unitCost: 'what a unit costs',
	used: 'units used',
	unused: 'units not used',
	accounts: 'accounts',
	members: 'members'
};
const labelOf = (key: string, { dimensions }: RunbookWords): string =>
	/^\d+$/.test(key) ? (dimensions.get(Number(key)) ?? 'a dimension that is gone') : (LABELS[key] ?? key);

/**
 * Notes what a part of a step says, under the words that lead to it.
 * @param named the same part with names in the place of members
 */
function tell(own: unknown, named: unknown, path: readonly string[], said: Map<string, string>, words: RunbookWords): void {
	if (own === null || own === undefined || own === '') return;
	const isTree = typeof own === 'object' && !isSelection(own) && !('parameter' in own);
	if (!isTree || (Array.isArray(own) && !isNamed(own[0]))) {
		const text = inWords(own, named, words);
		if (text !== '') said.set(path.join(', '), text);
	} else if (Array.isArray(own))
		own.forEach((each: { name: string }, at) =>
			tell(each, (named as unknown[])[at], [...path.slice(0, -1), `“${each.name}”`], said, words)
		);
	else
		for (const [key, part] of Object.entries(own))
			if (!(key === 'name' && path.length > 0)) tell(part, partOf(named, key), [...path, labelOf(key, words)], said, words);
}

const isNamed = (value: unknown): boolean => value !== null && typeof value === 'object' && 'name' in value;
const isSelection = (value: object): value is Selection => 'kind' in value && SELECTIONS.has(value.kind as Selection['kind']);
const partOf = (value: unknown, key: string): unknown => (value as Record<string, unknown>)[key];

function inWords(own: unknown, named: unknown, words: RunbookWords): string {
	if (own === true) return 'yes';
	if (own === false) return 'no';
	if (own === null || typeof own !== 'object') return String(named);
	if (Array.isArray(own)) return own.map((each, at) => inWords(each, (named as unknown[])[at], words)).join('; ');
	if (isSelection(own)) return selectionInWords(own, words.members);
	return Object.entries(own)
		.filter(([, part]) => part !== null && part !== undefined)
		.map(([key, part]) => {
			const text = inWords(part, partOf(named, key), words);
			if (key === 'parameter' || key === 'variable') return `$${text}`;
			// A row of shares is a name and a number.
			return typeof part === 'object' || /^\d+$/.test(key) || key === 'share' ? text : `${labelOf(key, words)} ${text}`;
		})
		.filter((text) => text !== '')
		.join(' ');
}
