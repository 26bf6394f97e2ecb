/** What branches hold of figures: read and written as whole series, by origin. */
import type pg from 'pg';
import type { RatesInstead, SliceRule } from '../../core';
import type { Database } from './pool';

/** A branch of a model, and how often its figures have changed. */
export interface BranchVersion {
	id: number;
	version: number;
}

/** A series of a branch; by place in the year, null where the plan shows through. */
export interface BranchSeries {
	origin: number;
	year: number;
	address: number[];
	amounts: (number | null)[];
	versions: (number | null)[];
	seen: (number | null)[];
}

/** A cell to be written in a branch. */
export interface BranchCell {
	origin: number;
	address: readonly number[];
	year: number;
	position: number;
	/** A value, infinity for nothing, minus infinity for taken away; null puts it back as it is in the plan. */
	value: number | null;
	/** What the plan shows at the cell now; NaN for nothing. */
	seen: number;
}

const SERIES = 'SELECT origin_id AS origin, fiscal_year AS year, address, amounts, versions, seen FROM branch_series WHERE branch_id = $1';

/** @param after only what was written after this version */
export async function readBranchSeries(database: Database, branch: number, after = -1): Promise<BranchSeries[]> {
	return (await database.query<BranchSeries>(`${SERIES} AND version > $2`, [branch, after])).rows;
}

/** What a branch holds of some origins. */
export async function readBranchOrigins(database: Database, branch: number, origins: readonly number[]): Promise<BranchSeries[]> {
	return (await database.query<BranchSeries>(`${SERIES} AND origin_id = ANY ($2)`, [branch, origins])).rows;
}

/** What the plan showed when cells of a branch were written there, in the order of the cells; NaN for nothing. */
export async function readSeen(
	database: Database,
	branch: number,
	cells: readonly Pick<BranchCell, 'origin' | 'address' | 'year' | 'position'>[]
): Promise<number[]> {
	if (cells.length === 0) return [];
	const found = await database.query<{ seen: number | null }>(
		`WITH x AS MATERIALIZED (SELECT origin, year, ARRAY(SELECT jsonb_array_elements_text(address)::integer) AS address, position, place
			FROM jsonb_to_recordset($2::jsonb) AS asked (origin integer, year smallint, address jsonb, position integer, place integer))
		SELECT s.seen[x.position + 1] AS seen FROM x
		LEFT JOIN branch_series s ON s.branch_id = $1 AND s.origin_id = x.origin AND s.fiscal_year = x.year AND s.address = x.address ORDER BY x.place`,
		[branch, JSON.stringify(cells.map(({ origin, address, year, position }, place) => ({ origin, address, year, position, place })))]
	);
	return found.rows.map(({ seen }) => seen ?? Number.NaN);
}

/** Puts everything that is held of some series back, as it is in the plan. */
export const putBackSeries = (held: readonly BranchSeries[]): { cells: BranchCell[]; width: number } => ({
	cells: held.flatMap(({ origin, address, year, amounts }) =>
		amounts.flatMap((amount, position) => (amount === null ? [] : [{ origin, address, year, position, value: null, seen: Number.NaN }]))
	),
	width: Math.max(1, ...held.map(({ amounts }) => amounts.length))
});

/** Results that are a branch's own: an origin, the leaf periods (members) in which they are, null for all, and what its step read. */
export interface OwnResult {
	origin: number;
	periods: number[] | null;
	reads: number[];
}

export async function readOwnResults(database: Database, branch: number): Promise<OwnResult[]> {
	const found = await database.query<OwnResult>(
		'SELECT origin_id AS origin, periods, reads FROM branch_result WHERE branch_id = $1 ORDER BY origin_id',
		[branch]
	);
	return found.rows;
}

/** What a load replaced in a branch: by dimension (id) the leaf members (ids), within the part the branch was limited to. */
export interface StoredExtent {
	origin: number;
	extent: Record<number, number[]>;
	part: SliceRule | null;
	/** Whether it is about what stands for all time too. */
	timeless: boolean;
}

/** Those of a branch, each with the number it is known by: what it says never changes. */
export async function readOwnExtents(database: Database, branch: number): Promise<(StoredExtent & { id: number })[]> {
	const found = await database.query<StoredExtent & { id: number }>(
		'SELECT id, origin_id AS origin, extent, part, timeless FROM branch_load WHERE branch_id = $1 ORDER BY id',
		[branch]
	);
	return found.rows;
}

