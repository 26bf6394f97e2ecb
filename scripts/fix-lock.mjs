// npm run lock:fix, after adding or upgrading a package.
// npm leaves optional platform packages out of the lock file where the registry did not serve them, and `npm ci`
// then calls the lock out of step; this adds those entries.
import { readFileSync, writeFileSync } from 'node:fs';

const lock = JSON.parse(readFileSync('package-lock.json', 'utf8'));
const packages = lock.packages;
let added = 0;
for (const [path, entry] of Object.entries(packages)) {
	for (const [name, version] of Object.entries(entry.optionalDependencies ?? {})) {
		if (!/^\d/.test(version) || resolves(path, name)) continue;
		packages[`node_modules/${name}`] = platformEntry(name, version, entry.dev);
		added++;
	}
}
lock.packages = Object.fromEntries(Object.entries(packages).sort(([a], [b]) => a.localeCompare(b, 'en')));
writeFileSync('package-lock.json', JSON.stringify(lock, null, 2) + '\n');
console.log('optional entries added:', added);

/** Whether Node's lookup from the package at `from` finds `name` in the lock. */
function resolves(from, name) {
	for (let base = from; ;) {
		if (packages[`${base ? base + '/' : ''}node_modules/${name}`]) return true;
		if (!base) return false;
		base = base.slice(0, Math.max(0, base.lastIndexOf('node_modules/') - 1));
	}
}

function platformEntry(name, version, dev) {
	const os = /(android|darwin|freebsd|linux|netbsd|openbsd|openharmony|sunos|win32)/.exec(name)?.[1] ?? 'none';
	const cpu = /(arm64|x64|ia32|arm|ppc64|riscv64|s390x|loong64|wasm32)/.exec(name)?.[1] ?? 'none';
	const libc = /musl/.test(name) ? ['musl'] : /gnu/.test(name) && os === 'linux' ? ['glibc'] : undefined;
	return { version, cpu: [cpu], ...(dev ? { dev } : {}), ...(libc ? { libc } : {}), optional: true, os: [os] };
}
