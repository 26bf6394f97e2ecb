/** How a runbook and its steps are stored. Each joins the caller's transaction. */
import type pg from 'pg';
import type { Step } from '../../core';
import { countUpStructure } from '../database/structure-version';
import { Fault, notFound } from '../fault';
import type { RunbookDraft } from './schema';

/** A step as it is stored, with the members that its script's names are; without an id it is a new one. */
export type StepToStore = (Omit<Step, 'id'> & { id: number | null }) & Record<string, unknown>;

/** What a runbook is besides its steps. */
export type RunbookHead = Pick<RunbookDraft, 'name' | 'description' | 'parameters' | 'onRefused' | 'whenBusy' | 'runsAs'>;

export async function insertRunbook(
	client: pg.PoolClient,
	modelId: number,
	{ name, description, parameters, onRefused, whenBusy, runsAs }: RunbookHead
): Promise<number> {
	const made = await client
		.query<{ id: number }>(
			'INSERT INTO runbook (model_id, name, description, parameters, on_refused, runs_as, when_busy) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id',
			[modelId, name, description, JSON.stringify(parameters), onRefused, runsAs, whenBusy]
		)
		.catch(refuseSameName(name));
	return made.rows[0]!.id;
}

export async function putStep(client: pg.PoolClient, runbook: number, position: number, step: StepToStore): Promise<number> {
	const { id, kind, name, description, active, limits, ...definition } = step;
	const values = [runbook, position, kind, name, description, active, JSON.stringify(limits), JSON.stringify(definition)];
	if (id === null) {
		const made = await client.query<{ id: number }>(
			`INSERT INTO runbook_step (runbook_id, position, kind, name, description, active, limits, definition)
			VALUES ($1, $2, $3, $4, $5, $6, $7, $8) RETURNING id`,
			values
		);
		return made.rows[0]!.id;
	}
	const kept = await client.query(
		`UPDATE runbook_step SET position = $2, kind = $3, name = $4, description = $5, active = $6, limits = $7, definition = $8
		WHERE runbook_id = $1 AND id = $9`,
		[...values, id]
	);
	if (kept.rowCount === 0) throw notFound('step');
	return id;
}

const refuseSameName =
	(name: string) =>
	(error: unknown): never => {
		if ((error as { code?: string }).code === '23505')
			throw new Fault(409, 'conflict', `There is a runbook “${name}” already. Choose another name.`);
		throw error;
	};

/**
 * Gives a runbook what a draft says of it; steps with an id stay the ones they were, and others go.
 * @returns its new version and the ids of its steps; undefined where it is not of the draft's version any more
 * @throws Fault 409 where another one has its name
 */
export async function updateRunbook(
	client: pg.PoolClient,
	modelId: number,
	id: number,
	draft: RunbookHead & { version: number; steps: readonly StepToStore[] }
): Promise<{ version: number; steps: number[] } | undefined> {
	const updated = await client
		.query<{ version: number }>(
			`UPDATE runbook SET name = $3, description = $4, parameters = $5, on_refused = $6, runs_as = $7, when_busy = $9, version = version + 1, changed_at = now()
			WHERE id = $1 AND model_id = $2 AND version = $8 RETURNING version`,
			[
				id,
				modelId,
				draft.name,
				draft.description,
				JSON.stringify(draft.parameters),
				draft.onRefused,
				draft.runsAs,
				draft.version,
				draft.whenBusy
			]
		)
		.catch(refuseSameName(draft.name));
	if (!updated.rows[0]) return undefined;
	const kept = draft.steps.flatMap(({ id: step }) => (step === null ? [] : [step]));
	await client.query('DELETE FROM runbook_step WHERE runbook_id = $1 AND id <> ALL ($2::integer[])', [id, kept]);
	await client.query('SET CONSTRAINTS runbook_step_runbook_id_position_key DEFERRED');
	const ids: number[] = [];
	for (const [position, step] of draft.steps.entries()) ids.push(await putStep(client, id, position, step));
	// Of one runbook's results the lowest step stands: engines must know their order.
	await countUpStructure(client, [modelId], 'origins');
	return { version: updated.rows[0].version, steps: ids };
}

/** Takes a runbook away; what it has written is an origin like others then. */
export async function dropRunbook(client: pg.PoolClient, modelId: number, id: number): Promise<void> {
	await client.query('DELETE FROM runbook WHERE id = $1 AND model_id = $2', [id, modelId]);
	await countUpStructure(client, [modelId], 'origins');
}
