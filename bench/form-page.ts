// The form in Chromium, on a model of five million cells: opening, typing, scrolling, pasting; and thirty planners typing
// at once. Each stands against a peer on the same page in the same run, so that it means the same on a slow day: typing
// against an empty round trip and a repaint, scrolling against a virtual list of constant text, a crowd against one alone.
import type { Page } from 'playwright-core';
import type pg from 'pg';
import type { FormLayout } from '../src/lib/core';
import { quantile, signIn, withApplication, withDemo } from './application';
import { measure, type Measure } from './timing';

const CELLS = 5_000_000;
const PLANNERS = 30;
const ENTRIES_EACH = 12;

/** What a form in the browser measures; the build must be there (`npm run build`). */
export const formPage = (): Promise<Measure[]> =>
	withDemo(async (pool, url) => {
		const ids = await membersByCode(pool);
		console.log(`form page: ${(await fillCells(pool, ids)).toLocaleString('en-GB')} cells stored`);
		await addForms(pool, ids);
		const planners = await addPlanners(pool);
		return withApplication(pool, url, async (browser, base) => {
			const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
			await context.addCookies([{ name: 'lattice_session', value: planners[0]!.token, url: base }]);
			const page = await context.newPage();
			// The engine reads its cells when it is first asked.
			await page.goto(`${base}/forms/bench-250`, { timeout: 120_000 });
			await page.waitForSelector('td.focused');
			const opening = await timeOpening(page, base);
			const typing = await timeTyping(page);
			const floor = await timeFloor(page);
			const scrolling = await timeScrolling(page, base);
			const constant = await timeConstantList(page);
			const pasting = await timePasting(page, base, planners[0]!.id);
			const alone = await timeCrowd(base, planners.slice(0, 1));
			const crowd = await timeCrowd(base, planners);
			return [
				measure('open a form of 250 rows × 17 columns on 5M cells, to interactive, ms (peer: 300 ms allowed)', opening, 300, 1),
				measure('typed leaf → all visible totals right, p95 (peer: empty round trip and repaint)', typing.p95, floor, 2),
				measure('scrolling 10,000 × 400: longest frame (peer: the same list with constant text)', scrolling, constant, 2),
				measure('paste of 5,000 cells (peer: one typed leaf)', pasting, typing.median, 15),
				measure('30 planners typing at once, p95 (peer: one alone)', crowd, alone, 3)
			];
		});
	});

type Ids = Map<string, number>;
async function membersByCode(pool: pg.Pool): Promise<Ids> {
	const found = await pool.query<{ id: number; code: string; dimension: string }>(
		'SELECT m.id, m.code, d.code AS dimension FROM member m JOIN dimension d ON d.id = m.dimension_id'
	);
	const ids: Ids = new Map();
	for (const { id, code, dimension } of found.rows) ids.set(`${dimension} ${code}`, id);
	const dimensions = await pool.query<{ id: number; code: string }>('SELECT id, code FROM dimension');
	for (const { id, code } of dimensions.rows) ids.set(`dimension ${code}`, id);
	return ids;
}

