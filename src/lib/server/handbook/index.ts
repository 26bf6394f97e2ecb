/** The handbook: chapters written in Markdown, with examples that are worked out where they are read. */
import { Marked } from 'marked';
import { CHAPTERS, type ChapterHead } from './chapters';
import { readExample, type Example } from './example';
import { notFound } from '../fault';

export { CHAPTERS, type ChapterHead } from './chapters';
export { readExample, type Example } from './example';

export interface Heading {
	id: string;
	text: string;
}

/** A part of a chapter: text, or an example. */
export type ChapterPart = { html: string } | { example: Example };

export interface Chapter extends ChapterHead {
	title: string;
	parts: ChapterPart[];
	headings: Heading[];
}

/** A place in the handbook that words are found at. */
export interface HandbookHit {
	title: string;
	/** The heading they stand under; the chapter's title where they stand before the first. */
	heading: string;
	/** Where it is, within the model. */
	path: string;
}

const TEXTS = import.meta.glob<string>('/docs/handbook/*.md', { query: '?raw', import: 'default', eager: true });
const PICTURES = import.meta.glob<string>('/docs/handbook/pictures/*.png', { query: '?url', import: 'default', eager: true });

/** The text of a chapter as it is written. @throws Fault 404 */
export function chapterText(code: string): string {
	const text = TEXTS[`/docs/handbook/${code}.md`];
	if (text === undefined || !CHAPTERS.some((chapter) => chapter.code === code)) throw notFound('chapter');
	return text;
}

export const titleOf = (code: string): string => /^# (.+)$/m.exec(chapterText(code))?.[1] ?? code;

/** What a heading is called in addresses. */
export const slugOf = (heading: string): string =>
	heading
		.toLowerCase()
		.replaceAll(/[^\p{L}\p{N}]+/gu, '-')
		.replaceAll(/^-|-$/g, '');

/** All chapters by their titles, in order. */
export const contents = (): (ChapterHead & { title: string })[] => CHAPTERS.map((head) => ({ ...head, title: titleOf(head.code) }));

/**
 * A chapter ready to be shown.
 * @param place the model as addresses name it: links to pages of the product lead there
 */
export function readChapter(code: string, place: string): Chapter {
	const head = CHAPTERS.find((chapter) => chapter.code === code);
	const [, title = code, body = ''] = /^# (.+)\n([\s\S]*)$/.exec(chapterText(code)) ?? [];
	if (!head) throw notFound('chapter');
	const headings = headingsIn(body);
	const marked = new Marked({
		renderer: {
			heading({ tokens, depth, text }) {
				return `<h${depth} id="${slugOf(text)}">${this.parser.parseInline(tokens)}</h${depth}>\n`;
			},
			link({ href, tokens }) {
				return `<a href="${addressOf(href, place)}">${this.parser.parseInline(tokens)}</a>`;
			},
			image({ href, text }) {
				return `<img src="${PICTURES[`/docs/handbook/${href}`] ?? ''}" alt="${text}" loading="lazy">`;
			}
		}
	});
	// The pieces between fences are text and examples in turn.
	const parts = body
		.split(/^```formula\n([\s\S]*?)^```\n?/m)
		.map((piece, at): ChapterPart => (at % 2 === 1 ? { example: readExample(piece) } : { html: marked.parse(piece, { async: false }) }));
	return { ...head, title, parts: parts.filter((part) => !('html' in part) || part.html.trim() !== ''), headings };
}

const headingsIn = (text: string): Heading[] =>
	[...text.matchAll(/^## (.+)$/gm)].map(([, heading]) => ({ id: slugOf(heading!), text: heading! }));

/** Where a link of a chapter leads: `other.md#heading` to a chapter, `app:/forms` to a page of the product. */
function addressOf(href: string, place: string): string {
	if (href.startsWith('app:')) return `/m/${encodeURIComponent(place)}${href.slice(4)}`;
	const [, code, anchor = ''] = /^([\w-]+)\.md(#.*)?$/.exec(href) ?? [];
	return code ? `/m/${encodeURIComponent(place)}/handbook/${code}${anchor}` : href;
}

const MOST_HITS = 6;

/** The places of the handbook in which all words stand, titles and headings before text. */
export function searchHandbook(words: readonly string[]): HandbookHit[] {
	const found: (HandbookHit & { rank: number })[] = [];
	for (const { code } of CHAPTERS) {
		const title = titleOf(code);
		const [first = '', ...sections] = chapterText(code).split(/^## /m);
		for (const [place, section] of [first, ...sections].entries()) {
			const heading = place === 0 ? title : section.slice(0, section.indexOf('\n'));
			const name = `${title} ${heading}`.toLowerCase();
			const text = section.toLowerCase();
			if (!words.every((word) => name.includes(word) || text.includes(word))) continue;
			const rank = words.every((word) => heading.toLowerCase().includes(word)) ? 0 : words.every((word) => name.includes(word)) ? 1 : 2;
			found.push({ title, heading, path: `/handbook/${code}${place === 0 ? '' : `#${slugOf(heading)}`}`, rank });
		}
	}
	return found
		.sort((one, other) => one.rank - other.rank)
		.slice(0, MOST_HITS)
		.map(({ rank: _, ...hit }) => hit);
}