/** The rates that are read in a branch in the place of others; undefined where they are the plan's. */
export async function readBranchRates(database: Database, branch: number): Promise<RatesInstead | undefined> {
	const found = await database.query<RatesInstead>(
		'SELECT rates_of AS "of", rates_by AS "by" FROM branch WHERE id = $1 AND rates_of IS NOT NULL AND rates_by IS NOT NULL',
		[branch]
	);
	return found.rows[0];
}

/** The latest version of a branch; undefined where there is none. */
export async function branchVersion(database: Database, branch: number): Promise<BranchVersion | undefined> {
	return (await database.query<BranchVersion>('SELECT id, version FROM branch WHERE id = $1', [branch])).rows[0];
}

/** The condition under which a person (parameter) may look at a branch: its maker, who is named, everybody, or who merges (parameter). */
export const SEES_BRANCH = (branch: string, person: string, merges: string): string =>
	`(${merges} OR EXISTS (SELECT FROM branch seen WHERE seen.id = ${branch} AND (seen.made_by = ${person} OR seen.everybody <> 'nothing'
		OR EXISTS (SELECT FROM branch_person named WHERE named.branch_id = seen.id AND named.person_id = ${person}))))`;

/** Whether a person may look at a branch. */
export async function seesBranch(
	database: Database,
	branch: number,
	{ id, permissions }: { id: number; permissions: readonly string[] }
): Promise<boolean> {
	const found = await database.query(`SELECT FROM branch b WHERE b.id = $1 AND ${SEES_BRANCH('b.id', '$2', '$3')}`, [
		branch,
		id,
		permissions.includes('branch.merge')
	]);
	return found.rows.length > 0;
}

/** The condition under which a note is seen in the plan (parameter null) or in a branch (parameter): the plan's, and those of merged branches, everywhere. */
export const SEES_NOTE = (note: string, branch: string): string =>
	`(${note}.branch_id IS NULL OR ${note}.branch_id = ${branch} OR ${note}.branch_id IN (SELECT id FROM branch WHERE state = 'merged'))`;

/** Takes a branch's write lock for the rest of the transaction. @returns its version and state */
export async function lockBranch(client: pg.PoolClient, branch: number): Promise<BranchVersion & { state: string }> {
	return (await client.query<BranchVersion & { state: string }>('SELECT id, version, state FROM branch WHERE id = $1 FOR UPDATE', [branch]))
		.rows[0]!;
}

/**
 * Writes cells of a branch as its next version. The caller holds the branch's lock.
 * @param width how many places a year has
 * @returns the version
 */
export async function writeBranch(
	client: pg.PoolClient,
	branch: number,
	{ person, acting, words }: { person: number; acting: number | null; words: string },
	cells: readonly BranchCell[],
	width: number
): Promise<number> {
	const counted = await client.query<{ version: number }>('UPDATE branch SET version = version + 1 WHERE id = $1 RETURNING version', [
		branch
	]);
	const { version } = counted.rows[0]!;
	await client.query('INSERT INTO branch_change (branch_id, version, person_id, acting_id, words, cells) VALUES ($1, $2, $3, $4, $5, $6)', [
		branch,
		version,
		person,
		acting,
		words,
		cells.length
	]);
	for (let from = 0; from < cells.length; from += CELLS_AT_ONCE)
		await writeCells(client, branch, version, cells.slice(from, from + CELLS_AT_ONCE), width);
	return version;
}

/** Cells that are put together at once: others wait for this thread. */
const CELLS_AT_ONCE = 10_000;