/** Whole series at made-up addresses, beside those of the demo, until there are enough cells. */
async function fillCells(pool: pg.Pool, ids: Ids): Promise<number> {
	const column = (code: string) => `d${ids.get(`dimension ${code}`)}`;
	const leaves = (code: string, more = '') =>
		`(SELECT m.id FROM member m WHERE m.dimension_id = ${ids.get(`dimension ${code}`)} ${more} AND NOT EXISTS (
			SELECT FROM hierarchy_node c WHERE c.parent_id = m.id)) AS ${code} (id)`;
	const origin = await pool.query<{ id: number }>("SELECT id FROM origin WHERE mode = 'loads' ORDER BY id LIMIT 1");
	const codes = ['account', 'scenario', 'line', 'department', 'route', 'version'];
	await pool.query(
		`INSERT INTO cells_1 (${codes.map(column).join(', ')}, fiscal_year, origin_id, change_set, amounts)
		SELECT ${codes.map((code) => `${code}.id`).join(', ')}, year, $1, 1, ARRAY(SELECT (hashtext(account.id || ' ' || route.id || ' ' || month) % 100000)::float8 FROM generate_series(1, 12) AS month)
		FROM ${leaves('account', "AND EXISTS (SELECT FROM account a WHERE a.member_id = m.id AND a.value_type IN ('money', 'quantity') AND a.frequency = 'per period') AND NOT EXISTS (SELECT FROM formula f WHERE f.account_id = m.id)")},
			${leaves('scenario')}, ${leaves('line')}, ${leaves('department')}, ${leaves('route')}, ${leaves('version')}, generate_series(2025, 2029) AS year
		WHERE hashtext(account.id || ' ' || scenario.id || ' ' || line.id || ' ' || department.id || ' ' || route.id || ' ' || version.id || ' ' || year) % 100 BETWEEN -36 AND 36
		ORDER BY random() LIMIT ${Math.floor(CELLS / 12)} ON CONFLICT DO NOTHING`,
		[origin.rows[0]!.id]
	);
	const counted = await pool.query<{ cells: number }>(
		'SELECT sum(cardinality(array_remove(amounts, NULL)))::integer AS cells FROM cells_1'
	);
	return counted.rows[0]!.cells;
}

async function addForms(pool: pg.Pool, ids: Ids): Promise<void> {
	const dimension = (code: string) => ids.get(`dimension ${code}`)!;
	const id = (key: string) => ids.get(key)!;
	const all = (code: string, selection: FormLayout['selectors'][number]['selection']) => ({ dimension: dimension(code), selection });
	const pinned = (...keys: string[]) => keys.map((key) => ({ dimension: dimension(key.split(' ')[0]!), member: id(key) }));
	const shared = { version: 2 as const, currencies: ['EUR', 'local'] };
	const year = { dimension: dimension('period'), selection: { kind: 'level' as const, depth: 0 }, initial: id('period FY2028') };
	const forms: [string, FormLayout][] = [
		[
			'bench-250',
			{
				...shared,
				rows: [
					{
						kind: 'cells',
						id: 0,
						openLevels: 9,
						parts: [
							all('department', { kind: 'leaves', of: id('department ALLDEP') }),
							all('account', { kind: 'under', of: id('account REV') })
						]
					},
					{
						kind: 'cells',
						id: 1,
						openLevels: 9,
						parts: [
							all('department', { kind: 'leaves', of: id('department ALLDEP') }),
							all('account', {
								kind: 'any of',
								selections: [
									{ kind: 'under', of: id('account VOYAGE') },
									{ kind: 'under', of: id('account CREW') }
								]
							})
						]
					}
				],
				columns: [{ kind: 'cells', id: 0, parts: [all('period', { kind: 'under', of: 'chosen' })] }],
				selectors: [year, { ...all('route', { kind: 'under', of: id('route ALLROUTES') }), initial: id('route R01') }],
				pinned: pinned('scenario BUD28', 'line SKE', 'version WORK')
			}
		],
		[
			'bench-large',
			{
				...shared,
				currencies: ['local', 'EUR'],
				rows: [
					{
						kind: 'cells',
						id: 0,
						openLevels: 9,
						parts: [
							all('route', { kind: 'leaves', of: id('route ALLROUTES') }),
							all('department', { kind: 'under', of: id('department ALLDEP') }),
							all('account', { kind: 'all' })
						]
					}
				],
				columns: [
					{
						kind: 'cells',
						id: 0,
						parts: [
							all('scenario', { kind: 'these', members: ['BUD28', 'OUT27', 'BUD27', 'ACT', 'STR'].map((code) => id(`scenario ${code}`)) }),
							all('period', { kind: 'all' })
						]
					}
				],
				selectors: [],
				pinned: pinned('line SKE', 'version WORK')
			}
		]
	];
	for (const [code, layout] of forms)
		await pool.query("INSERT INTO form (model_id, code, name, folder, layout) VALUES (1, $1, $1, 'Bench', $2)", [
			code,
			JSON.stringify(layout)
		]);
}

