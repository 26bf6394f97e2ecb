// Holds what is stored against the journal. Run by npm run verify.
import { closePool, pool } from '../src/lib/server/database';
import { verifyModels } from '../src/lib/server/verify';

const client = await pool().connect();
let differences = 0;
try {
	for (const { model, cells, revisions, differences: count, first } of await verifyModels(client)) {
		console.log(
			`${model}: ${cells.toLocaleString('en')} cells in ${revisions.toLocaleString('en')} revisions, ${count.toLocaleString('en')} differences`
		);
		for (const words of first) console.log(`    ${words}`);
		differences += count;
	}
} finally {
	client.release();
	await closePool();
}
process.exitCode = differences === 0 ? 0 : 1;
