import pg from 'pg';

// int8 (revisions, counts) fits a double; plain dates stay texts, without a time zone.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);
pg.types.setTypeParser(pg.types.builtins.DATE, (text) => text);

/** A pool or one of its connections: functions take it so that they join the caller's transaction. */
export type Database = pg.Pool | pg.PoolClient;

// Kept on globalThis so that a reload in development does not open a second pool.
const shared = globalThis as unknown as { databasePool?: pg.Pool };

/** A pool whose connections may break, idle or lent: the query at hand fails, and the next one takes another connection. */
export function openPool(connectionString: string, max: number): pg.Pool {
	// Statements are short here: compiling one takes longer than carrying it out.
	const made = new pg.Pool({ connectionString, max, options: '-c jit=off' });
	// Without listeners a broken connection would end the process.
	made.on('error', () => {});
	made.on('connect', (client) => client.on('error', () => {}));
	return made;
}

/** The application's connections. @throws Error when DATABASE_URL is not set */
export function pool(): pg.Pool {
	if (!shared.databasePool) {
		if (!process.env.DATABASE_URL) throw new Error('DATABASE_URL is not set. Start with: npm start');
		shared.databasePool = openPool(process.env.DATABASE_URL, 12);
	}
	return shared.databasePool;
}

export async function closePool(): Promise<void> {
	const open = shared.databasePool;
	shared.databasePool = undefined;
	await open?.end();
}

/** Runs work in one transaction: committed when it returns, rolled back when it throws. */
export const transaction = <Result>(work: (client: pg.PoolClient) => Promise<Result>, from: pg.Pool = pool()): Promise<Result> =>
	between('BEGIN', work, from);

/** Reads in one snapshot: whatever is committed meanwhile is not seen. */
export const snapshot = <Result>(work: (client: pg.PoolClient) => Promise<Result>, from: pg.Pool = pool()): Promise<Result> =>
	between('BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY', work, from);

async function between<Result>(begin: string, work: (client: pg.PoolClient) => Promise<Result>, from: pg.Pool): Promise<Result> {
	const client = await from.connect();
	// A connection that breaks while it is lent fails its query, and is not lent again.
	let broken: Error | undefined;
	const onError = (error: Error) => (broken = error);
	client.on('error', onError);
	try {
		await client.query(begin);
		const result = await work(client);
		await client.query('COMMIT');
		return result;
	} catch (error) {
		await client.query('ROLLBACK').catch(() => {});
		throw error;
	} finally {
		client.removeListener('error', onError);
		client.release(broken);
	}
}
