import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { DEMO_PASSWORD } from '../../demo/people.mjs';
import { closePool } from '../../src/lib/server/database';
import { forgetSession, readSession, rememberBrowser, requirePermission, signIn } from '../../src/lib/server/session';
import { freshDatabase } from './demo-database';

let database: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	database = await freshDatabase('sessions', { demo: true });
	process.env.DATABASE_URL = database.url;
});
afterAll(async () => {
	await closePool();
	await database.close();
});
beforeEach(() => database.pool.query('DELETE FROM sign_in_attempt'));

const TOVE = 'tove.brandal@brinewater.example';

describe('a session', () => {
	test('opens with the right password, however the address is written, and tells who it is', async () => {
		const person = (await readSession(await signIn(`  ${TOVE.toUpperCase()} `, DEMO_PASSWORD, '10.0.0.1')))?.in(1);
		expect(person).toMatchObject({ name: 'Tove Brandal', theme: 'paper' });
		expect(person!.permissions.sort()).toEqual(['branch.write', 'cycle.read', 'form.enter', 'form.read', 'rule.run']);
	});

	test('does not open otherwise, and does not say whether the person exists', async () => {
		const wrong = await signIn(TOVE, 'wrong', '10.0.0.1').catch((fault: Error) => fault);
		const unknown = await signIn('nobody@brinewater.example', 'wrong', '10.0.0.1').catch((fault: Error) => fault);
		expect(wrong).toMatchObject({ status: 401 });
		expect((unknown as Error).message).toBe((wrong as Error).message);
	});

	test('keeps only a hash of its token', async () => {
		const token = await signIn(TOVE, DEMO_PASSWORD, '10.0.0.1');
		const stored = await database.pool.query<{ hash: string }>("SELECT encode(token_hash, 'escape') AS hash FROM session");
		expect(stored.rows.some(({ hash }) => hash.includes(token))).toBe(false);
		expect(await readSession(`${token}x`)).toBeUndefined();
	});

	test('ends when it expires, is forgotten, or the person is no longer active', async () => {
		const [expired, forgotten, left] = [
			await signIn(TOVE, DEMO_PASSWORD, 'a'),
			await signIn(TOVE, DEMO_PASSWORD, 'a'),
			await signIn('piet.harrow@brinewater.example', DEMO_PASSWORD, 'a')
		];
		await forgetSession(forgotten);
		expect(await readSession(forgotten)).toBeUndefined();
		await database.pool.query(
			"UPDATE session SET expires_at = now() - interval '1 second' WHERE person_id = (SELECT id FROM person WHERE email = $1)",
			[TOVE]
		);
		expect(await readSession(expired)).toBeUndefined();
		expect(await readSession(left)).toBeDefined();
		await database.pool.query("UPDATE person SET active = false WHERE email LIKE 'piet%'");
		expect(await readSession(left)).toBeUndefined();
		await expect(signIn('piet.harrow@brinewater.example', DEMO_PASSWORD, 'a')).rejects.toMatchObject({ status: 401 });
	});
});

describe('the rate limit', () => {
	test('stops a name after eight attempts, even with the right password then, and forgets a quarter of an hour later', async () => {
		for (let attempt = 0; attempt < 8; attempt++) await expect(signIn(TOVE, 'wrong', '10.0.2.1')).rejects.toMatchObject({ status: 401 });
		await expect(signIn(TOVE, DEMO_PASSWORD, '10.0.2.1')).rejects.toMatchObject({ status: 429 });
		await database.pool.query("UPDATE sign_in_attempt SET at = now() - interval '16 minutes'");
		await expect(signIn(TOVE, DEMO_PASSWORD, '10.0.2.1')).resolves.toBeTypeOf('string');
	});

	test('counts what is under way: of sixty tries at once eight are looked at', async () => {
		const tries = await Promise.allSettled(Array.from({ length: 60 }, () => signIn(TOVE, 'wrong', '10.0.3.1')));
		const statuses = tries.map((each) => (each as { reason: { status: number } }).reason.status);
		expect(statuses.filter((status) => status === 401).length).toBeLessThanOrEqual(8);
		expect(statuses.filter((status) => status === 429).length).toBeGreaterThanOrEqual(52);
	});

	test('keeps nobody out whose name somebody else tries: elsewhere, and in a browser they have signed in with', async () => {
		const browser = (await rememberBrowser(await signIn(TOVE, DEMO_PASSWORD, '10.0.4.1')))!;
		for (let attempt = 0; attempt < 8; attempt++) await signIn(TOVE, 'wrong', '10.0.4.9').catch(() => {});
		await expect(signIn(TOVE, DEMO_PASSWORD, '10.0.4.9')).rejects.toMatchObject({ status: 429 });
		await expect(signIn(TOVE, DEMO_PASSWORD, '10.0.4.2')).resolves.toBeTypeOf('string');
		await expect(signIn(TOVE, DEMO_PASSWORD, { address: '10.0.4.9', browser })).resolves.toBeTypeOf('string');
		// From everywhere at once.
		await database.pool.query(`INSERT INTO sign_in_attempt (subject) SELECT 'name ${TOVE}' FROM generate_series(1, 100)`);
		await expect(signIn(TOVE, DEMO_PASSWORD, '10.0.4.3')).rejects.toMatchObject({ status: 429 });
		await expect(signIn(TOVE, DEMO_PASSWORD, { address: '10.0.4.3', browser })).resolves.toBeTypeOf('string');
		// It is known for this person only, and has a limit of its own.
		await expect(signIn('vera.lindmoor@brinewater.example', 'wrong', { address: '10.0.4.9', browser })).rejects.toMatchObject({
			status: 401
		});
		for (let attempt = 0; attempt < 8; attempt++)
			await expect(signIn(TOVE, 'wrong', { address: '10.0.4.3', browser })).rejects.toMatchObject({ status: 401 });
		await expect(signIn(TOVE, DEMO_PASSWORD, { address: '10.0.4.3', browser })).rejects.toMatchObject({ status: 429 });
	});

	test('lets two hundred right passwords of one address in, all at once', async () => {
		const all = await Promise.allSettled(
			Array.from({ length: 200 }, () => signIn('runa.eskild@brinewater.example', DEMO_PASSWORD, '10.0.5.1'))
		);
		expect(all.filter(({ status }) => status === 'rejected')).toEqual([]);
	});

	test('stops an address that tries many names', async () => {
		await database.pool.query("INSERT INTO sign_in_attempt (subject) SELECT 'address 10.9.9.9' FROM generate_series(1, 40)");
		await expect(signIn('vera.lindmoor@brinewater.example', DEMO_PASSWORD, '10.9.9.9')).rejects.toMatchObject({ status: 429 });
		await expect(signIn('vera.lindmoor@brinewater.example', DEMO_PASSWORD, '10.9.9.8')).resolves.toBeTypeOf('string');
	});
});

test('a permission is asked of the person, not of the page', async () => {
	const person = (await readSession(await signIn('vera.lindmoor@brinewater.example', DEMO_PASSWORD, 'b')))!.in(1);
	expect(requirePermission(person, 'form.read')).toBe(person);
	expect(() => requirePermission(person, 'form.enter')).toThrow('Your role does not let you enter figures.');
	expect(() => requirePermission(undefined, 'form.read')).toThrow('Your session has ended.');
});