/** Somebody signed in. */
interface Planner {
	id: number;
	token: string;
}

/** People who may write everywhere on Skerry Line, signed in. */
async function addPlanners(pool: pg.Pool): Promise<Planner[]> {
	const planners: Planner[] = [];
	for (let number = 0; number < PLANNERS; number++) {
		const made = await pool.query<{ id: number }>(
			"INSERT INTO person (email, name, title, password_hash) VALUES ($1, $2, 'Planner', 'none') RETURNING id",
			[`bench${number}@brinewater.example`, `Bench ${number}`]
		);
		const person = made.rows[0]!.id;
		await pool.query("INSERT INTO role_given (person_id, role_id) SELECT $1, id FROM role WHERE code = 'planner'", [person]);
		await pool.query("INSERT INTO access_grant (model_id, person_id, name, level) VALUES (1, $1, 'Everything', 'write')", [person]);
		planners.push({ id: person, token: await signIn(pool, person) });
	}
	return planners;
}

/** From the click on the form's link until its first cell can be typed into; the median of nine. */
async function timeOpening(page: Page, base: string): Promise<number> {
	const times: number[] = [];
	for (let run = 0; run < 10; run++) {
		await page.goto(`${base}/forms`);
		await page.waitForSelector('[data-ready]');
		await page.waitForTimeout(300);
		const time = await page.evaluate(async () => {
			const from = performance.now();
			document.querySelector<HTMLAnchorElement>('main a[href$="/forms/bench-250"]')!.click();
			while (!document.querySelector('td.focused')) await new Promise(requestAnimationFrame);
			return performance.now() - from;
		});
		if (run > 0) times.push(time);
	}
	const rows = await page.locator('[role=treegrid]').getAttribute('aria-rowcount');
	console.log(`form page: opening ${rows} rows, from ${Math.min(...times).toFixed(0)} to ${Math.max(...times).toFixed(0)} ms`);
	return quantile(times, 0.5);
}

/** From Enter until the answer is drawn, on a leaf of every dimension but the accounts' tree above it. */
async function timeTyping(page: Page): Promise<{ median: number; p95: number }> {
	const times: number[] = [];
	const cells = page.locator('td.enter');
	const offered = await cells.count();
	for (let entry = 0; entry < 44; entry++) {
		// Each time a cell that takes an entry: between them stand totals and results, where nothing would be typed.
		await cells.nth((entry * 7) % offered).click();
		await page.keyboard.type(String(1_000 + entry * 7));
		// The watch stands before Enter is pressed, however busy the page is.
		await page.evaluate(() => {
			const watch = async () => {
				await new Promise((done) => addEventListener('keydown', done, { capture: true, once: true }));
				const from = performance.now();
				while (document.querySelector('input.editor')) await new Promise(requestAnimationFrame);
				while (document.querySelector('td.pending')) await new Promise(requestAnimationFrame);
				return performance.now() - from;
			};
			(window as unknown as { drawn: Promise<number> }).drawn = watch();
		});
		await page.keyboard.press('Enter');
		const time = await page.evaluate(() => (window as unknown as { drawn: Promise<number> }).drawn);
		if (entry > 3) times.push(time);
	}
	console.log(`form page: typing, median ${quantile(times, 0.5).toFixed(0)} ms, p95 ${quantile(times, 0.95).toFixed(0)} ms`);
	return { median: quantile(times, 0.5), p95: quantile(times, 0.95) };
}

