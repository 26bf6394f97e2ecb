import type { Database } from './pool';

/** What a step of a model's structure version changed: its definition at large, or only its origins, rates, who may do what in it, or what is locked. */
export type StructureChange = 'definition' | 'origins' | 'rates' | 'access' | 'locks';

/** Where a model stands: the latest revision of its figures and the version of what shapes it. */
export interface ModelVersions {
	revision: number;
	structure: number;
}

/** The latest revision and structure version of a model; zero when there is none. */
export async function modelVersions(database: Database, modelId: number): Promise<ModelVersions> {
	const found = await database.query<ModelVersions>('SELECT revision, structure_version AS structure FROM model WHERE id = $1', [modelId]);
	return found.rows[0] ?? { revision: 0, structure: 0 };
}

/** How often what shapes a model has changed. */
export async function structureVersion(database: Database, modelId: number): Promise<number> {
	return (await modelVersions(database, modelId)).structure;
}

/**
 * Counts up the structure version of some models and notes what changed, in the transaction that changes it.
 * @param of their ids; `all` for what every model reads
 */
export async function countUpStructure(database: Database, of: readonly number[] | 'all', what: StructureChange): Promise<void> {
	await database.query(
		`WITH counted AS (
			UPDATE model SET structure_version = structure_version + 1 WHERE $1::integer[] IS NULL OR id = ANY ($1) RETURNING id, structure_version
		) INSERT INTO structure_step (model_id, version, what) SELECT id, structure_version, $2 FROM counted`,
		[of === 'all' ? null : of, what]
	);
}

/** Counts up every model that knows a dimension, its lists of choices included. */
export async function countUpStructureOf(database: Database, dimensionId: number): Promise<void> {
	const known = await database.query<{ id: number }>('SELECT DISTINCT model_id AS id FROM known_dimension WHERE dimension_id = $1', [
		dimensionId
	]);
	await countUpStructure(
		database,
		known.rows.map(({ id }) => id),
		'definition'
	);
}

/** What has changed from one structure version to another; a step nobody noted may be anything. */
export async function structureChanges(database: Database, modelId: number, from: number, to: number): Promise<Set<StructureChange>> {
	const found = await database.query<{ what: StructureChange }>(
		'SELECT what FROM structure_step WHERE model_id = $1 AND version > $2 AND version <= $3',
		[modelId, from, to]
	);
	const changes = new Set(found.rows.map(({ what }) => what));
	return found.rows.length < to - from ? changes.add('definition') : changes;
}
