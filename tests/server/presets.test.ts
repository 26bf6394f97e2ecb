import { afterAll, beforeAll, expect, test } from 'vitest';
import { stepInWords, type AllocationStep, type PresetSettings } from '../../src/lib/core';
import { closePool } from '../../src/lib/server/database';
import { stopEngines } from '../../src/lib/server/engine';
import { deletePreset, readRunbook, saveRunbook, savePreset, usesOfPreset, type StepDraft } from '../../src/lib/server/runbook';
import type { SignedIn } from '../../src/lib/server/session';
import { createFromPackage, exportPackage, readPackage } from '../../src/lib/server/package';
import { memberUses } from '../../src/lib/server/structure';
import { freshDatabase, peopleOf } from './demo-database';
import { faultOf } from './fault-of';

/** Settings of allocations kept in one place, in the demo's model of route results. */
let database: Awaited<ReturnType<typeof freshDatabase>>;
let people = new Map<string, SignedIn>();
let model: number;
let runbook: number;
const maren = () => people.get('Maren')!;

beforeAll(async () => {
	database = await freshDatabase('presets', { demo: true });
	process.env.DATABASE_URL = database.url;
	people = await peopleOf(database.pool);
	const found = await database.pool.query<{ model: number; runbook: number }>(
		"SELECT m.id AS model, r.id AS runbook FROM model m JOIN runbook r ON r.model_id = m.id WHERE m.code = 'route-result'"
	);
	({ model, runbook } = found.rows[0]!);
}, 60_000);
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

const stepOf = async (name: string): Promise<StepDraft & AllocationStep> =>
	(await readRunbook(maren(), model, runbook)).steps.find((step) => step.name === name) as StepDraft & AllocationStep;
async function change(name: string, next: Partial<AllocationStep>): Promise<void> {
	const { findings: _, runs: __, steps, ...rest } = await readRunbook(maren(), model, runbook);
	await saveRunbook(maren(), model, runbook, {
		...rest,
		steps: steps.map((step) => (step.name === name ? ({ ...step, ...next } as StepDraft) : step))
	});
}
const settings = { basis: null, contra: 'same account', noDriver: 'stop', negative: 'absolute', currency: null } satisfies PresetSettings;

test('changing a preset changes all steps that follow it, but for what they say themselves; they are told first', async () => {
	const [preset] = (await readRunbook(maren(), model, runbook)).presets;
	await change('Activities to routes', { preset: { id: preset!.id, own: ['noDriver'] }, noDriver: 'evenly' });
	const { uses } = await usesOfPreset(maren(), model, preset!.id);
	expect(uses.map(({ step, own }) => [step, own])).toEqual([
		['Bookings to resources', []],
		['Resources to activities', []],
		['Activities to routes', ['noDriver']],
		['Routes to channels and customers', []]
	]);
	const before = await readRunbook(maren(), model, runbook);
	const saved = await savePreset(maren(), model, { id: preset!.id, name: preset!.name, settings, version: preset!.version });
	expect(saved.changed).toBe(4);
	expect(await stepOf('Bookings to resources')).toMatchObject({ noDriver: 'stop', negative: 'absolute' });
	expect(await stepOf('Activities to routes')).toMatchObject({ noDriver: 'evenly', negative: 'absolute' });
	expect(await stepOf('Data centre')).toMatchObject({ noDriver: 'stranded', negative: 'refuse' });
	// A page that was open before cannot write over it unseen.
	expect((await faultOf(saveRunbook(maren(), model, runbook, before))).status).toBe(409);
	expect(
		(await faultOf(savePreset(maren(), model, { id: preset!.id, name: preset!.name, settings, version: preset!.version }))).status
	).toBe(409);
	// The same again changes no step.
	expect((await savePreset(maren(), model, { id: preset!.id, name: preset!.name, settings, version: preset!.version + 1 })).changed).toBe(
		0
	);
});

test('what a page says of a setting that comes from the preset is the preset’s; of a preset that is not there it is the step’s', async () => {
	const [preset] = (await readRunbook(maren(), model, runbook)).presets;
	await change('Bookings to resources', { noDriver: 'evenly' });
	expect(await stepOf('Bookings to resources')).toMatchObject({ noDriver: 'stop', preset: { id: preset!.id } });
	await change('Bookings to resources', { noDriver: 'evenly', preset: { id: 999_999, own: [] } });
	const free = await stepOf('Bookings to resources');
	expect([free.noDriver, free.preset]).toEqual(['evenly', undefined]);
});

