import type pg from 'pg';

/** An object of a definition that an act changed, before and after. */
export interface JournalObject {
	kind:
		| 'model'
		| 'dimension'
		| 'member'
		| 'attribute'
		| 'variable'
		| 'calendar'
		| 'rate set'
		| 'hierarchy'
		| 'import'
		| 'map'
		| 'runbook'
		| 'preset'
		| 'form'
		| 'formula'
		| 'lock'
		| 'view'
		| 'board';
	id: number;
	name: string;
	before: unknown;
	after: unknown;
}

/** Records an act on definitions and each object it changed. @returns the change's number */
export async function writeJournal(
	client: pg.PoolClient,
	act: { person: number; modelId: number; dimensionId: number | null; words: string; objects: readonly JournalObject[] }
): Promise<number> {
	const change = await client.query<{ id: number }>(
		'INSERT INTO structure_change (person_id, model_id, dimension_id, words) VALUES ($1, $2, $3, $4) RETURNING id',
		[act.person, act.modelId, act.dimensionId, act.words]
	);
	const id = change.rows[0]!.id;
	await noteInJournal(client, id, act.objects);
	return id;
}

/** Records objects an act changed besides those it was begun with. */
export async function noteInJournal(client: pg.PoolClient, id: number, objects: readonly JournalObject[]): Promise<void> {
	const json = (value: unknown) => (value === undefined || value === null ? null : JSON.stringify(value));
	await client.query(
		`INSERT INTO structure_change_object (change_id, kind, object_id, name, before, after)
		SELECT $1, k, i, n, b::jsonb, a::jsonb FROM unnest($2::text[], $3::integer[], $4::text[], $5::text[], $6::text[]) AS x (k, i, n, b, a)`,
		[
			id,
			objects.map(({ kind }) => kind),
			objects.map((object) => object.id),
			objects.map(({ name }) => name),
			objects.map(({ before }) => json(before)),
			objects.map(({ after }) => json(after))
		]
	);
}