async function writeCells(
	client: pg.PoolClient,
	branch: number,
	version: number,
	cells: readonly BranchCell[],
	width: number
): Promise<void> {
	const keyOf = ({ origin, year, address }: Pick<BranchCell, 'origin' | 'year' | 'address'>) => `${origin} ${year} ${address.join(' ')}`;
	const series = new Map<string, BranchSeries>();
	for (const { origin, year, address } of cells) {
		const empty = () => new Array<number | null>(width).fill(null);
		series.set(keyOf({ origin, year, address }), {
			origin,
			year,
			address: [...address],
			amounts: empty(),
			versions: empty(),
			seen: empty()
		});
	}
	const keys = JSON.stringify([...series.values()].map(({ origin, year, address }) => ({ origin, year, address })));
	const asked = `SELECT x.origin, x.year, ARRAY(SELECT jsonb_array_elements_text(x.address)::integer) AS address
		FROM jsonb_to_recordset($2::jsonb) AS x (origin integer, year smallint, address jsonb)`;
	const known = await client.query<BranchSeries>(
		`SELECT s.origin_id AS origin, s.fiscal_year AS year, s.address, s.amounts, s.versions, s.seen FROM (${asked}) AS x
		JOIN branch_series s ON s.branch_id = $1 AND s.origin_id = x.origin AND s.fiscal_year = x.year AND s.address = x.address`,
		[branch, keys]
	);
	for (const row of known.rows) series.set(keyOf(row), row);
	for (const cell of cells) {
		const { amounts, versions, seen } = series.get(keyOf(cell))!;
		amounts[cell.position] = cell.value;
		versions[cell.position] = cell.value === null ? null : version;
		seen[cell.position] = cell.value === null ? null : cell.seen;
	}
	const numbers = (values: readonly (number | null)[]) => values.map((value) => (value === null ? null : String(value)));
	await client.query(
		`INSERT INTO branch_series (branch_id, origin_id, fiscal_year, address, amounts, versions, seen, version)
		SELECT $1, x.origin, x.year, ARRAY(SELECT jsonb_array_elements_text(x.address)::integer), ARRAY(SELECT a::double precision FROM jsonb_array_elements_text(x.amounts) WITH ORDINALITY AS e (a, o) ORDER BY o),
			ARRAY(SELECT v::integer FROM jsonb_array_elements_text(x.versions) WITH ORDINALITY AS e (v, o) ORDER BY o), ARRAY(SELECT s::double precision FROM jsonb_array_elements_text(x.seen) WITH ORDINALITY AS e (s, o) ORDER BY o), $3
		FROM jsonb_to_recordset($2::jsonb) AS x (origin integer, year smallint, address jsonb, amounts jsonb, versions jsonb, seen jsonb)
		ON CONFLICT (branch_id, origin_id, fiscal_year, address)
			DO UPDATE SET amounts = excluded.amounts, versions = excluded.versions, seen = excluded.seen, version = excluded.version`,
		[
			branch,
			JSON.stringify(
				[...series.values()].map(({ amounts, versions, seen, ...rest }) => ({
					...rest,
					amounts: numbers(amounts),
					versions,
					seen: numbers(seen)
				}))
			),
			version
		]
	);
}

/** What a run leaves in a branch. */
export interface BranchRunLeft {
	run: number;
	cells: BranchCell[];
	/** The origins that ran: in which leaf periods (members) their results are the branch's own afterwards; null for all. */
	own: { origin: number; periods: number[] | null }[];
	/** By origin: the origins whose results its step read. */
	reads: readonly (readonly [number, number[]])[];
	/** How many places a year has. */
	width: number;
}

/** Stores what a run leaves in a branch. The caller holds the branch's lock. @returns the version of the branch */
export async function writeBranchRun(
	client: pg.PoolClient,
	branch: number,
	by: Parameters<typeof writeBranch>[2],
	{ run, cells, own, reads, width }: BranchRunLeft
): Promise<number> {
	const readBy = new Map(reads);
	await client.query(
		`INSERT INTO branch_result (branch_id, origin_id, periods, reads, run_id)
		SELECT $1, x.origin, CASE WHEN jsonb_typeof(x.periods) = 'array' THEN ARRAY(SELECT jsonb_array_elements_text(x.periods)::integer) END,
			ARRAY(SELECT jsonb_array_elements_text(x.reads)::integer), $3
		FROM jsonb_to_recordset($2::jsonb) AS x (origin integer, periods jsonb, reads jsonb)
		ON CONFLICT (branch_id, origin_id) DO UPDATE SET periods = excluded.periods, reads = excluded.reads, run_id = excluded.run_id`,
		[branch, JSON.stringify(own.map(({ origin, periods }) => ({ origin, periods, reads: readBy.get(origin) ?? [] }))), run]
	);
	return writeBranch(client, branch, by, cells, width);
}
