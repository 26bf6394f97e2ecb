import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { CHAPTERS, chapterText, readChapter, searchHandbook, slugOf, titleOf } from '../../src/lib/server/handbook';
import { chapterOf } from '../../src/lib/ui/handbook/chapter-of';
import { worked } from '../../src/lib/ui/handbook/example';

/** All files under a folder. */
const filesIn = (folder: string): string[] =>
	readdirSync(folder, { withFileTypes: true, recursive: true })
		.filter((entry) => entry.isFile())
		.map((entry) => join(entry.parentPath, entry.name));
const APP = 'src/routes/m/[model]/(app)';
/** Pages of the product, as routes. */
const pages = filesIn(APP)
	.filter((file) => /\+page\.(svelte|server\.ts)$/.test(file))
	.map((file) => file.slice(APP.length).replace(/\/\+page\.(svelte|server\.ts)$/, ''));
const chapters = CHAPTERS.map(({ code }) => ({ code, text: chapterText(code) }));
const anchorsOf = (code: string) => [...chapterText(code).matchAll(/^## (.+)$/gm)].map(([, heading]) => slugOf(heading!));

describe('the handbook', () => {
	test('has a chapter for each of its files, with a title, and text for each part', () => {
		const files = readdirSync('docs/handbook').filter((file) => file.endsWith('.md'));
		expect(files.map((file) => file.replace('.md', '')).sort()).toEqual(CHAPTERS.map(({ code }) => code).sort());
		for (const { code } of CHAPTERS) {
			const { title, parts } = readChapter(code, 'group');
			expect(title.length, code).toBeGreaterThan(3);
			expect(parts.length, code).toBeGreaterThan(0);
		}
	});

	test('has no dead link, to a chapter, a heading or a page', () => {
		let followed = 0;
		for (const { code, text } of chapters)
			for (const [, href] of text.matchAll(/\]\(([^)]+)\)/g)) {
				followed++;
				if (href!.startsWith('pictures/')) {
					expect(existsSync(`docs/handbook/${href}`), `${code}: ${href}`).toBe(true);
					continue;
				}
				if (href!.startsWith('app:')) {
					expect(pages, `${code}: ${href}`).toContain(href!.slice(4));
					continue;
				}
				const [, other, anchor] = /^([\w-]+)\.md(?:#(.+))?$/.exec(href!) ?? [];
				expect(
					CHAPTERS.map((chapter) => chapter.code),
					`${code}: ${href}`
				).toContain(other);
				if (anchor) expect(anchorsOf(other!), `${code}: ${href}`).toContain(anchor);
			}
		expect(followed).toBeGreaterThan(40);
		expect(
			readChapter('beginning', 'group 2')
				.parts.map((part) => ('html' in part ? part.html : ''))
				.join()
		).toContain('href="/m/group%202/handbook/filling"');
	});

	test('names buttons, fields and lists as they are written on the page', () => {
		const written = [...filesIn('src/lib/ui'), ...filesIn('src/routes')]
			.filter((file) => /\.(svelte|ts)$/.test(file))
			.map((file) => readFileSync(file, 'utf8').replaceAll(/\s+/g, ' '))
			.join(' ');
		const unknown = chapters.flatMap(({ code, text }) =>
			[...text.matchAll(/\*\*([^*]+)\*\*/g)].filter(([, name]) => !written.includes(name!)).map(([, name]) => `${code}: ${name}`)
		);
		expect(unknown).toEqual([]);
	});

	test('examples come to what they say', () => {
		let examples = 0;
		for (const { code } of CHAPTERS)
			for (const part of readChapter(code, 'group').parts)
				if ('example' in part) {
					examples++;
					expect(worked(part.example, 'en-GB'), `${code}: ${part.example.formula}`).toEqual({ result: part.example.result });
				}
		expect(examples).toBeGreaterThan(12);
	});

	test('an example that is changed says what it comes to, or what is wrong, in the reader’s own numbers', () => {
		const example = { inputs: [{ name: 'A', value: '1.200,5' }], formula: 'A * 2' };
		expect(worked(example, 'de-DE')).toEqual({ result: '2.401' });
		expect(worked(example, 'en-GB')).toEqual({ fault: 'A: “1.200,5” is no number.' });
		expect(worked({ ...example, formula: 'B * 2' }, 'de-DE')).toEqual({ fault: '“B” is none of A.' });
		expect(worked({ ...example, formula: 'A *' }, 'de-DE')).toEqual({ fault: 'The formula ends where more was expected.' });
		expect(worked({ ...example, formula: 'A / 0' }, 'de-DE')).toEqual({ result: '' });
	});

	test('every page of the product leads to a chapter, and to a heading that is there', () => {
		expect(pages.length).toBeGreaterThan(30);
		for (const page of pages) {
			const [code, anchor] = chapterOf(`/m/[model]/(app)${page}`).split('#');
			expect(
				CHAPTERS.map((chapter) => chapter.code),
				page
			).toContain(code);
			if (anchor) expect(anchorsOf(code!), page).toContain(anchor);
		}
		expect(chapterOf('/m/[model]/(app)/access/locks')).toBe('locking');
		expect(chapterOf('/m/[model]/(app)/insight/explore/[code]')).toBe('exploring');
	});

	test('is searched by all words: headings first, then titles, then text', () => {
		expect(searchHandbook(['why', 'differs'])[0]).toEqual({
			title: titleOf('exploring'),
			heading: 'Why a figure differs',
			path: '/handbook/exploring#why-a-figure-differs'
		});
		expect(searchHandbook(['coalesce'])[0]!.path).toBe('/handbook/functions#empty-coalesce');
		expect(searchHandbook(['nowhere-in-it'])).toEqual([]);
	});
});