/** What a typed leaf cannot go below: a request that does nothing, and all of the grid painted anew. @returns p95 */
async function timeFloor(page: Page): Promise<number> {
	const times = await page.evaluate(async () => {
		const grid = document.querySelector<HTMLElement>('[role=treegrid]')!;
		const taken: number[] = [];
		for (let run = 0; run < 44; run++) {
			const from = performance.now();
			await (await fetch('/healthz', { cache: 'no-store' })).text();
			grid.style.color = run % 2 === 0 ? 'rgb(1, 1, 1)' : '';
			await new Promise(requestAnimationFrame);
			await new Promise(requestAnimationFrame);
			if (run > 3) taken.push(performance.now() - from);
			await new Promise((done) => setTimeout(done, 30));
		}
		grid.style.color = '';
		return taken;
	});
	console.log(
		`form page: empty round trip and repaint, median ${quantile(times, 0.5).toFixed(0)} ms, p95 ${quantile(times, 0.95).toFixed(0)} ms`
	);
	return quantile(times, 0.95);
}

/** What both ways through a list share, put into the page. */
interface Scrolls {
	scrollThrough: (scroller: HTMLElement) => Promise<number[]>;
}
const addScrolling = (page: Page): Promise<void> =>
	page.evaluate(() => {
		(window as unknown as Scrolls).scrollThrough = async (scroller) => {
			const deltas: number[] = [];
			let last = performance.now();
			const step = async (x: number, y: number) => {
				scroller.scrollLeft += x;
				scroller.scrollTop += y;
				await new Promise(requestAnimationFrame);
				const now = performance.now();
				deltas.push(now - last);
				last = now;
			};
			for (let frame = 0; frame < 200; frame++) await step(0, 140);
			for (let frame = 0; frame < 150; frame++) await step(120, 0);
			for (let frame = 0; frame < 60; frame++) await step(0, 4_000);
			return deltas.slice(3);
		};
	});

/** Scrolls a large form down and across, a little each frame. @returns the longest time between two frames */
async function timeScrolling(page: Page, base: string): Promise<number> {
	await page.goto(`${base}/forms/bench-large`, { timeout: 120_000 });
	await page.waitForSelector('td.focused', { timeout: 120_000 });
	await page.waitForTimeout(1_500);
	await addScrolling(page);
	const frames = await page.evaluate(async () => {
		const scroller = document.querySelector<HTMLElement>('.scroller')!;
		return (window as unknown as Scrolls).scrollThrough(scroller);
	});
	const grid = page.locator('[role=treegrid]');
	console.log(
		`form page: scrolling ${await grid.getAttribute('aria-rowcount')} × ${await grid.getAttribute('aria-colcount')}, median frame ${quantile(frames, 0.5).toFixed(0)} ms, p99 ${quantile(frames, 0.99).toFixed(0)} ms, longest ${Math.max(...frames).toFixed(0)} ms`
	);
	return Math.max(...frames);
}

/** The same way through a list of as many cells that all say the same, recycled by hand. @returns the longest frame */
async function timeConstantList(page: Page): Promise<number> {
	const frames = await page.evaluate(async () => {
		const [rowHeight, columnWidth] = [28, 96];
		const scroller = document.createElement('div');
		scroller.style.cssText = 'position:fixed;inset:60px 20px 20px 220px;overflow:auto;background:white;z-index:99';
		const inner = document.createElement('div');
		inner.style.cssText = `position:relative;height:${10_000 * rowHeight}px;width:${400 * columnWidth}px`;
		scroller.append(inner);
		document.body.append(scroller);
		const [down, across] = [Math.ceil(scroller.clientHeight / rowHeight) + 8, Math.ceil(scroller.clientWidth / columnWidth) + 2];
		const cells = Array.from({ length: down * across }, () => {
			const cell = document.createElement('span');
			cell.style.cssText = `position:absolute;width:${columnWidth}px;height:${rowHeight}px;text-align:right;border-bottom:1px solid #ddd`;
			inner.append(cell);
			return cell;
		});
		const draw = () => {
			const [row, column] = [Math.floor(scroller.scrollTop / rowHeight), Math.floor(scroller.scrollLeft / columnWidth)];
			cells.forEach((cell, place) => {
				cell.style.transform = `translate(${(column + (place % across)) * columnWidth}px, ${(row + Math.floor(place / across)) * rowHeight}px)`;
				cell.textContent = '1,234';
			});
		};
		scroller.addEventListener('scroll', draw);
		draw();
		const frames = await (window as unknown as Scrolls).scrollThrough(scroller);
		scroller.remove();
		return frames;
	});
	console.log(
		`form page: constant text, median frame ${quantile(frames, 0.5).toFixed(0)} ms, longest ${Math.max(...frames).toFixed(0)} ms`
	);
	return Math.max(...frames);
}

