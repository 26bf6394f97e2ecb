import { once } from 'node:events';
import type pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { BinaryCopyReader } from './binary-copy';
import { addressDimensions } from './definitions';
import type { Database } from './pool';
import type { StoredSeries } from './series';

/** The name of a model's cell table. */
const tableOf = (modelId: number): string => `cells_${Math.trunc(modelId)}`;

/** Columns of an address: one per dimension, named by its id, in the model's order. */
const columnsOf = (dimensionIds: readonly number[]): string[] => dimensionIds.map((id) => `d${Math.trunc(id)}`);

/**
 * Makes the cell table of a new model and a view of it with codes, for reporting tools: one row per series and origin.
 * Addresses carry no foreign keys: checking six of them a row would double the time of a load; members in use are
 * protected where they are deleted.
 */
export async function createCellTable(
	database: Database,
	modelId: number,
	dimensions: readonly { id: number; code: string }[]
): Promise<void> {
	const columns = columnsOf(dimensions.map(({ id }) => id));
	const table = tableOf(modelId);
	await database.query(`
		CREATE TABLE ${table} (
			${columns.map((column) => `${column} integer NOT NULL`).join(', ')},
			fiscal_year smallint NOT NULL,
			origin_id integer NOT NULL,
			revision bigint NOT NULL,
			amounts double precision[] NOT NULL,
			PRIMARY KEY (${columns.join(', ')}, fiscal_year, origin_id)
		)`);
	await database.query(`CREATE INDEX ${table}_origin ON ${table} (origin_id, fiscal_year)`);
	const named = dimensions.map(({ code }, index) => `m${index}.code AS "${code.replaceAll('"', '')}"`);
	const joins = dimensions.map(({ id }, index) => `JOIN member m${index} ON m${index}.id = c.d${Math.trunc(id)}`);
	await database.query(`
		CREATE VIEW report_${table} AS
		SELECT ${named.join(', ')}, c.fiscal_year, a.place AS period_of_year, o.name AS origin, a.amount
		FROM ${table} c ${joins.join(' ')} JOIN origin o ON o.id = c.origin_id
		CROSS JOIN LATERAL unnest(c.amounts) WITH ORDINALITY AS a (amount, place)
		WHERE a.amount IS NOT NULL`);
}

/**
 * Writes series: each replaces the row of its address, year and origin; all-empty series delete it. Rows travel through
 * COPY into a temporary table and from there in two statements. Joins the caller's transaction.
 */
export async function writeSeries(
	client: pg.PoolClient,
	modelId: number,
	dimensionIds: readonly number[],
	revision: number,
	series: Iterable<StoredSeries>
): Promise<void> {
	const table = tableOf(modelId);
	const columns = columnsOf(dimensionIds);
	const key = [...columns, 'fiscal_year', 'origin_id'];
	await client.query(`CREATE TEMPORARY TABLE staged (LIKE ${table}) ON COMMIT DROP`);
	await copyRows(client, `COPY staged (${key.join(', ')}, revision, amounts) FROM STDIN`, series, (each) => {
		const amounts = Array.from(each.amounts, (amount) => (amount === amount ? String(amount) : 'NULL')).join(',');
		return `${Array.from(each.members).join('\t')}\t${each.year}\t${each.origin}\t${revision}\t{${amounts}}\n`;
	});
	// Fresh statistics let the planner hash-join large loads instead of looking up row by row.
	await client.query('ANALYZE staged');
	await client.query(`
		DELETE FROM ${table} c USING staged s
		WHERE ${key.map((column) => `c.${column} = s.${column}`).join(' AND ')} AND s.amounts = array_fill(NULL::double precision, ARRAY[cardinality(s.amounts)])`);
	await client.query(`
		INSERT INTO ${table} (${key.join(', ')}, revision, amounts)
		SELECT ${key.join(', ')}, revision, amounts FROM staged
		WHERE amounts <> array_fill(NULL::double precision, ARRAY[cardinality(amounts)])
		ON CONFLICT (${key.join(', ')}) DO UPDATE SET amounts = excluded.amounts, revision = excluded.revision`);
	await client.query('DROP TABLE staged');
}

