import { afterAll, beforeAll, expect, test } from 'vitest';
import { firstSteps, leaveFirstSteps } from '../../src/lib/server/desk';
import { enterFigures, openForm, saveDraft } from '../../src/lib/server/form';
import { CHAPTERS } from '../../src/lib/server/handbook';
import type { SignedIn } from '../../src/lib/server/session';
import { openHouse, type House } from './house';

let house: House;
let tove: SignedIn;
let maren: SignedIn;
beforeAll(async () => {
	house = await openHouse('firststeps');
	[tove, maren] = (await Promise.all(['Tove', 'Maren'].map((name) => house.person(name, 1)))) as [SignedIn, SignedIn];
	// As on a first morning.
	await house.database.pool.query('UPDATE change_set SET person_id = $2 WHERE person_id = $1', [tove.id, maren.id]);
});
afterAll(() => house.close());
const TYPED = 'Type a figure in a form, and save it';

test('first steps are those one may do, are done by doing them, and go when one does not want them', async () => {
	const before = await firstSteps(tove, 1);
	expect(before.map(({ words }) => words)).toContain('Hand in a unit that is yours');
	expect(before.map(({ words }) => words)).not.toContain('Let somebody in');
	for (const { chapter } of await firstSteps(maren, 1)) expect(CHAPTERS.map(({ code }) => code)).toContain(chapter);
	expect((await firstSteps(maren, 1)).map(({ words }) => words)).toContain('Let somebody in');
	expect(before.find(({ words }) => words === TYPED)!.done).toBe(false);

	const { form } = await openForm(tove, 1, 'route-contribution', { members: {} });
	const at = {
		row: form.rows.findIndex(({ label }) => label === 'Coaches'),
		column: form.columns.findIndex(({ label }) => label === 'May 2027')
	};
	await enterFigures(tove, 1, 'route-contribution', { members: {} }, { entries: [{ ...at, text: '5' }], structure: form.structure });
	expect((await firstSteps(tove, 1)).find(({ words }) => words === TYPED)!.done).toBe(false);
	await saveDraft(tove, 1, 'route-contribution', { keepMine: [], takeTheirs: [] });
	expect((await firstSteps(tove, 1)).find(({ words }) => words === TYPED)!.done).toBe(true);

	await leaveFirstSteps(tove, 1);
	await leaveFirstSteps(tove, 1);
	expect(await firstSteps(tove, 1)).toEqual([]);
	// In another model, and for another one, they stay.
	expect(await firstSteps({ ...tove, permissions: ['form.read'] }, 2)).toHaveLength(1);
	expect((await firstSteps(maren, 1)).length).toBeGreaterThan(0);
});
