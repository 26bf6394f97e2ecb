// Installs what a fresh Debian machine lacks: npm packages, PostgreSQL's server, Chromium.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { StepError, step } from './say.mjs';

const isRoot = process.getuid?.() === 0;

/** Installs the locked npm packages unless node_modules already matches the lock file. */
export async function ensureNpmPackages() {
	const [major = 0, minor = 0] = process.versions.node.split('.').map(Number);
	if (major < 20 || (major === 20 && minor < 19))
		throw new StepError(`Node.js ${process.versions.node} is too old.`, 'Install Node.js 20.19 or newer and run the command again.');
	const wanted = createHash('sha256').update(readFileSync('package-lock.json')).digest('hex');
	const stamp = 'node_modules/.lock-hash';
	if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return;
	await step('Installing npm packages (npm ci)', () => {
		const done = spawnSync('npm', ['ci', '--no-progress', '--loglevel=error'], { stdio: ['ignore', 'ignore', 'inherit'] });
		if (done.status !== 0)
			throw new StepError('npm could not install the packages.', 'Check that the npm registry can be reached, then run the command again.');
		writeFileSync(stamp, wanted);
	});
}

/**
 * The folder of the PostgreSQL server programs, installing Debian's package when there is none.
 * @param {string | undefined} version the major version a cluster needs; newest when undefined
 * @returns {Promise<string>}
 */
export async function ensurePostgres(version) {
	let found = postgresVersions();
	if (found.length === 0) {
		await installDebianPackages("Installing Debian's PostgreSQL", ['postgresql'], () => {
			// Read by the package before it would make a cluster of its own on port 5432.
			mkdirSync('/etc/postgresql-common', { recursive: true });
			const file = '/etc/postgresql-common/createcluster.conf';
			if (!existsSync(file)) writeFileSync(file, 'create_main_cluster = false\n');
		});
		found = postgresVersions();
	}
	if (version && !found.includes(version))
		throw new StepError(
			`The database in the project folder was made by PostgreSQL ${version}, but this machine has ${found.join(', ') || 'none'}.`,
			`Install postgresql-${version}, or move the folder .pg away: the next start makes a new database with the demo.`
		);
	const chosen = version ?? found[0];
	if (!chosen) throw new StepError('PostgreSQL was installed, but its server programs were not found.', 'Look under /usr/lib/postgresql.');
	return `/usr/lib/postgresql/${chosen}/bin`;
}

/** Debian's Chromium, for browser tests and screenshots. */
export async function ensureChromium() {
	if (existsSync(process.env.CHROMIUM ?? '/usr/bin/chromium')) return;
	await installDebianPackages("Installing Debian's Chromium", ['chromium']);
}

function postgresVersions() {
	const base = '/usr/lib/postgresql';
	if (!existsSync(base)) return [];
	return readdirSync(base)
		.filter((version) => existsSync(`${base}/${version}/bin/initdb`))
		.sort((a, b) => Number(b) - Number(a));
}

async function installDebianPackages(title, names, before = () => {}) {
	const remedy = `Run as root, or ask for: apt-get install ${names.join(' ')}`;
	if (!isRoot) throw new StepError(`${title} needs root, and this is an ordinary account.`, remedy);
	await step(title, () => {
		before();
		const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
		const apt = (...args) => spawnSync('apt-get', args, { stdio: ['ignore', 'ignore', 'inherit'], env }).status === 0;
		const installed =
			apt('update', '-qq') && apt('install', '-y', '-qq', '--no-install-recommends', '-o', 'Dpkg::Options::=--force-confold', ...names);
		if (!installed)
			throw new StepError(`apt-get could not install ${names.join(', ')}.`, 'Read the lines above; then run the command again.');
	});
}
