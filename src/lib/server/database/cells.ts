import { once } from 'node:events';
import type pg from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { BinaryCopyReader } from './binary-copy';
import { addressDimensions } from './definitions';
import type { Database } from './pool';
import type { AxisPlacing, ReadSeries, SeriesChange, StoredSeries } from './series';

/** The name of a model's cell table. */
const tableOf = (modelId: number): string => `cells_${Math.trunc(modelId)}`;

/** Columns of an address: one per dimension, named by its id, in the model's order. */
const columnsOf = (dimensionIds: readonly number[]): string[] => dimensionIds.map((id) => `d${Math.trunc(id)}`);

/**
 * Makes the cell table of a new model and a view of it with codes, for reporting tools: one row per series and origin.
 * `stamps` says with which revision each value was written where that is not the row's change set's (0: it is). An amount of
 * infinity is a result of nothing. Addresses carry no foreign keys: checking six of them a row would double the time of a load; members in use are
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
			change_set bigint NOT NULL,
			amounts double precision[] NOT NULL,
			stamps double precision[],
			PRIMARY KEY (${columns.join(', ')}, fiscal_year, origin_id)
		)`);
	await database.query(`CREATE INDEX ${table}_origin ON ${table} (origin_id, fiscal_year)`);
	await createReportView(database, modelId, dimensions);
}

/** Sets a model's cell table aside under another name; it has none until one is made. */
export async function setCellTableAside(client: pg.PoolClient, modelId: number, name: number): Promise<void> {
	await client.query(`DROP VIEW IF EXISTS report_${tableOf(modelId)}`);
	await renameCellTable(client, tableOf(modelId), asideOf(modelId, name));
}

/** Puts a table that was set aside in the place of the present one, which goes. */
export async function putCellTableBack(
	client: pg.PoolClient,
	modelId: number,
	name: number,
	dimensions: readonly { id: number; code: string }[]
): Promise<void> {
	await client.query(`DROP VIEW IF EXISTS report_${tableOf(modelId)}`);
	await client.query(`DROP TABLE ${tableOf(modelId)}`);
	await renameCellTable(client, asideOf(modelId, name), tableOf(modelId));
	await createReportView(client, modelId, dimensions);
}

/** Forgets a table that was set aside. */
export const dropCellTableAside = async (client: pg.PoolClient, modelId: number, name: number): Promise<void> =>
	void (await client.query(`DROP TABLE IF EXISTS ${asideOf(modelId, name)}`));

const asideOf = (modelId: number, name: number): string => `${tableOf(modelId)}_${Math.trunc(name)}`;

async function renameCellTable(client: pg.PoolClient, from: string, to: string): Promise<void> {
	await client.query(`ALTER TABLE ${from} RENAME TO ${to}`);
	await client.query(`ALTER INDEX ${from}_pkey RENAME TO ${to}_pkey`);
	await client.query(`ALTER INDEX ${from}_origin RENAME TO ${to}_origin`);
}

/** Makes the view of a model's cells with codes anew. */
async function createReportView(database: Database, modelId: number, dimensions: readonly { id: number; code: string }[]): Promise<void> {
	const table = tableOf(modelId);
	await database.query(`DROP VIEW IF EXISTS report_${table}`);
	const named = dimensions.map(({ code }, index) => `m${index}.code AS "${code.replaceAll('"', '')}"`);
	const joins = dimensions.map(({ id }, index) => `JOIN member m${index} ON m${index}.id = c.d${Math.trunc(id)}`);
	await database.query(`
		CREATE VIEW report_${table} AS
		SELECT ${named.join(', ')}, c.fiscal_year, a.place AS period_of_year, o.name AS origin, a.amount
		FROM ${table} c ${joins.join(' ')} JOIN origin o ON o.id = c.origin_id
		CROSS JOIN LATERAL unnest(c.amounts) WITH ORDINALITY AS a (amount, place)
		WHERE a.amount < 'Infinity'`);
}

/**
 * Gives every stored series a member of one more dimension, the last of its address from then on. Joins the caller's
 * transaction, which holds everything that writes off.
 * @param dimensions as they are afterwards, in address order
 * @param placing at which member each series goes
 */
export async function widenCellTable(
	client: pg.PoolClient,
	modelId: number,
	dimensions: readonly { id: number; code: string }[],
	placing: AxisPlacing
): Promise<void> {
	const table = tableOf(modelId);
	const columns = columnsOf(dimensions.map(({ id }) => id));
	const added = columns.at(-1)!;
	await client.query(`ALTER TABLE ${table} ADD COLUMN ${added} integer NOT NULL DEFAULT ${Math.trunc(placing.otherwise)}`);
	await client.query(`ALTER TABLE ${table} ALTER COLUMN ${added} DROP DEFAULT`);
	if (placing.by !== undefined) {
		const [from, to] = [[...placing.members.keys()], [...placing.members.values()]];
		await client.query(
			`UPDATE ${table} c SET ${added} = p.goes FROM unnest($1::integer[], $2::integer[]) AS p (at, goes)
			WHERE c.${columns[placing.by]!} = p.at AND c.${added} <> p.goes`,
			[from, to]
		);
	}
	await client.query(`ALTER TABLE ${table} DROP CONSTRAINT ${table}_pkey`);
	await client.query(`ALTER TABLE ${table} ADD PRIMARY KEY (${columns.join(', ')}, fiscal_year, origin_id)`);
	await createReportView(client, modelId, dimensions);
}

