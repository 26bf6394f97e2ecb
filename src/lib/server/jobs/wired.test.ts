import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { expect, test } from 'vitest';

/** The files a file imports, types left out, as paths. */
function importsOf(path: string): string[] {
	const text = readFileSync(path, 'utf8');
	return [...text.matchAll(/^(?:import|export)(?! type)[^;]*?['"]([^'"]+)['"];/gms)].flatMap(([, from]) => {
		const base = from!.startsWith('$lib/') ? join('src/lib', from!.slice(5)) : from!.startsWith('.') ? join(dirname(path), from!) : '';
		return [`${base}.ts`, join(base, 'index.ts')].filter((each) => base !== '' && existsSync(each));
	});
}

test('whoever carries out a kind of job, or does something each minute, is there from when the server starts', () => {
	const reached = new Set<string>();
	const follow = (path: string) => {
		if (reached.has(path)) return;
		reached.add(path);
		importsOf(path).forEach(follow);
	};
	follow('src/hooks.server.ts');
	const named = readdirSync('src/lib/server', { recursive: true, encoding: 'utf8' })
		.filter((path) => path.endsWith('.ts') && !path.endsWith('.test.ts') && !path.startsWith('jobs/'))
		.map((path) => join('src/lib/server', path))
		.filter((path) => /^(handleJobs|doEveryMinute)\(/m.test(readFileSync(path, 'utf8')));
	expect(named.length).toBeGreaterThan(6);
	expect(named.filter((path) => !reached.has(path))).toEqual([]);
});
