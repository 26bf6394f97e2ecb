// npm run import -- --server: loads a file through a running application, with an access token, and nothing else of it.
import { createReadStream, readFileSync } from 'node:fs';
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { parseArgs } from 'node:util';

const USE = `Use: npm run import -- --server URL --import NAME --file PATH [--model CODE] [--token-file PATH] [--add] [--good-rows] [--again]

  --server URL       the address of the application
  --token-file PATH  a file that holds an access token for loading (default: IMPORT_TOKEN)
  --model CODE       the model, where the token is for several`;

const BETWEEN_LOOKS_MILLISECONDS = 400;

/** @returns {Promise<number>} the exit code: 0 when the rows are loaded, 2 when rows were rejected, 1 otherwise */
export async function importByToken() {
	const outcome = await load().catch((failure) => ({ summary: { ok: false, code: 'failed', message: failure.message }, exitCode: 1 }));
	console.log(JSON.stringify(outcome.summary));
	return outcome.exitCode;
}

async function load() {
	const { values } = parseArgs({
		options: {
			server: { type: 'string' },
			import: { type: 'string' },
			file: { type: 'string' },
			model: { type: 'string' },
			'token-file': { type: 'string' },
			add: { type: 'boolean', default: false },
			'good-rows': { type: 'boolean', default: false },
			again: { type: 'boolean', default: false }
		}
	});
	const token = values['token-file'] ? readFileSync(values['token-file'], 'utf8').trim() : process.env.IMPORT_TOKEN;
	if (!values.server || !values.import || !values.file || !token) {
		console.error(USE);
		return { summary: { ok: false, message: 'Say which server, import and file, and give an access token.' }, exitCode: 1 };
	}
	const facts = { import: values.import, file: values.file };
	const refused = (message, code = 'failed') => ({ summary: { ok: false, ...facts, code, message }, exitCode: 1 });
	if (!(await stat(values.file).catch(() => undefined))?.isFile()) return refused(`There is no file ${values.file}.`);
	const ask = async (path, options = {}) => {
		const response = await fetch(`${values.server.replace(/\/$/, '')}/api/v1${path}`, {
			...options,
			headers: { authorization: `Bearer ${token}`, ...options.headers }
		});
		const answer = await response.json().catch(() => ({ message: `The server answered ${response.status}.` }));
		return { ok: response.ok, answer };
	};
	const models = await ask('/models');
	if (!models.ok) return refused(models.answer.message, models.answer.code);
	const named = models.answer.models.filter(
		({ code, name }) => values.model === undefined || code === values.model || name === values.model
	);
	if (named.length !== 1)
		return refused(named.length === 0 ? 'There is no such model.' : 'The token is for several models: name the model.');
	const model = encodeURIComponent(named[0].code);
	const imports = await ask(`/models/${model}/imports`);
	if (!imports.ok) return refused(imports.answer.message, imports.answer.code);
	const found = imports.answer.imports.find(({ code, name }) => code === values.import || name === values.import);
	if (!found) return refused(`There is no import called ${values.import}.`);
	const query = new URLSearchParams({
		name: basename(values.file),
		...(values.add && { way: 'add' }),
		...(values['good-rows'] && { rejects: 'load good rows' }),
		...(values.again && { again: 'yes' })
	});
	const begun = await ask(`/models/${model}/imports/${encodeURIComponent(found.code)}/loads?${query}`, {
		method: 'POST',
		body: createReadStream(values.file),
		duplex: 'half',
		headers: { 'content-type': 'application/octet-stream' }
	});
	if (!begun.ok) return refused(begun.answer.message, begun.answer.code);
	for (;;) {
		const { ok, answer } = await ask(`/models/${model}/loads/${begun.answer.job}`);
		if (!ok) return refused(answer.message, answer.code);
		if (answer.state === 'done') {
			const rejected = answer.result?.rowsRejected ?? 0;
			return {
				summary: { ok: answer.result?.state === 'loaded' && rejected === 0, ...facts, ...answer.result, words: answer.words },
				exitCode: rejected > 0 ? 2 : 0
			};
		}
		if (answer.state === 'failed' || answer.state === 'cancelled') return refused(answer.words, answer.state);
		await new Promise((wait) => setTimeout(wait, BETWEEN_LOOKS_MILLISECONDS));
	}
}
