/** Files of what a tile shows. */
import { stringify } from 'csv-stringify/browser/esm/sync';
import type { TileFigures, TileSteps } from '$lib/server/insight';
import type { WaterfallStep } from './tile-data';

/** What a file says of where its figures come from. */
export interface Source {
	title: string;
	/** Lines of words: what was chosen, compared, when. */
	lines: readonly string[];
}

/** The figures of a tile as CSV, unrounded and in units, under what they are of. Names that look like formulas are told as text. */
export function tileCsv({ title, lines }: Source, answer: TileFigures | (TileSteps & { steps: readonly WaterfallStep[] })): string {
	const head = [[title], ...lines.map((line) => [line]), []];
	const rows =
		answer.kind === 'figures'
			? [
					['', ...answer.columns.map(({ heading, label }) => (heading && heading !== label ? `${heading} ${label}` : label))],
					...answer.rows.map(({ label }, row) => [
						label,
						...answer.columns.map((_, column) => {
							const cell = row * answer.columns.length + column;
							return answer.words[cell] ?? answer.values[cell] ?? '';
						})
					])
				]
			: answer.steps.map(({ label, change }) => [label, change]);
	return stringify([...head, ...rows], {
		bom: true,
		escape_formulas: false,
		cast: { string: (text) => (/^[=+\-@\t\r]/.test(text) ? `'${text}` : text) }
	});
}

/** Hands a file to the browser, to be saved. */
export function saveAs(name: string, href: string): void {
	const link = document.createElement('a');
	link.href = href;
	link.download = name;
	link.click();
	if (href.startsWith('blob:')) setTimeout(() => URL.revokeObjectURL(href), 10_000);
}
