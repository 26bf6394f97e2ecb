import type pg from 'pg';

/**
 * Locks of PostgreSQL that hold until a transaction ends: all of them, in the order in which one transaction takes several.
 * Numbers stay as they are: servers of two versions may work over one database during an upgrade.
 */
const LOCKS = {
	/** One server brings the tables up to date. */
	migration: 720_001,
	/** Access is changed by one after another: that somebody must be left who gives it holds for what two do at once. */
	access: 720_002,
	/** Codes of models and dimensions: two that are made at once would be given the same. */
	codes: 7202,
	/** Runs of a model come one after another. */
	runs: 7204,
	/** Loads of an import, and what takes them back, come one after another. */
	import: 7202,
	/** Loads and runs that write share it; a change of the structure has it alone. */
	writing: 7203,
	/** Whoever gives a model its next revision. */
	revision: 7201
} as const;

const of = (client: pg.ClientBase, lock: keyof typeof LOCKS, id: number, way: '' | '_shared' = '') =>
	client.query(`SELECT pg_advisory_xact_lock${way}($1::integer, $2::integer)`, [LOCKS[lock], id]);
const single = (client: pg.ClientBase, lock: keyof typeof LOCKS) => client.query('SELECT pg_advisory_xact_lock($1::bigint)', [LOCKS[lock]]);

/** Waits until no other server migrates, and keeps others from it. */
export const lockMigrations = async (client: pg.ClientBase): Promise<void> => void (await single(client, 'migration'));

/** Keeps others from changing who may do what. */
export const lockAccess = async (client: pg.ClientBase): Promise<void> => void (await single(client, 'access'));

/** Keeps others from giving codes to models and dimensions. */
export const lockCodes = async (client: pg.ClientBase): Promise<void> => void (await single(client, 'codes'));

/** Waits for other runs of a model. */
export const lockRuns = async (client: pg.ClientBase, modelId: number): Promise<void> => void (await of(client, 'runs', modelId));

/** Waits for other loads of an import, and for what takes them back. */
export const lockImport = async (client: pg.ClientBase, importId: number): Promise<void> => void (await of(client, 'import', importId));

/** Says that a load or run is writing: the structure of the model waits until this transaction ends. */
export const keepStructureStill = async (client: pg.ClientBase, modelId: number): Promise<void> =>
	void (await of(client, 'writing', modelId, '_shared'));

/** Waits for loads and runs that are writing and keeps others from starting to. */
export const waitForLoads = async (client: pg.ClientBase, modelId: number): Promise<void> => void (await of(client, 'writing', modelId));

/**
 * Holds what people have typed and not saved, of a model or of all: before a model's revisions, as a save does, since two
 * that take the one and the other first would wait for each other.
 */
export const lockDrafts = async (client: pg.ClientBase, modelId: number | null): Promise<void> =>
	void (await client.query('SELECT FROM draft WHERE $1::integer IS NULL OR model_id = $1 ORDER BY id FOR UPDATE', [modelId]));

/** Keeps the members of dimensions (by code) as they are; before anything of a model, as changes of a dimension do. */
export const lockDimensions = async (client: pg.ClientBase, codes: readonly string[]): Promise<void> =>
	void (await client.query('SELECT FROM dimension WHERE code = ANY ($1) ORDER BY id FOR UPDATE', [codes]));

/** Takes a model's revisions: everything written elsewhere is visible from here on, and nothing can come between. */
export const lockRevisions = async (client: pg.ClientBase, modelId: number): Promise<void> => void (await of(client, 'revision', modelId));
