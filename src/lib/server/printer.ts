/** Pages of the application on paper: printed by a browser on the server, as whoever they are for would see them. */
import { existsSync } from 'node:fs';
import type { Browser } from 'playwright-core';
import { Fault } from './fault';
import { forgetSession, openForMinutes } from './session';
import { sessionCookie } from './session/cookie';

const MOST_MILLISECONDS = 60_000;

/** What fits between the margins of a page, in the pixels of a browser: charts are drawn as wide as they are printed. */
const PAPER = { width: 1_032, height: 703 };

/** The browser that prints; Debian's where no other is named. */
const browserPath = (): string => process.env.CHROMIUM ?? '/usr/bin/chromium';

/** Where this server answers for itself: at the address it listens on, or on this machine where that is all of them. */
const here = (): string => {
	const host = process.env.HOST ?? '';
	return `http://${['', '0.0.0.0', '::'].includes(host) ? '127.0.0.1' : host}:${process.env.PORT ?? '4173'}`;
};

/** The name of the session's cookie, as the server reads it behind the address people use. */
const cookieName = (): string => sessionCookie(new URL(process.env.ORIGIN ?? here()));

/** A browser that prints pages of this server, one after another. */
export interface Printer {
	/**
	 * A page as a PDF, as a person reads it. Nothing but this server is asked for anything.
	 * @param path of the page, such as `/m/group/print/boards/1`
	 * @throws Fault 422 where the page could not be opened
	 */
	print(person: number, path: string): Promise<Uint8Array>;
	close(): Promise<void>;
}

/**
 * Starts the browser that prints.
 * @param signal ends it, and what is being printed
 * @throws Fault 503 where none is installed
 */
export async function openPrinter(signal: AbortSignal): Promise<Printer> {
	const executablePath = browserPath();
	if (!existsSync(executablePath))
		throw new Fault(
			503,
			'no browser',
			'Nothing can be put on paper on this server: Chromium is not installed (CHROMIUM names another place).'
		);
	const { chromium } = await import('playwright-core');
	// Chromium has no sandbox of its own for the root user.
	const browser = await chromium.launch({ executablePath, args: process.getuid?.() === 0 ? ['--no-sandbox'] : [] });
	const close = async () => {
		signal.removeEventListener('abort', end);
		await browser.close().catch(() => {});
	};
	const end = () => void close();
	signal.addEventListener('abort', end);
	return { print: (person, path) => printIn(browser, person, path), close };
}

async function printIn(browser: Browser, person: number, path: string): Promise<Uint8Array> {
	const token = await openForMinutes(person, 5);
	// One person's cookies are nobody else's.
	const context = await browser.newContext({ viewport: PAPER, colorScheme: 'light', reducedMotion: 'reduce' });
	try {
		const name = cookieName();
		await context.addCookies([{ name, value: token, url: name.startsWith('__') ? here().replace('http:', 'https:') : here() }]);
		await context.route('**', (route) => (route.request().url().startsWith(`${here()}/`) ? route.continue() : route.abort()));
		const page = await context.newPage();
		page.setDefaultTimeout(MOST_MILLISECONDS);
		const answer = await page.goto(here() + path, { waitUntil: 'networkidle', timeout: MOST_MILLISECONDS });
		if (!answer?.ok() || new URL(page.url()).pathname !== path.split('?')[0])
			throw new Fault(422, 'not printed', 'The page could not be opened for printing.');
		// Charts are drawn once their library has come.
		await page.waitForFunction(() => document.querySelectorAll('[data-drawing]').length === 0);
		await page.emulateMedia({ media: 'print' });
		return await page.pdf({ preferCSSPageSize: true, printBackground: true });
	} finally {
		await context.close().catch(() => {});
		await forgetSession(token);
	}
}