/** A block of 250 × 20 pasted into the large form until all of it has been taken; the median of three. */
async function timePasting(page: Page, base: string, person: number): Promise<number> {
	const times: number[] = [];
	for (let run = 0; run < 4; run++) {
		await page.goto(`${base}/forms/bench-large`);
		await page.waitForSelector('td.focused', { timeout: 60_000 });
		await page.waitForTimeout(800);
		const { time, message } = await page.evaluate(async (seed) => {
			const block = Array.from({ length: 250 }, (_, row) =>
				Array.from({ length: 20 }, (__, column) => String(seed + row + column)).join('\t')
			).join('\n');
			const data = new DataTransfer();
			data.setData('text/plain', block);
			const from = performance.now();
			document
				.querySelector('td.focused')!
				.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
			do await new Promise(requestAnimationFrame);
			while (document.querySelector('td.pending'));
			return { time: performance.now() - from, message: document.querySelector('[role=alert]')?.textContent ?? '' };
		}, run * 1_000);
		if (run === 0) console.log(`form page: pasting: ${message.trim().slice(0, 120) || 'all taken'}`);
		else times.push(time);
		await page.evaluate(
			(id) =>
				fetch('/api/m/group/forms/bench-large/discard', {
					method: 'POST',
					headers: { 'content-type': 'application/json', 'x-person': String(id) },
					body: '{}'
				}),
			person
		);
	}
	return quantile(times, 0.5);
}

/** Some people, each typing one cell after another into the same form, as fast as they are answered. */
async function timeCrowd(base: string, planners: readonly Planner[]): Promise<number> {
	const times: number[] = [];
	let errors = 0;
	const opened = await ask(base, planners[0]!, 'open', { choices: { members: {} } });
	if (!opened.ok) throw new Error(`The form does not open: ${JSON.stringify(opened.answer)}`);
	const { form } = opened.answer as { form: { structure: number; frame: string; marks: string; columns: unknown[] } };
	const leaf = form.marks.indexOf('e');
	const width = form.columns.length;
	const everybody = planners.map(async (planner, person) => {
		for (let entry = 0; entry < ENTRIES_EACH; entry++) {
			const from = performance.now();
			const { ok } = await ask(base, planner, 'enter', {
				choices: { members: {} },
				window: { frame: form.frame },
				entries: {
					entries: [{ row: Math.floor(leaf / width), column: leaf % width, text: String(person * 100 + entry) }],
					structure: form.structure
				}
			});
			// The first entry of each person opens their form.
			if (entry > 0) times.push(performance.now() - from);
			if (!ok) errors++;
			// A person needs a moment to type a figure.
			await new Promise((done) => setTimeout(done, 400 + ((person * 37 + entry * 91) % 400)));
		}
	});
	await Promise.all(everybody);
	console.log(
		`form page: ${planners.length} typing, median ${quantile(times, 0.5).toFixed(0)} ms, p95 ${quantile(times, 0.95).toFixed(0)} ms, ${errors} errors`
	);
	if (errors > 0) throw new Error(`${errors} of ${times.length} entries failed.`);
	return quantile(times, 0.95);
}

async function ask(base: string, { id, token }: Planner, verb: string, body: object): Promise<{ ok: boolean; answer: unknown }> {
	const response = await fetch(`${base}/api/m/group/forms/bench-250/${verb}`, {
		method: 'POST',
		headers: { 'content-type': 'application/json', origin: base, cookie: `lattice_session=${token}`, 'x-person': String(id) },
		body: JSON.stringify(body)
	});
	return { ok: response.ok, answer: await response.json() };
}
