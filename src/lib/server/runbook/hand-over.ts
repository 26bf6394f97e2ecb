import type pg from 'pg';
import { renamedParameter, renamedStep, type ParameterDefinition, type Step } from '../../core';
import { stepsOf } from './read';

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
