// Brings the database up to date and loads the demo into an empty one. `--reset` empties it first.
import pg from 'pg';
import { loadDemo } from '../demo/load';
import { migrate } from '../src/lib/server/database/migrate';

const database = new pg.Pool({ connectionString: process.env.DATABASE_URL, max: 4 });
try {
	if (process.argv.includes('--reset')) await database.query('DROP SCHEMA public CASCADE; CREATE SCHEMA public');
	const run = await migrate(database, 'src/lib/server/database/migrations');
	if (run.length > 0) console.log(`    migrations run: ${run.join(', ')}`);
	const models = await database.query<{ count: number }>('SELECT count(*)::integer AS count FROM model');
	if (models.rows[0]!.count === 0 && process.env.DEMO !== '0') {
		const loaded = await loadDemo(database);
		console.log(`    demo loaded: ${loaded.cells.toLocaleString('en-GB')} cells, ${loaded.people} people`);
	}
} catch (error) {
	console.error(`    ${error instanceof Error ? error.message : String(error)}`);
	if (process.env.DEBUG) console.error(error);
	process.exitCode = 1;
} finally {
	await database.end();
}
