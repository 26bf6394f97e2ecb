import type pg from 'pg';
import { mapSelection, type OverYear, type ParameterDefinition, type Selection, type Step } from '../../core';

type Replaced = (member: number) => number;

/** Names another member wherever runbooks name one: in slices, copies, lines, scripts, and in what they ask. */
export async function handOverRunbooks(client: pg.PoolClient, replaced: Replaced): Promise<void> {
	const steps = await client.query<{ id: number; runbook: number; limits: Slice; definition: StepDefinition }>(
		'SELECT id, runbook_id AS runbook, limits, definition FROM runbook_step FOR UPDATE'
	);
	const touched = new Set<number>();
	for (const { id, runbook, limits, definition } of steps.rows) {
		const next = { limits: sliceWith(limits, replaced), definition: definitionWith(definition, replaced) };
		if (JSON.stringify(next) === JSON.stringify({ limits, definition })) continue;
		await client.query('UPDATE runbook_step SET limits = $2, definition = $3 WHERE id = $1', [
			id,
			JSON.stringify(next.limits),
			JSON.stringify(next.definition)
		]);
		touched.add(runbook);
	}
	const asked = await client.query<{ id: number; parameters: ParameterDefinition[] }>('SELECT id, parameters FROM runbook FOR UPDATE');
	for (const { id, parameters } of asked.rows) {
		const next = parameters.map((parameter) => parameterWith(parameter, replaced));
		if (JSON.stringify(next) === JSON.stringify(parameters)) continue;
		await client.query('UPDATE runbook SET parameters = $2 WHERE id = $1', [id, JSON.stringify(next)]);
		touched.add(id);
	}
	// A page on which one of them is open is told that it was changed.
	if (touched.size > 0) await client.query('UPDATE runbook SET version = version + 1 WHERE id = ANY ($1)', [[...touched]]);
}

type Reference = (Step & { kind: 'copy' })['onto'][number];
type Slice = Record<string, Selection>;
/** The parts of a stored step that name members; each kind has some. */
export interface StepDefinition {
	from?: Slice;
	onto?: Record<string, Reference>;
	over?: OverYear;
	lines?: (Step & { kind: 'roll-forward' })['lines'];
	script?: { text: string; names: { member: number }[] };
}

export const sliceWith = (slice: Slice, replaced: Replaced): Slice =>
	Object.fromEntries(Object.entries(slice).map(([dimension, selection]) => [dimension, mapSelection(selection, replaced)]));

function referenceWith(reference: Reference, replaced: Replaced): Reference {
	if (typeof reference === 'number') return replaced(reference);
	if (typeof reference !== 'object' || !('map' in reference)) return reference;
	const lines = reference.map.lines.map((line) => ({ ...line, from: replaced(line.from), to: replaced(line.to) }));
	// Two lines of the member that is gone and the one in its place: the first stands.
	return { map: { ...reference.map, lines: lines.filter(({ from }, at) => lines.findIndex((line) => line.from === from) === at) } };
}

/** The same with every member a step's definition names replaced. */
export function definitionWith(definition: StepDefinition, replaced: Replaced): StepDefinition {
	const { from, onto, over, lines, script } = definition;
	return {
		...definition,
		...(from && { from: sliceWith(from, replaced) }),
		...(onto && {
			onto: Object.fromEntries(Object.entries(onto).map(([dimension, reference]) => [dimension, referenceWith(reference, replaced)]))
		}),
		...(over?.way === 'season' && over.account !== null && { over: { ...over, account: replaced(over.account) } }),
		...(lines && {
			lines: lines.map((line) => ({
				...line,
				from: line.from === null ? null : replaced(line.from),
				to: line.to === null ? null : replaced(line.to),
				...(line.accounts && { accounts: mapSelection(line.accounts, replaced) }),
				...(line.members && { members: line.members.map((move) => ({ ...move, from: replaced(move.from), to: replaced(move.to) })) })
			}))
		}),
		...(script && { script: { ...script, names: script.names.map((use) => ({ ...use, member: replaced(use.member) })) } })
	};
}

export function parameterWith(parameter: ParameterDefinition, replaced: Replaced): ParameterDefinition {
	const { kind, choices, initial } = parameter;
	if (kind !== 'member' && kind !== 'members') return parameter;
	return {
		...parameter,
		choices: choices && mapSelection(choices, replaced),
		initial: Array.isArray(initial) ? initial.map(replaced) : typeof initial === 'number' ? replaced(initial) : initial
	};
}
