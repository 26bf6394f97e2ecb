import { afterAll, beforeAll, expect, test } from 'vitest';
import type { SignedIn } from '../../src/lib/server/session';
import { settingUp } from '../../src/lib/server/structure';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
let maren: SignedIn;
beforeAll(async () => {
	house = await openHouse('settingup');
	maren = await house.person('Maren', 1);
});
afterAll(() => house.close());

test('a model that is used has all of it; who does not look after it is not told', async () => {
	const steps = await settingUp(maren, 1);
	expect(steps.map(({ name }) => name)).toEqual([
		'Calendar',
		'Accounts',
		'Entities',
		'Rates',
		'First load',
		'First form',
		'Who plans what',
		'First figure'
	]);
	expect(steps.filter(({ done, name }) => !done && name !== 'Rates')).toEqual([]);
	expect(steps.every(({ mayDo }) => mayDo)).toBe(true);
	expect(await faultOf(settingUp(await house.person('Tove', 1), 1))).toMatchObject({ status: 403 });
});

test('a missing rate and a person gone are told', async () => {
	await house.database.pool.query("DELETE FROM rate WHERE rate_set_id = (SELECT min(rate_set_id) FROM scenario) AND currency = 'NOK'");
	expect((await settingUp(maren, 1)).find(({ name }) => name === 'Rates')).toMatchObject({
		done: false,
		says: expect.stringMatching(/^Rates are missing in /) as string
	});
});