/** Streams rows of a text COPY, respecting back-pressure. */
export async function copyRows<Row>(
	client: pg.PoolClient,
	statement: string,
	rows: Iterable<Row>,
	line: (row: Row) => string
): Promise<void> {
	const stream = client.query(copyFrom(statement));
	const finished = once(stream, 'finish');
	let chunk: string[] = [];
	let size = 0;
	const send = async () => {
		if (chunk.length === 0) return;
		const room = stream.write(chunk.join(''));
		chunk = [];
		size = 0;
		if (!room) await once(stream, 'drain');
	};
	for (const row of rows) {
		const text = line(row);
		chunk.push(text);
		size += text.length;
		if (size > 65_536) await send();
	}
	await send();
	stream.end();
	await finished;
}

/** Reads every series of a model through a binary COPY. The arrays are reused between calls. */
export async function readAllSeries(
	client: pg.ClientBase,
	modelId: number,
	dimensionIds: readonly number[],
	visit: (series: StoredSeries) => void
): Promise<void> {
	const columns = columnsOf(dimensionIds);
	const stream = client.query(
		copyTo(
			`COPY (SELECT ${columns.join(', ')}, fiscal_year::integer, origin_id, amounts FROM ${tableOf(modelId)}) TO STDOUT (FORMAT binary)`
		)
	);
	const reader = new BinaryCopyReader();
	const members = new Int32Array(columns.length);
	for await (const chunk of stream)
		reader.push(chunk as Buffer, (fields) => {
			for (let dimension = 0; dimension < columns.length; dimension++) members[dimension] = fields.integer(dimension);
			visit({
				members,
				year: fields.integer(columns.length),
				origin: fields.integer(columns.length + 1),
				amounts: fields.doubles(columns.length + 2)
			});
		});
}

/** The series of one origin in some fiscal years. */
export async function readOriginSeries(
	database: Database,
	modelId: number,
	dimensionIds: readonly number[],
	origin: number,
	years: readonly number[]
): Promise<StoredSeries[]> {
	const columns = columnsOf(dimensionIds);
	const found = await database.query<{ members: number[]; year: number; amounts: (number | null)[] }>(
		`SELECT ARRAY[${columns.join(', ')}] AS members, fiscal_year AS year, amounts FROM ${tableOf(modelId)} WHERE origin_id = $1 AND fiscal_year = ANY ($2)`,
		[origin, years]
	);
	return found.rows.map(({ members, year, amounts }) => ({
		origin,
		members,
		year,
		amounts: Float64Array.from(amounts, (amount) => amount ?? Number.NaN)
	}));
}

/** The series of all origins and years at one member of a dimension. */
export async function readSeriesAt(
	database: Database,
	modelId: number,
	dimensionIds: readonly number[],
	dimension: number,
	member: number
): Promise<StoredSeries[]> {
	const columns = columnsOf(dimensionIds);
	const found = await database.query<{ members: number[]; year: number; origin: number; amounts: (number | null)[] }>(
		`SELECT ARRAY[${columns.join(', ')}] AS members, fiscal_year AS year, origin_id AS origin, amounts
		FROM ${tableOf(modelId)} WHERE d${Math.trunc(dimension)} = $1`,
		[member]
	);
	return found.rows.map(({ members, year, origin, amounts }) => ({
		origin,
		members,
		year,
		amounts: Float64Array.from(amounts, (amount) => amount ?? Number.NaN)
	}));
}

/** The loads that last wrote each origin's series at an address. */
export async function cellSources(
	database: Database,
	modelId: number,
	address: readonly number[],
	year: number
): Promise<{ revision: number; at: Date; person: string | null; through: string; kind: 'load' }[]> {
	const columns = columnsOf(await addressDimensions(database, modelId));
	const found = await database.query<{ revision: number; at: Date; person: string | null; through: string; kind: 'load' }>(
		`SELECT c.revision, c.at, p.name AS person, c.through, c.kind
		FROM ${tableOf(modelId)} s
		JOIN change_set c ON c.model_id = $1 AND c.revision = s.revision AND c.kind = 'load'
		LEFT JOIN person p ON p.id = c.person_id
		WHERE s.fiscal_year = $2 AND ${columns.map((column, axis) => `s.${column} = $${axis + 3}`).join(' AND ')}`,
		[modelId, year, ...address]
	);
	return found.rows;
}
