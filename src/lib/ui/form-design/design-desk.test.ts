import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import type { DesignDesk as Desk } from '$lib/server/form';

/** What was asked of the server, and what it answers next; an answer may be kept back. */
const { asked, answers, gone } = vi.hoisted(() => ({
	asked: [] as { path: string; body: unknown }[],
	answers: [] as unknown[],
	gone: [] as string[]
}));
vi.mock('../request', () => ({
	request: async (path: string, body?: unknown) => {
		asked.push({ path, body });
		return (await answers.shift()) ?? { ok: true, answer: { form: null, faults: [], hints: [] } };
	}
}));
vi.mock('$app/navigation', () => ({ goto: (path: string) => Promise.resolve(gone.push(path)) }));
vi.mock('$lib/ui/at', () => ({ at: (path: string) => `/m/group${path}` }));
const { DesignDesk } = await import('./design-desk.svelte');

const layout = { version: 2, rows: [], columns: [], selectors: [], pinned: [{ dimension: 4, member: 40 }], currencies: ['EUR'] };
const desk = (more: object = {}): Desk =>
	({
		code: 'costs',
		design: { name: 'Costs', folder: '', description: '', instructions: '', roles: [], version: 3, layout },
		texts: {},
		names: { 40: 'Skerry' },
		dimensions: [
			{ id: 4, name: 'Line', kind: 'entity' },
			{ id: 5, name: 'Route', kind: 'general' }
		],
		tops: { 5: 50 },
		...more
	}) as unknown as Desk;
const open = (more: object = {}) => new DesignDesk(desk(more));
const previews = () => asked.filter(({ path }) => path.endsWith('/preview'));

beforeEach(() => {
	vi.useFakeTimers();
	asked.length = answers.length = gone.length = 0;
});
afterEach(() => vi.useRealTimers());

describe('a form being designed', () => {
	test('what is typed into one field is one step back; another field is another', () => {
		const form = open();
		form.change({ name: 'C' }, 'name');
		form.change({ name: 'Co' }, 'name');
		form.change({ folder: 'F' }, 'folder');
		form.change({ name: 'Cos' }, 'name');
		expect(form.isChanged).toBe(true);
		form.undo();
		expect([form.design.name, form.design.folder]).toEqual(['Co', 'F']);
		form.undo();
		form.undo();
		expect([form.design.name, form.design.folder, form.canUndo, form.isChanged]).toEqual(['Costs', '', false, false]);
		form.undo();
		form.redo();
		expect(form.design.name).toBe('Co');
		// What is changed after going back leaves nothing to go forward to.
		form.change({ name: 'Other' });
		expect(form.canRedo).toBe(false);
	});

	test('after undoing, the same field is a step of its own again', () => {
		const form = open();
		form.change({ name: 'C' }, 'name');
		form.undo();
		form.change({ name: 'D' }, 'name');
		form.undo();
		expect(form.design.name).toBe('Costs');
	});

	test('dimensions that stand nowhere are told, with what they would begin with', () => {
		const form = open();
		expect(form.unplaced).toEqual([5]);
		expect([form.start(5), form.start(9)]).toEqual([
			{ kind: 'general', top: 50 },
			{ kind: 'general', top: 0 }
		]);
	});
});

describe('the preview', () => {
	test('is asked for once, when nothing more is changed for a moment', async () => {
		const form = open();
		for (const folder of ['a', 'b', 'c']) form.arrange((each) => ({ ...each, scale: folder === 'c' ? 1_000 : 1 }));
		await vi.runAllTimersAsync();
		expect(previews()).toHaveLength(1);
		expect(previews()[0]!.body).toMatchObject({ layout: { scale: 1_000 } });
	});

	test('a slow answer to an earlier layout does not stand over the present one', async () => {
		const form = open();
		let late: (answer: unknown) => void = () => {};
		answers.push(new Promise((done) => (late = done)));
		await vi.runAllTimersAsync();
		form.arrange((each) => each);
		answers.push({ ok: true, answer: { form: null, faults: ['now'], hints: [] } });
		await vi.runAllTimersAsync();
		late({ ok: true, answer: { form: null, faults: ['before'], hints: [] } });
		await vi.runAllTimersAsync();
		expect(form.faults).toEqual(['now']);
	});

	test('a refusal is a fault in a sentence, and has the eyes of whom one looks as', async () => {
		const form = open();
		form.seenAs = 7;
		answers.push({ ok: false, message: 'You may not look as this person.' });
		await vi.runAllTimersAsync();
		expect(form.faults).toEqual(['You may not look as this person.']);
		expect(previews()[0]!.body).toMatchObject({ as: 7 });
	});
});

describe('publishing', () => {
	test('what is published is what was stored from then on', async () => {
		const form = open();
		form.change({ name: 'Costs of routes' });
		answers.push({ ok: true, answer: { code: 'costs', version: 4 } });
		await form.publish();
		expect([form.isChanged, form.design.version, form.busy, gone.length]).toEqual([false, 4, false, 0]);
		expect(form.message?.text).toContain('version 4');
	});

	test('a refusal keeps everything as it is', async () => {
		const form = open();
		form.change({ name: 'Costs of routes' });
		answers.push({ ok: false, message: 'Someone has published version 4 meanwhile.' });
		await form.publish();
		expect([form.isChanged, form.design.name, form.message]).toEqual([
			true,
			'Costs of routes',
			{ text: 'Someone has published version 4 meanwhile.', kind: 'error' }
		]);
	});

	test('a new form gets a page of its own, which says what became of it', async () => {
		const form = open({ code: null });
		answers.push({ ok: true, answer: { code: 'new-one', version: 1 } });
		await form.publish();
		expect(gone).toEqual(['/m/group/forms/new-one/design']);
		expect(open({ code: 'new-one' }).message?.text).toContain('version 1');
		expect(open().message).toBeNull();
	});

	test('a wrong expression comes back as its sentence and stays as it was written', async () => {
		const form = open();
		answers.push({ ok: false, message: 'There is no account Fule.' });
		expect(await form.readExpression('check 1', 'Fule > 0')).toBe('There is no account Fule.');
		expect(form.texts['check 1']).toBe('Fule > 0');
	});
});