/**
 * Writes series: each replaces the row of its address, year and origin; all-empty series delete it. Rows travel through
 * COPY into a temporary table and from there in two statements. Joins the caller's transaction.
 * @param changeSet the number of the change set they belong to
 */
export async function writeSeries(
	client: pg.PoolClient,
	modelId: number,
	dimensionIds: readonly number[],
	changeSet: number,
	series: Iterable<StoredSeries & Pick<SeriesChange, 'stamps'>>
): Promise<void> {
	const table = tableOf(modelId);
	const key = [...columnsOf(dimensionIds), 'fiscal_year', 'origin_id'];
	await client.query(`CREATE TEMPORARY TABLE staged (LIKE ${table}) ON COMMIT DROP`);
	await copySeries(client, 'staged', key, changeSet, series);
	// Fresh statistics let the planner hash-join large loads instead of looking up row by row.
	await client.query('ANALYZE staged');
	await client.query(`
		DELETE FROM ${table} c USING staged s
		WHERE ${key.map((column) => `c.${column} = s.${column}`).join(' AND ')} AND s.amounts = array_fill(NULL::double precision, ARRAY[cardinality(s.amounts)])`);
	await client.query(`
		INSERT INTO ${table} (${key.join(', ')}, change_set, amounts, stamps)
		SELECT ${key.join(', ')}, change_set, amounts, stamps FROM staged
		WHERE amounts <> array_fill(NULL::double precision, ARRAY[cardinality(amounts)])
		ON CONFLICT (${key.join(', ')}) DO UPDATE SET amounts = excluded.amounts, change_set = excluded.change_set, stamps = excluded.stamps`);
	await client.query('DROP TABLE staged');
}

/** Writes series where none stands yet: straight into the table, which is half the work of `writeSeries`. */
export async function addSeries(
	client: pg.PoolClient,
	modelId: number,
	dimensionIds: readonly number[],
	changeSet: number,
	series: Iterable<StoredSeries & Pick<SeriesChange, 'stamps'>>
): Promise<void> {
	await copySeries(client, tableOf(modelId), [...columnsOf(dimensionIds), 'fiscal_year', 'origin_id'], changeSet, series);
}

function copySeries(
	client: pg.PoolClient,
	table: string,
	key: readonly string[],
	changeSet: number,
	series: Iterable<StoredSeries & Pick<SeriesChange, 'stamps'>>
): Promise<void> {
	return copyRows(
		client,
		`COPY ${table} (${key.join(', ')}, change_set, amounts, stamps) FROM STDIN`,
		series,
		({ members, year, origin, amounts, stamps }) => {
			let line = '';
			for (let dimension = 0; dimension < members.length; dimension++) line += `${members[dimension]!}\t`;
			line += `${year}\t${origin}\t${changeSet}\t{`;
			for (let place = 0; place < amounts.length; place++) {
				const amount = amounts[place]!;
				line += (place === 0 ? '' : ',') + (amount === amount ? String(amount) : 'NULL');
			}
			return `${line}}\t${stampsToKeep(amounts, stamps)}\n`;
		}
	);
}

