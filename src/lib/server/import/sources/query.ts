import { stringify } from 'csv-stringify/sync';
import pg from 'pg';
import { z } from 'zod';
import { pool } from '../../database';
import { Fault } from '../../fault';
import { isSealed, seal, unseal } from '../../secrets';
import { requirePermission, type SignedIn } from '../../session';
import { reach, readAddress } from './place';

const ROWS_AT_ONCE = 5_000;
const PATIENCE_MILLISECONDS = 10 * 60_000;
const CONNECT_MILLISECONDS = 10_000;

export const connectionSchema = z.object({
	name: z.string().trim().min(1).max(100),
	address: z.string().trim().max(1_000)
});

/** A database of another system; its address stays on the server. */
export interface Connection {
	id: number;
	name: string;
	/** Where it is, without user and password. */
	place: string;
}

/** The connections of this installation. */
export async function listConnections(person: SignedIn | undefined): Promise<Connection[]> {
	requirePermission(person, 'data.read');
	const found = await pool().query<{ id: number; name: string; address: string }>('SELECT id, name, address FROM connection ORDER BY name');
	return found.rows.map(({ id, name, address }) => ({ id, name, place: placeOf(address) }));
}

function placeOf(address: string): string {
	const url = readAddress(unseal(address));
	return `${url.hostname}${url.port ? `:${url.port}` : ''}${url.pathname}`;
}

/** Adds or replaces a connection by its name. Administrators only: whoever sets an address decides what the server reaches. */
export async function setConnection(
	person: SignedIn | undefined,
	{ name, address }: z.infer<typeof connectionSchema>
): Promise<Connection[]> {
	requirePermission(person, 'structure.write');
	// Looked at before it is kept; and again each time, as names lead elsewhere one day.
	await reach(address);
	await pool().query('INSERT INTO connection (name, address) VALUES ($1, $2) ON CONFLICT (name) DO UPDATE SET address = $2', [
		name,
		seal(address)
	]);
	return listConnections(person);
}

/** What nothing but reading needs: an account that may do this is not lent to queries. */
const MORE_THAN_READING = `SELECT rolsuper OR rolreplication OR pg_has_role(oid, 'pg_read_server_files', 'MEMBER')
	OR pg_has_role(oid, 'pg_write_server_files', 'MEMBER') OR pg_has_role(oid, 'pg_execute_server_program', 'MEMBER') AS more
	FROM pg_roles WHERE rolname = current_user`;

/**
 * The rows of a query as CSV with a line of headings. It is the query of a cursor in a transaction that reads only: one
 * statement that gives rows, no COPY; what it returns is taken as text.
 * @param signal ends it, there too, at once
 * @throws Fault with the other database's own words when it refuses
 */
export async function* queryRows(connectionId: number, text: string, signal?: AbortSignal): AsyncGenerator<Uint8Array> {
	const found = await pool().query<{ name: string; address: string }>('SELECT name, address FROM connection WHERE id = $1', [connectionId]);
	const connection = found.rows[0];
	if (!connection) throw new Fault(422, 'no connection', 'The connection of this query is not there any more. Choose another.');
	const address = unseal(connection.address);
	// Those of before were kept as they came.
	if (!isSealed(connection.address)) await pool().query('UPDATE connection SET address = $2 WHERE id = $1', [connectionId, seal(address)]);
	const config: pg.ClientConfig = {
		...(await reach(address)),
		connectionTimeoutMillis: CONNECT_MILLISECONDS,
		statement_timeout: PATIENCE_MILLISECONDS,
		application_name: 'noble-lattice-import'
	};
	const client = new pg.Client(config);
	client.on('error', () => {});
	try {
		await client.connect();
	} catch (error) {
		throw new Fault(422, 'no connection', `${connection.name} cannot be reached: ${(error as Error).message}.`);
	}
	const cancel = () => void cancelThere(config, (client as unknown as { processID: number }).processID);
	signal?.addEventListener('abort', cancel, { once: true });
	try {
		const { rows: account } = await client.query<{ more: boolean }>(MORE_THAN_READING);
		if (account[0]?.more !== false)
			throw new Fault(
				422,
				'too mighty',
				`The account of ${connection.name} may do more there than read tables. Give the connection one that may only read.`
			);
		await client.query('BEGIN TRANSACTION READ ONLY');
		// The extended protocol takes one statement only.
		await client.query({
			text: `DECLARE lattice_rows NO SCROLL CURSOR FOR ${text.trim().replace(/;\s*$/, '')}`,
			queryMode: 'extended'
		} as pg.QueryConfig);
		for (let first = true; ; first = false) {
			if (signal?.aborted) throw new Fault(409, 'cancelled', 'Cancelled. Nothing was fetched.');
			const { rows, fields } = await client.query<(string | null)[]>({
				text: `FETCH ${ROWS_AT_ONCE} FROM lattice_rows`,
				rowMode: 'array',
				types: { getTypeParser: () => (value: string) => value } as never
			});
			if (first) yield Buffer.from(stringify([fields.map(({ name }) => name)]));
			if (rows.length === 0) break;
			yield Buffer.from(stringify(rows.map((row) => row.map((value) => value ?? ''))));
		}
	} catch (error) {
		if (error instanceof Fault) throw error;
		if (signal?.aborted) throw new Fault(409, 'cancelled', 'Cancelled. Nothing was fetched.');
		throw new Fault(422, 'query refused', `${connection.name} says: ${(error as Error).message}.`);
	} finally {
		signal?.removeEventListener('abort', cancel);
		await client.end().catch(() => {});
	}
}

/** Ends what a connection is at, by another one: the first hears nothing while it waits. */
async function cancelThere(config: pg.ClientConfig, process: number): Promise<void> {
	const client = new pg.Client(config);
	client.on('error', () => {});
	try {
		await client.connect();
		await client.query('SELECT pg_cancel_backend($1)', [process]);
	} catch {
		// The time limit ends it.
	} finally {
		await client.end().catch(() => {});
	}
}
