import type pg from 'pg';
import {
	membersOfParameter,
	membersOfStep,
	renamedParameter,
	renamedStep,
	type ParameterDefinition,
	type Step,
	renamedSettings,
	type PresetSettings
} from '../../core';
import type { Database } from '../database';
import type { NamesMembers } from '../definition/naming';
import { stepsOf } from '../definition/steps';

/** Names another member wherever runbooks name one: in their steps, and in what they ask. */
export async function handOverRunbooks(client: pg.PoolClient, replaced: (member: number) => number): Promise<void> {
	const touched = new Set<number>();
	for (const { runbook, step } of await stepsOf(client, 'for update')) {
		const next = renamedStep(step, { member: replaced });
		if (JSON.stringify(next) === JSON.stringify(step)) continue;
		const { id, kind: _, name: __, description: ___, active: ____, limits, ...definition }: Step = next;
		await client.query('UPDATE runbook_step SET limits = $2, definition = $3 WHERE id = $1', [
			id,
			JSON.stringify(limits),
			JSON.stringify(definition)
		]);
		touched.add(runbook);
	}
	const presets = await client.query<{ id: number; settings: PresetSettings }>('SELECT id, settings FROM allocation_preset FOR UPDATE');
	for (const { id, settings } of presets.rows) {
		const next = renamedSettings(settings, { member: replaced });
		if (JSON.stringify(next) !== JSON.stringify(settings))
			await client.query('UPDATE allocation_preset SET settings = $2, version = version + 1 WHERE id = $1', [id, JSON.stringify(next)]);
	}
	const asked = await client.query<{ id: number; parameters: ParameterDefinition[] }>('SELECT id, parameters FROM runbook FOR UPDATE');
	for (const { id, parameters } of asked.rows) {
		const next = parameters.map((parameter) => renamedParameter(parameter, replaced));
		if (JSON.stringify(next) === JSON.stringify(parameters)) continue;
		await client.query('UPDATE runbook SET parameters = $2 WHERE id = $1', [id, JSON.stringify(next)]);
		touched.add(id);
	}
	// A page on which one of them is open is told that it was changed.
	if (touched.size > 0) await client.query('UPDATE runbook SET version = version + 1 WHERE id = ANY ($1)', [[...touched]]);
}

/** Steps of runbooks, and what runbooks ask for. */
export const runbookNaming: NamesMembers = {
	uses: async (database, _, member) => {
		const naming = [...(await membersOfRunbooks(database))].flatMap(([runbook, members]) => (members.has(member) ? [runbook] : []));
		const found = await database.query<{ id: number; name: string; model: string }>(
			'SELECT b.id, b.name, m.code AS model FROM runbook b JOIN model m ON m.id = b.model_id WHERE b.id = ANY ($1::integer[]) ORDER BY b.id',
			[naming]
		);
		const presets = (await membersOfPresets(database)).filter(({ members }) => members.has(member));
		return [
			...found.rows.map(({ id, name, model }) => ({ kind: 'runbook' as const, name, path: `/m/${model}/rules/${id}` })),
			...presets.map(({ name, model }) => ({ kind: 'preset' as const, name, path: `/m/${model}/rules` }))
		];
	},
	among: async (database, _, members) => {
		const asked = new Set(members);
		const named = [...(await membersOfRunbooks(database)).values(), ...(await membersOfPresets(database)).map(({ members: own }) => own)];
		return named.flatMap((own) => [...own].filter((id) => asked.has(id)));
	},
	replace: (client, { from, to }) => handOverRunbooks(client, (member) => (member === from ? to : member))
};

/** The members that presets of allocations name. */
async function membersOfPresets(database: Database): Promise<{ name: string; model: string; members: Set<number> }[]> {
	const found = await database.query<{ name: string; model: string; settings: PresetSettings }>(
		'SELECT p.name, m.code AS model, p.settings FROM allocation_preset p JOIN model m ON m.id = p.model_id ORDER BY p.id'
	);
	return found.rows.map(({ name, model, settings }) => {
		const members = new Set<number>();
		renamedSettings(settings, { member: (id) => (members.add(id), id) });
		return { name, model, members };
	});
}

/** By runbook (id): the members its steps, and what it asks for, name. */
async function membersOfRunbooks(database: Database): Promise<Map<number, Set<number>>> {
	const named = new Map<number, Set<number>>();
	const asked = await database.query<{ id: number; parameters: ParameterDefinition[] }>('SELECT id, parameters FROM runbook');
	for (const { id, parameters } of asked.rows)
		named.set(id, new Set(parameters.flatMap((parameter) => [...membersOfParameter(parameter)])));
	for (const { runbook, step } of await stepsOf(database, 'to read')) for (const id of membersOfStep(step)) named.get(runbook)!.add(id);
	return named;
}