/** Stamps are kept where some value has another one than its row's change set. */
function stampsToKeep(amounts: Float64Array, stamps: Float64Array | undefined): string {
	if (!stamps || !stamps.some((stamp, place) => stamp !== 0 && amounts[place] === amounts[place])) return '\\N';
	return `{${Array.from(stamps, (stamp, place) => (amounts[place] === amounts[place] ? stamp : 0)).join(',')}}`;
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
export function readAllSeries(
	client: pg.ClientBase,
	modelId: number,
	dimensionIds: readonly number[],
	visit: (series: ReadSeries) => void
): Promise<void> {
	return readSeriesWhere(client, modelId, dimensionIds, 'true', visit);
}

/** The series of one origin in some fiscal years. The arrays are reused between calls. */
export function readOriginSeries(
	client: pg.ClientBase,
	modelId: number,
	dimensionIds: readonly number[],
	origin: number,
	years: readonly number[],
	visit: (series: ReadSeries) => void
): Promise<void> {
	// COPY takes no parameters; whole numbers only.
	const inYears = [...years, -1].map((year) => Math.trunc(year)).join(', ');
	return readSeriesWhere(client, modelId, dimensionIds, `s.origin_id = ${Math.trunc(origin)} AND s.fiscal_year IN (${inYears})`, visit);
}

async function readSeriesWhere(
	client: pg.ClientBase,
	modelId: number,
	dimensionIds: readonly number[],
	condition: string,
	visit: (series: ReadSeries) => void
): Promise<void> {
	const columns = columnsOf(dimensionIds);
	const stream = client.query(
		copyTo(
			`COPY (SELECT ${columns.map((column) => `s.${column}`).join(', ')}, s.fiscal_year::integer, s.origin_id, s.amounts,
				coalesce(c.revision, 0)::integer, coalesce(s.stamps, '{}')
			FROM ${tableOf(modelId)} s LEFT JOIN change_set c ON c.model_id = ${Math.trunc(modelId)} AND c.number = s.change_set
			WHERE ${condition}) TO STDOUT (FORMAT binary)`
		)
	);
	const reader = new BinaryCopyReader();
	const members = new Int32Array(columns.length);
	// A stream left half-way would leave the connection unusable: it is read to its end, whatever the visitor does.
	let failure: unknown;
	for await (const chunk of stream) {
		if (failure !== undefined) continue;
		try {
			reader.push(chunk as Buffer, (fields) => {
				for (let dimension = 0; dimension < columns.length; dimension++) members[dimension] = fields.integer(dimension);
				visit({
					members,
					year: fields.integer(columns.length),
					origin: fields.integer(columns.length + 1),
					amounts: fields.doubles(columns.length + 2),
					stamps: stampsOf(fields.integer(columns.length + 3), fields.doubles(columns.length + 4))
				});
			});
		} catch (error) {
			failure = error;
		}
	}
	if (failure !== undefined) throw failure;
}

/** The revision of a row's values: one for all, or each one's own. */
function stampsOf(revision: number, stamps: Float64Array): number | Float64Array {
	if (stamps.length === 0) return revision;
	for (let place = 0; place < stamps.length; place++) if (stamps[place] === 0) stamps[place] = revision;
	return stamps;
}

/** The series of all origins and years at one member of a dimension. */
export async function readSeriesAt(
	database: Database,
	modelId: number,
	dimensionIds: readonly number[],
	dimension: number,
	member: number
): Promise<(ReadSeries & { stamps: Float64Array })[]> {
	const columns = columnsOf(dimensionIds);
	const found = await database.query<{
		members: number[];
		year: number;
		origin: number;
		amounts: (number | null)[];
		revision: number;
		stamps: number[] | null;
	}>(
		`SELECT ARRAY[${columns.join(', ')}] AS members, s.fiscal_year AS year, s.origin_id AS origin, s.amounts, s.stamps,
			coalesce(c.revision, 0)::integer AS revision
		FROM ${tableOf(modelId)} s LEFT JOIN change_set c ON c.model_id = $2 AND c.number = s.change_set
		WHERE d${Math.trunc(dimension)} = $1`,
		[member, modelId]
	);
	return found.rows.map(({ members, year, origin, amounts, revision, stamps }) => ({
		origin,
		members,
		year,
		amounts: Float64Array.from(amounts, (amount) => amount ?? Number.NaN),
		stamps: Float64Array.from(amounts, (_, place) => stamps?.[place] || revision)
	}));
}

/** The loads that last wrote each origin's series at an address. */
export async function cellSources(
	database: Database,
	modelId: number,
	address: readonly number[],
	year: number
): Promise<{ revision: number; at: Date; person: string | null; through: string; kind: 'load' | 'take back' }[]> {
	const columns = columnsOf(await addressDimensions(database, modelId));
	const found = await database.query<{ revision: number; at: Date; person: string | null; through: string; kind: 'load' | 'take back' }>(
		`SELECT c.revision, c.at, p.name AS person, c.through, c.kind
		FROM ${tableOf(modelId)} s
		JOIN change_set c ON c.model_id = $1 AND c.number = s.change_set AND c.kind IN ('load', 'take back')
		LEFT JOIN person p ON p.id = c.person_id
		WHERE s.fiscal_year = $2 AND ${columns.map((column, axis) => `s.${column} = $${axis + 3}`).join(' AND ')}`,
		[modelId, year, ...address]
	);
	return found.rows;
}

/** How many amounts a model has at each member of a dimension; all of them under null where none is asked for. */
export async function amountsByMember(
	database: Database,
	modelId: number,
	dimension: number | undefined
): Promise<Map<number | null, number>> {
	const member = dimension === undefined ? 'NULL::integer' : `d${Math.trunc(dimension)}`;
	const found = await database.query<{ member: number | null; count: number }>(
		`SELECT ${member} AS member, coalesce(sum(cardinality(array_remove(amounts, NULL))), 0)::integer AS count FROM ${tableOf(modelId)} GROUP BY 1`
	);
	return new Map(found.rows.map(({ member: at, count }) => [at, count]));
}
