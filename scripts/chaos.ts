// Kills server and database at random moments while three people enter, save, load, run, paste members, copy a model by its
// package and take loads, runs and pastes back; in
// the end everything that was acknowledged is looked for in the forms, the tables and the journal. Run by npm run chaos.
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { randomInt, randomUUID } from 'node:crypto';
import pg from 'pg';
import { DEMO_PASSWORD } from '../demo/people.mjs';
import { verifyModels } from '../src/lib/server/verify';
import { freePort, removeCluster, startPostgres } from './lib/postgres.mjs';

const CLUSTER = '.pg-chaos';
const FORM = 'fleet-care';
const SMALL_MODEL = 'balances';
/** Each is a model of its own that the end reads whole. */
const MOST_COPIES = 25;
const PEOPLE = ['maren.kvist', 'osric.hale', 'tove.brandal'];
const argument = process.argv.indexOf('--kills');
const KILLS = argument > 0 ? Number(process.argv[argument + 1]) : 20;
/** How long after a kill the next one comes at the earliest and at the latest, in milliseconds. */
const [SOONEST, LATEST] = [500, 6_000];
const pause = (milliseconds: number) => new Promise((done) => setTimeout(done, milliseconds));

removeCluster(CLUSTER);
const database = await startPostgres({ dir: CLUSTER });
const port = await freePort();
const origin = `http://127.0.0.1:${port}`;
const counts = {
	server: 0,
	database: 0,
	entries: 0,
	saves: 0,
	loads: 0,
	runs: 0,
	pastes: 0,
	packages: 0,
	takenBack: 0,
	runsTakenBack: 0,
	pastesTakenBack: 0,
	unanswered: 0
};
let going = true;
let app: ChildProcess;

function start(): void {
	app = spawn(process.execPath, ['scripts/start.mjs'], {
		env: {
			...process.env,
			PORT: String(port),
			ORIGIN: origin,
			DATABASE_URL: database.url,
			SECRET_KEY_FILE: database.secretKeyFile,
			LOG_LEVEL: 'silent',
			// It never stays up for long here.
			RESTART_AFTER_AT_MOST: '1000'
		},
		stdio: 'ignore'
	});
}

async function untilReady(): Promise<void> {
	for (let tries = 0; tries < 900; tries++) {
		if ((await fetch(`${origin}/readyz`).catch(() => undefined))?.ok) return;
		await pause(100);
	}
	throw new Error('The server did not come back within 90 seconds.');
}

/** Ends the server process; the one that looks after it starts another. */
function killServer(): boolean {
	const found = spawnSync('pgrep', ['-P', String(app.pid), '-f', 'serve.mjs'], { encoding: 'utf8' }).stdout.trim();
	if (!found) return false;
	process.kill(Number(found.split('\n')[0]), 'SIGKILL');
	return true;
}

/** Ends one process of the database: all its connections break, and it recovers from its log. */
async function killDatabase(): Promise<boolean> {
	const client = new pg.Client({ connectionString: database.url });
	client.on('error', () => {});
	try {
		await client.connect();
		const { rows } = await client.query<{ pid: number }>('SELECT pg_backend_pid() AS pid');
		process.kill(rows[0]!.pid, 'SIGKILL');
		return true;
	} catch {
		return false;
	} finally {
		await client.end().catch(() => {});
	}
}

/** One person with a session of their own, as a browser keeps it. */
class Person {
	readonly name: string;
	#cookie = '';
	#id = 0;
	/** By cell: what it must show, saved or not. */
	readonly expected = new Map<string, number>();
	/** In their order; what became of one whose answer was lost is not known. */
	readonly pastes: { codes: string[]; known: boolean }[] = [];
	readonly batches: number[] = [];
	readonly runs: number[] = [];
	/** Models made from packages that were acknowledged, by id. */
	readonly made: number[] = [];

	constructor(name: string) {
		this.name = name;
	}