test('a basis of a preset is every line’s; its members are known where they are used', async () => {
	const hours = await database.pool.query<{ id: number }>(
		"SELECT m.id FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = 'result-item' AND m.code = 'SAI'"
	);
	const { id } = hours.rows[0]!;
	const basis = { by: 'driver' as const, drivers: [{ account: id, at: {} }] };
	const made = await savePreset(maren(), model, { id: null, name: 'By sailings', settings: { ...settings, basis }, version: 0 });
	await change('Routes to channels and customers', { preset: { id: made.id, own: [] } });
	expect((await stepOf('Routes to channels and customers')).lines.map((line) => line.basis)).toEqual([basis]);
	expect((await memberUses(maren(), model, 'result-item', id)).filter(({ kind }) => kind === 'preset').map(({ name }) => name)).toEqual([
		'By sailings'
	]);
	expect((await faultOf(savePreset(maren(), model, { id: null, name: 'By sailings', settings, version: 0 }))).status).toBe(409);
	const left = await deletePreset(maren(), model, made.id);
	expect(left.presets.map(({ name }) => name)).not.toContain('By sailings');
	const step = await stepOf('Routes to channels and customers');
	expect([step.preset, step.lines[0]!.basis]).toEqual([undefined, basis]);
});

test('a package carries all that the steps say, and no preset', async () => {
	const { packed, numbers } = await readPackage((await exportPackage(maren(), model, true)).zip);
	const made = await createFromPackage(maren(), packed, numbers, 'Route result again');
	expect(made.leftOut).toEqual([]);
	const there = await database.pool.query<{ id: number }>('SELECT id FROM runbook WHERE model_id = $1', [made.id]);
	const [own, again] = [await readRunbook(maren(), model, runbook), await readRunbook(maren(), made.id, there.rows[0]!.id)];
	const names = async (of: number) => {
		const found = await database.pool.query<{ id: number; name: string }>(
			'SELECT m.id, m.name FROM member m JOIN known_dimension k ON k.dimension_id = m.dimension_id WHERE k.model_id = $1',
			[of]
		);
		return new Map(found.rows.map(({ id, name }) => [id, name]));
	};
	const said = async (of: typeof own, modelId: number) => {
		const members = await names(modelId);
		// Dimensions come in the order of their numbers, which are others there.
		return of.steps.map((step) =>
			stepInWords(step, members)
				.split(/[;,. ]+/)
				.sort()
				.join(' ')
		);
	};
	expect(await said(again, made.id)).toEqual(await said(own, model));
	const lines = (of: typeof own) =>
		of.steps.map((step) => {
			const { group, together, lines } = step as AllocationStep & { group?: string };
			return [group, together, lines.map(({ keeps, capacity }) => [Object.keys(keeps ?? {}), capacity !== undefined])];
		});
	expect(lines(again)).toEqual(lines(own));
	expect(again.steps.some((step) => 'preset' in step)).toBe(false);
	expect(again.presets).toEqual([]);
	expect(again.findings).toEqual([]);
});

test('only who writes rules changes presets, and not the steps of a runbook that runs with somebody else’s rights', async () => {
	const [preset] = (await readRunbook(maren(), model, runbook)).presets;
	for (const refused of [
		savePreset(people.get('Tove'), model, { id: null, name: 'Mine', settings, version: 0 }),
		deletePreset(people.get('Tove'), model, preset!.id),
		usesOfPreset(people.get('Tove'), model, preset!.id)
	])
		expect((await faultOf(refused)).status).toBe(403);
	// Of another model it is not there.
	expect((await faultOf(usesOfPreset(maren(), 1, preset!.id))).status).toBe(404);
	expect((await faultOf(deletePreset(maren(), 1, preset!.id))).status).toBe(404);
	// Tove's rights are hers: a writer of rules who is no administrator does not change what runs with them.
	await database.pool.query('UPDATE runbook SET runs_as = $2 WHERE id = $1', [runbook, people.get('Tove')!.id]);
	const writer: SignedIn = { ...people.get('Osric')!, permissions: ['rule.read', 'rule.write'] };
	const otherwise = { ...settings, negative: 'refuse' as const };
	const refused = await faultOf(
		savePreset(writer, model, { id: preset!.id, name: preset!.name, settings: otherwise, version: preset!.version })
	);
	expect([refused.status, refused.message]).toEqual([403, expect.stringContaining('runs with the rights of')]);
	expect((await readRunbook(maren(), model, runbook)).presets[0]!.settings.negative).toBe('absolute');
});
