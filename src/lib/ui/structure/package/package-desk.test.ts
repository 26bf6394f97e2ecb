import { beforeEach, describe, expect, test, vi } from 'vitest';
import type { Difference } from '$lib/server/package';

/** What was asked of the server, and what it answers next. */
const { asked, answers } = vi.hoisted(() => ({ asked: [] as { path: string; body: unknown }[], answers: [] as unknown[] }));
vi.mock('../../request', () => ({
	request: async (path: string, body?: unknown) => {
		asked.push({ path, body });
		return (await answers.shift()) ?? { ok: true, answer: {} };
	}
}));
const { PackageDesk } = await import('./package-desk.svelte');

const difference = (part: string, name: string, more: Partial<Difference> = {}): Difference => ({
	id: `member|${part}|${name}`,
	part,
	what: 'member',
	of: part,
	name,
	kind: 'added',
	change: 'would be added',
	...more
});
const differences = [
	difference('Route', 'A'),
	difference('Route', 'B'),
	difference('Route', 'C', { stays: 'It stays.' }),
	difference('Line', 'D')
];
const compared = (all = differences) => ({
	ok: true,
	answer: { name: 'Plan', numbers: null, members: 4, forms: 0, imports: 0, count: all.length, differences: all }
});
const file = new File(['zip'], 'plan.zip');
const open = async () => {
	const desk = new PackageDesk();
	answers.push(compared());
	await desk.compare(file);
	return desk;
};
const sent = async (at: number) => JSON.parse(String((asked[at]!.body as FormData).get('choices'))) as unknown;

beforeEach(() => {
	asked.length = answers.length = 0;
});

describe('a package held against a model', () => {
	test('is shown part by part; what stays cannot be chosen with the rest', async () => {
		const desk = await open();
		expect(desk.parts.map(({ part, able }) => [part, able])).toEqual([
			['Route', 2],
			['Line', 1]
		]);
		desk.chooseAll(desk.parts[0]!, true);
		expect([...desk.chosen]).toEqual(['member|Route|A', 'member|Route|B']);
		desk.choose('member|Line|D', true);
		desk.choose('member|Route|A', false);
		expect(desk.chosenOf(desk.parts[0]!)).toBe(1);
		desk.chooseAll(desk.parts[0]!, false);
		expect([...desk.chosen]).toEqual(['member|Line|D']);
	});
	test('is looked at before it is taken; another choice has to be looked at anew', async () => {
		const desk = await open();
		desk.choose('member|Line|D', true);
		expect(desk.ready).toBe(false);
		answers.push({ ok: true, answer: { taken: 1, refused: [], leftOut: [] } });
		await desk.look();
		expect(desk.ready).toBe(true);
		desk.choose('member|Route|A', true);
		expect(desk.ready).toBe(false);
	});
	test('asks who takes numbers, and sends what was said', async () => {
		const desk = await open();
		desk.choose('member|Route|A', true);
		const numbersBelow = { dimension: 'route', parent: { code: 'P', name: 'Parent' }, numbers: 3, children: [{ code: 'A', name: 'A' }] };
		answers.push({ ok: true, answer: { taken: 0, refused: [{ id: 'member|Route|A', message: 'It asks.', numbersBelow }], leftOut: [] } });
		await desk.look();
		expect([desk.ready, desk.questions, desk.refusals.get('member|Route|A')?.message]).toEqual([false, [numbersBelow], 'It asks.']);
		desk.giveNumbersTo('route', 'P', 'A');
		await desk.look();
		expect(await sent(2)).toEqual({ chosen: ['member|Route|A'], handOver: { route: { P: 'A' } } });
	});
	test('taken over, it is compared again, and what was left out is said', async () => {
		const desk = await open();
		desk.choose('member|Line|D', true);
		answers.push(
			{ ok: true, answer: { taken: 1, refused: [], leftOut: ['People who are not here: a@x.'] } },
			compared(differences.slice(0, 3))
		);
		expect(await desk.takeOver()).toBe(true);
		expect(desk.parts).toHaveLength(1);
		expect([desk.chosen.size, desk.looked]).toEqual([0, null]);
		expect(desk.say).toEqual({ text: 'One difference is taken over. People who are not here: a@x.', kind: 'info' });
	});
	test('refused since it was looked at: the refusals stand at their differences, and the choice stays', async () => {
		const desk = await open();
		desk.choose('member|Line|D', true);
		const refused = [{ id: 'member|Line|D', message: 'Not any more.' }];
		answers.push({ ok: false, code: 'not possible', message: 'Nothing was changed. Not any more.', details: { refused } });
		expect(await desk.takeOver()).toBe(false);
		expect([desk.ready, desk.refusals.get('member|Line|D')?.message, desk.chosen.size]).toEqual([false, 'Not any more.', 1]);
		expect(desk.say?.kind).toBe('error');
	});
	test('two clicks are one', async () => {
		const desk = await open();
		desk.choose('member|Line|D', true);
		await Promise.all([desk.look(), desk.look()]);
		expect(asked.filter(({ path }) => path.endsWith('/look'))).toHaveLength(1);
	});
});
