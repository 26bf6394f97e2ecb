// npm run import: loads a file through a saved import, for schedulers of other systems. Prints a JSON summary; the exit
// code is 0 when the rows are loaded, 2 when rows were rejected (and, unless good rows load, nothing was), 1 otherwise.
import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { parseArgs } from 'node:util';
import { closePool, pool } from '../src/lib/server/database';
import { Fault } from '../src/lib/server/fault';
import { keepFile, startLoad, waitForLoad } from '../src/lib/server/import/start';
import { personByEmail } from '../src/lib/server/session';

const USE = `Use: npm run import -- --import NAME --file PATH [--as E-MAIL] [--model NAME] [--add] [--good-rows] [--again]

  --import NAME   code or name of the import
  --file PATH     the file to load
  --as E-MAIL     in whose name it is loaded (default: IMPORT_PERSON)
  --model NAME    the model, where there are several
  --add           add on top instead of replacing
  --good-rows     load good rows although others are rejected
  --again         load although the same file has been loaded before

The application need not run; DATABASE_URL names its database.`;

interface Summary {
	ok: boolean;
	import?: string;
	file?: string;
	[fact: string]: unknown;
}

async function main(): Promise<{ summary: Summary; exitCode: number }> {
	const { values } = parseArgs({
		options: {
			import: { type: 'string' },
			file: { type: 'string' },
			as: { type: 'string', default: process.env.IMPORT_PERSON },
			model: { type: 'string' },
			add: { type: 'boolean', default: false },
			'good-rows': { type: 'boolean', default: false },
			again: { type: 'boolean', default: false },
			help: { type: 'boolean', default: false }
		}
	});
	if (values.help || !values.import || !values.file || !values.as) {
		console.error(USE);
		return { summary: { ok: false, message: 'Say which import, which file, and in whose name.' }, exitCode: 1 };
	}
	const facts = { import: values.import, file: values.file };
	if (!(await stat(values.file).catch(() => undefined))?.isFile())
		return { summary: { ok: false, ...facts, message: `There is no file ${values.file}.` }, exitCode: 1 };
	const found = await pool().query<{ code: string; model: number }>(
		`SELECT i.code, i.model_id AS model FROM import i JOIN model m ON m.id = i.model_id
		WHERE (i.code = $1 OR i.name = $1) AND ($2::text IS NULL OR m.name = $2 OR m.code = $2) ORDER BY i.code = $1 DESC`,
		[values.import, values.model ?? null]
	);
	const target = found.rows[0];
	if (!target) return { summary: { ok: false, ...facts, message: `There is no import called ${values.import}.` }, exitCode: 1 };
	if (new Set(found.rows.map(({ model }) => model)).size > 1)
		return {
			summary: { ok: false, ...facts, message: `Several models have an import called ${values.import}: name the model.` },
			exitCode: 1
		};
	const person = await personByEmail(values.as, target.model);
	const file = await keepFile(person, target.model, target.code, basename(values.file), createReadStream(values.file));
	const { job } = await startLoad(person, target.model, target.code, {
		file: file.id,
		way: values.add ? 'add' : undefined,
		rejects: values['good-rows'] ? 'load good rows' : undefined,
		again: values.again
	});
	const outcome = await waitForLoad(job);
	return {
		summary: { ok: outcome.state === 'loaded' && outcome.rowsRejected === 0, ...facts, ...outcome },
		exitCode: outcome.rowsRejected > 0 ? 2 : 0
	};
}

let result: Awaited<ReturnType<typeof main>>;
try {
	result = await main();
} catch (error) {
	const message = error instanceof Fault ? error.message : error instanceof Error ? error.message : String(error);
	result = { summary: { ok: false, code: error instanceof Fault ? error.code : 'failed', message }, exitCode: 1 };
}
console.log(JSON.stringify(result.summary));
await closePool();
process.exit(result.exitCode);