	async signIn(): Promise<void> {
		for (;;) {
			const response = await fetch(`${origin}/sign-in?/password`, {
				method: 'POST',
				redirect: 'manual',
				headers: { origin, 'content-type': 'application/x-www-form-urlencoded' },
				body: new URLSearchParams({ email: `${this.name}@brinewater.example`, password: DEMO_PASSWORD })
			}).catch(() => undefined);
			const cookies = response?.headers.getSetCookie() ?? [];
			if (cookies.some((each) => each.includes('lattice_session'))) {
				this.#cookie = cookies.map((each) => each.split(';')[0]).join('; ');
				const page = await fetch(`${origin}/m/group/desk`, { headers: { cookie: this.#cookie } }).catch(() => undefined);
				this.#id = Number(/data-person="(\d+)"/.exec((await page?.text()) ?? '')?.[1] ?? 0);
				if (this.#id > 0) return;
			}
			await pause(200);
		}
	}

	/** Asks once. @returns undefined when no answer came, or the server could not answer at the moment */
	async ask<Answer>(path: string, body?: unknown, raw?: string | Buffer<ArrayBuffer>, model = 'group'): Promise<Answer | undefined> {
		try {
			const response = await fetch(`${origin}/api/m/${model}${path}`, {
				method: body === undefined && raw === undefined ? 'GET' : 'POST',
				headers: {
					origin,
					cookie: this.#cookie,
					'x-person': String(this.#id),
					'content-type': raw === undefined ? 'application/json' : typeof raw === 'string' ? 'text/csv' : 'application/zip'
				},
				...((body !== undefined || raw !== undefined) && { body: raw ?? JSON.stringify(body) })
			});
			if (response.ok && response.headers.get('content-type') === 'application/zip')
				return Buffer.from(await response.arrayBuffer()) as Answer;
			const text = await response.text();
			if (response.ok) return JSON.parse(text) as Answer;
			if (response.status < 500 && response.status !== 429)
				throw new Refused(`${this.name} ${path}: ${response.status} ${text.slice(0, 300)}`);
		} catch (error) {
			if (error instanceof Refused) throw error;
		}
		counts.unanswered++;
		return undefined;
	}

	/** Asks until an answer comes: what is sent again carries the same name. */
	async insist<Answer>(path: string, body: unknown): Promise<Answer> {
		for (;;) {
			const answer = await this.ask<Answer>(path, body);
			if (answer) return answer;
			await pause(150);
		}
	}
}
class Refused extends Error {}

interface FormAnswer {
	rows: { label: string; parent: boolean; kind: string }[];
	columns: { label: string; parent: boolean; kind: string; computed?: boolean }[];
	marks: string;
	values: (number | null)[];
	structure: number;
	frame: string;
}
/** One line for all three: each types into months and accounts of their own. */
const CHOICES: { members: Record<string, number>; currency: string } = { members: {}, currency: 'local' };
const open = async (person: Person): Promise<FormAnswer> =>
	(await person.insist<{ form: FormAnswer }>(`/forms/${FORM}/open`, { choices: CHOICES })).form;

/** Enters `+= n` into a cell of one's own, again and again until it is acknowledged: it must count once. */
async function enterOne(person: Person, place: number): Promise<void> {
	for (;;) {
		const form = await open(person);
		const own = [...form.marks].flatMap((mark, cell) => {
			const [line, column] = [form.rows[Math.floor(cell / form.columns.length)]!, form.columns[cell % form.columns.length]!];
			const isLeaf = !line.parent && !column.parent && (mark === 'e' || mark === 's');
			return isLeaf && cell % PEOPLE.length === place ? [cell] : [];
		});
		const cell = own[randomInt(own.length)]!;
		const [row, column] = [Math.floor(cell / form.columns.length), cell % form.columns.length];
		const key = `${form.rows[row]!.label} · ${form.columns[column]!.label}`;
		const before = person.expected.get(key) ?? form.values[cell] ?? 0;
		const more = randomInt(1, 100);
		const entries = { entries: [{ row, column, text: `+= ${more}` }], structure: form.structure, frame: form.frame, id: randomUUID() };
		try {
			const { faults } = await person.insist<{ faults: unknown[] }>(`/forms/${FORM}/enter`, { choices: CHOICES, entries });
			if (faults.length > 0) throw new Error(`An entry was refused: ${JSON.stringify(faults)}`);
		} catch (error) {
			// The lines changed meanwhile, as members were pasted: looked at and entered anew.
			if (error instanceof Refused && /have changed meanwhile/.test(error.message)) continue;
			throw error;
		}
		person.expected.set(key, before + more);
		counts.entries++;
		return;
	}
}

async function save(person: Person): Promise<void> {
	await person.insist(`/forms/${FORM}/save`, { decisions: { keepMine: [], takeTheirs: [] } });
	counts.saves++;
}

async function load(person: Person): Promise<void> {
	const rows = Array.from(
		{ length: 30 },
		() => `7010;S-BK;RT-01;${String(randomInt(1, 29)).padStart(2, '0')}.09.2026;Chaos;${randomInt(1, 9_999)}-`
	);
	const file = await person.ask<{ id: number }>(
		'/files?import=ledger&name=chaos.csv',
		undefined,
		['Account;Unit;Route;Posting date;Text;Amount', ...rows, ''].join('\n')
	);
	const started = file && (await person.ask<{ batch: number; job: number }>('/imports/ledger/load', { file: file.id, again: true }));
	if (!started) return;
	counts.loads++;
	person.batches.push(started.batch);
}

async function takeBack(person: Person): Promise<void> {
	const batch = person.batches.pop();
	if (batch === undefined) return;
	// It may have failed, or not ended yet: then it is refused.
	if (await person.ask(`/batches/${batch}/take-back`, { withLater: true }).catch(() => undefined)) counts.takenBack++;
}

async function run(person: Person, runbook: number): Promise<void> {
	const started = await person.ask<{ run: number }>(`/runbooks/${runbook}/run`, { answers: {} }).catch(() => undefined);
	if (!started) return;
	counts.runs++;
	person.runs.push(started.run);
}

async function takeRunBack(person: Person): Promise<void> {
	const last = person.runs.pop();
	// It may not have ended yet, or something came above it: then it is refused.
	if (last !== undefined && (await person.ask(`/runs/${last}/take-back`, {}).catch(() => undefined))) counts.runsTakenBack++;
}

/** Undoes the last paste, where it is known to be the last structure change of the dimension. */
async function undoPaste(person: Person): Promise<void> {
	const last = person.pastes.at(-1);
	if (!last?.known) return;
	const answer = await person.ask('/structure/dimension/route/undo', {}).catch(() => 'refused' as const);
	if (answer === 'refused') return;
	if (answer) {
		person.pastes.pop();
		counts.pastesTakenBack++;
	} else last.known = false;
}

/** A small model as a file, and the file as a new model. */
async function copyByPackage(person: Person): Promise<void> {
	const zip = await person.ask<Buffer<ArrayBuffer>>('/structure/package/export?numbers=yes', undefined, undefined, SMALL_MODEL);
	if (!zip) return;
	const name = `Copy ${randomUUID().slice(0, 8)}`;
	const made = await person.ask<{ id: number }>(`/structure/package/create?name=${encodeURIComponent(name)}`, undefined, zip);
	if (!made) return;
	counts.packages++;
	person.made.push(made.id);
}

async function paste(person: Person): Promise<void> {
	const codes = Array.from({ length: 20 }, () => `CH${randomUUID().slice(0, 8)}`);
	const grid = [['Code', 'Name', 'Parent'], ...codes.map((code) => [code, `Chaos ${code}`, 'ALLROUTES'])];
	const answer = await person.ask('/structure/dimension/route/apply', { grid }).catch(() => 'refused' as const);
	if (answer === 'refused') return;
	person.pastes.push({ codes, known: answer !== undefined });
	if (answer) counts.pastes++;
}

const differences: string[] = [];
const expect = (holds: boolean, words: string) => {
	if (!holds) differences.push(words);
};

start();
await untilReady();
const admin = new pg.Client({ connectionString: database.url });
admin.on('error', () => {});
await admin.connect();
const { rows: runbooks } = await admin.query<{ id: number }>(
	"SELECT b.id FROM runbook b JOIN model m ON m.id = b.model_id WHERE m.code = 'group' ORDER BY b.id"
);
const line = await admin.query<{ id: number; dimension: number }>(
	"SELECT m.id, m.dimension_id AS dimension FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = 'line' AND m.code = 'SKE'"
);
CHOICES.members[String(line.rows[0]!.dimension)] = line.rows[0]!.id;
await admin.end();

const people = PEOPLE.map((name) => new Person(name));
for (const person of people) await person.signIn();
const workers = people.map(async (person, place) => {
	while (going) {
		const what = randomInt(100);
		if (what < 50) await enterOne(person, place);
		else if (what < 72) await save(person);
		else if (place > 0) continue;
		else if (what < 78) await load(person);
		else if (what < 82) await takeBack(person);
		else if (what < 87) await run(person, runbooks[randomInt(runbooks.length)]!.id);
		else if (what < 90) await takeRunBack(person);
		else if (what < 95) await paste(person);
		else if (what < 97) await undoPaste(person);
		else if (person.made.length < MOST_COPIES) await copyByPackage(person);
	}
});
const failed = Promise.all(workers).catch((error: unknown) => {
	going = false;
	differences.push(`A person was stopped: ${(error as Error).message}`);
});
while (going && counts.server + counts.database < KILLS) {
	await pause(randomInt(SOONEST, LATEST));
	if (randomInt(100) < 60) counts.server += killServer() ? 1 : 0;
	else counts.database += (await killDatabase()) ? 1 : 0;
	await untilReady();
	const kills = counts.server + counts.database;
	if (kills % 20 === 0) console.log(`  ${kills} kills, ${counts.entries} entries, ${counts.saves} saves, ${counts.packages} packages`);
}
going = false;
await failed;
await untilReady();

// Nothing is under way for ever: jobs whose server has gone end within half a minute.
const client = new pg.Client({ connectionString: database.url });
await client.connect();
const left = async () =>
	(await client.query<{ count: number }>("SELECT count(*)::integer AS count FROM job WHERE state IN ('waiting', 'running')")).rows[0]!
		.count;
const until = Date.now() + 60_000;
while ((await left()) > 0 && Date.now() < until) await pause(500);
expect((await left()) === 0, `${await left()} jobs are under way for ever.`);
const mistold = await client.query<{ id: number; job: string; batch: string }>(
	`SELECT b.id, j.state AS job, b.state AS batch FROM batch b JOIN job j ON j.id = b.job_id
	WHERE (j.state = 'done') <> (b.state IN ('loaded', 'taken back', 'stopped')) OR b.state = 'running'`
);
for (const { id, job, batch } of mistold.rows) differences.push(`Batch ${id} is ${batch}, its job says ${job}.`);
const mistoldRuns = await client.query<{ id: number; job: string; run: string }>(
	`SELECT r.id, j.state AS job, r.state AS run FROM run r JOIN job j ON j.kind = 'run' AND (j.payload ->> 'run')::integer = r.id
	WHERE (j.state = 'done') <> (r.state IN ('done', 'taken back'))`
);
for (const { id, job, run: state } of mistoldRuns.rows) differences.push(`Run ${id} is ${state}, its job says ${job}.`);
for (const person of people) {
	const form = await open(person);
	for (const [key, value] of person.expected) {
		const cell = form.rows
			.flatMap(({ label }, row) =>
				form.columns.map((column, at) => ({ key: `${label} · ${column.label}`, at: row * form.columns.length + at }))
			)
			.find((each) => each.key === key);
		const shown = cell ? form.values[cell.at] : undefined;
		expect(Math.abs((shown ?? 0) - value) < 1e-6, `${person.name}, ${key}: ${value} was acknowledged, ${String(shown)} is shown.`);
	}
	const { rows: models } = await client.query<{ id: number }>('SELECT id FROM model WHERE id = ANY ($1)', [person.made]);
	expect(
		models.length === person.made.length,
		`${person.name}: ${person.made.length} models were acknowledged, ${models.length} are there.`
	);
	for (const { codes, known } of person.pastes) {
		const { rows } = await client.query<{ code: string }>('SELECT code FROM member WHERE code = ANY ($1)', [codes]);
		const holds = known ? rows.length === codes.length : rows.length === codes.length || rows.length === 0;
		expect(holds, `${person.name}: ${codes.length} members were pasted${known ? ' and acknowledged' : ''}, ${rows.length} are there.`);
	}
}
const pool = new pg.Pool({ connectionString: database.url });
const checked = await pool.connect();
for (const { model, cells, differences: count, first } of await verifyModels(checked)) {
	console.log(`  ${model}: ${cells.toLocaleString('en')} cells against the journal, ${count} differences`);
	if (count > 0) differences.push(`${model}: ${count} cells differ from the journal: ${first.join('; ')}`);
}
checked.release();
await pool.end();
await client.end();

console.log(`  ${counts.server} kills of the server, ${counts.database} of the database; ${counts.unanswered} requests without an answer.`);
console.log(
	`  Acknowledged: ${counts.entries} entries, ${counts.saves} saves, ${counts.loads} loads, ${counts.runs} runs, ${counts.pastes} pastes of 20 members, ${counts.packages} models from packages; taken back: ${counts.takenBack} loads, ${counts.runsTakenBack} runs, ${counts.pastesTakenBack} pastes.`
);
for (const words of differences.slice(0, 20)) console.log(`  DIFFERENT: ${words}`);
console.log(`${differences.length} differences`);
app!.kill('SIGTERM');
await new Promise((done) => app.once('exit', done));
await database.stop();
removeCluster(CLUSTER);
process.exit(differences.length === 0 ? 0 : 1);
