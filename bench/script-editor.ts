// Writing a script of 500 lines in Chromium: from the key until what is wrong is marked. The time is what a person waits,
// so it stands against the time we allow.
import type { Browser, Page } from 'playwright-core';
import { quantile, signIn, withApplication, withDemo } from './application';
import { measure, type Measure } from './timing';

const LINES = 500;
const KEYS = 30;

/** What the editor of scripts measures; the build must be there (`npm run build`). */
export const scriptEditor = (): Promise<Measure[]> =>
	withDemo(async (pool, url) => {
		const found = await pool.query<{ id: number }>("SELECT id FROM person WHERE email = 'maren.kvist@brinewater.example'");
		const token = await signIn(pool, found.rows[0]!.id);
		return withApplication(pool, url, async (browser, base) => {
			const page = await openScript(browser, base, token);
			return [
				measure('500-line script: key → what the grammar cannot read is marked, p95, ms (aim 30)', await timeKeys(page, '('), 30, 1),
				measure('500-line script: key → a name that is not there is marked, p95, ms (aim 30)', await timeKeys(page, 'x'), 30, 1)
			];
		});
	});

async function openScript(browser: Browser, base: string, token: string): Promise<Page> {
	const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
	await context.addCookies([{ name: 'lattice_session', value: token, url: base }]);
	const page = await context.newPage();
	await page.goto(`${base}/rules`, { timeout: 120_000 });
	const accounts = ['Sailings', 'Passengers', 'Cars', '"Terminal energy"', '"Terminal cleaning"', '"Berth hire"'];
	const line = (index: number) => {
		const account = accounts[index % accounts.length]!;
		return `${account} = ${account}{Year - 1} * 1.02 + ${accounts[(index + 1) % accounts.length]!}{Scenario: Actual} * 0.01 -- line ${index}`;
	};
	// The last line ends in a name, to be spoiled.
	const text = [...Array.from({ length: LINES - 1 }, (_, index) => line(index)), 'Cars = Passengers'].join('\n');
	const runbook = await page.evaluate(async (script) => {
		const ask = async (path: string, body: object) => {
			const reply = await fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });
			if (!reply.ok) throw new Error(await reply.text());
			return (await reply.json()) as { id: number };
		};
		const { id } = await ask('/api/rules/create', { name: 'Long' });
		const step = { id: null, name: 'Long', description: '', active: true, limits: {}, kind: 'formula', text: script };
		const settings = { description: '', parameters: [], onRefused: 'skip', whenBusy: 'wait', runsAs: null, version: 1 };
		await ask(`/api/runbooks/${id}/save`, { name: 'Long', ...settings, steps: [step] });
		return id;
	}, text);
	await page.goto(`${base}/rules/${runbook}`, { timeout: 120_000 });
	await page.waitForSelector('.cm-content');
	await page.locator('.cm-content').click();
	await page.keyboard.press('Control+End');
	await page.waitForTimeout(1_500);
	return page;
}

/** From the key until the fault is drawn and, beside it, its number; the key is taken back between. */
async function timeKeys(page: Page, key: string): Promise<number> {
	const times: number[] = [];
	for (let typed = 0; typed < KEYS + 3; typed++) {
		await page.evaluate(() => {
			const watch = async () => {
				await new Promise((done) => addEventListener('keydown', done, { capture: true, once: true }));
				const from = performance.now();
				while (!document.querySelector('.cm-lintRange-error, .cm-lintPoint-error')) await new Promise((done) => setTimeout(done, 0));
				return performance.now() - from;
			};
			(window as unknown as { marked: Promise<number> }).marked = watch();
		});
		await page.keyboard.press(key);
		const time = await page.evaluate(() => (window as unknown as { marked: Promise<number> }).marked);
		if (typed > 2) times.push(time);
		await page.keyboard.press('Escape');
		await page.keyboard.press('Backspace');
		await page.waitForFunction(() => !document.querySelector('.cm-lintRange-error, .cm-lintPoint-error'));
		await page.waitForTimeout(120);
	}
	console.log(`script editor: “${key}”, median ${quantile(times, 0.5).toFixed(0)} ms, p95 ${quantile(times, 0.95).toFixed(0)} ms`);
	return quantile(times, 0.95);
}
