import { changeAccess, type AccessKind } from '../../src/lib/server/access';
import { closePool } from '../../src/lib/server/database';
import { stopEngines } from '../../src/lib/server/engine';
import { personById, type SignedIn } from '../../src/lib/server/session';
import { freshDatabase } from './demo-database';

/** The demo in a database of its own, with its people by first name, and its model of posts, which is guarded by line. */
export async function openHouse(name: string) {
	const database = await freshDatabase(name, { demo: true });
	process.env.DATABASE_URL = database.url;
	const one = async (sql: string) => (await database.pool.query<{ id: number }>(sql)).rows[0]!.id;
	const people = await database.pool.query<{ id: number; name: string }>('SELECT id, name FROM person');
	const ids = new Map(people.rows.map((each) => [each.name.split(' ')[0]!, each.id]));
	const posts = await one("SELECT id FROM model WHERE code = 'crew'");
	const line = await one("SELECT id FROM dimension WHERE code = 'line'");
	const person = (who: string, model = posts): Promise<SignedIn> => personById(ids.get(who)!, model);
	return {
		database,
		ids,
		posts,
		line,
		person,
		/** Puts an object of access into another state. */
		put: async (kind: AccessKind, id: number | null, before: unknown, after: unknown, by = 'Maren', model = posts) =>
			changeAccess(await person(by, model), model, { kind, id, before, after }),
		/** A member's id by its code. */
		member: async (code: string, dimension = line) =>
			(await database.pool.query<{ id: number }>('SELECT id FROM member WHERE code = $1 AND dimension_id = $2', [code, dimension])).rows[0]!
				.id,
		close: async () => {
			await stopEngines();
			await closePool();
			await database.close();
		}
	};
}
export type House = Awaited<ReturnType<typeof openHouse>>;
