import { sankey, sankeyLinkHorizontal } from 'd3-sankey';
import type { FlowPicture } from '$lib/server/engine';

type Picture = Pick<FlowPicture, 'nodes' | 'links' | 'stages'>;

/** A place as it is drawn: a bar. */
export interface Bar {
	/** The node (place in the picture). */
	node: number;
	x: number;
	y: number;
	width: number;
	height: number;
}

/** What went from one place to another as it is drawn: a band along a path. */
export interface Band {
	/** The link (place in the picture). */
	link: number;
	path: string;
	thickness: number;
}

const BAR = 10;
const GAP = 14;
/** Room for the names at the right of the last stage: as wide as its longest name and an amount are, as far as there is room. */
function marginOf({ nodes }: Pick<Picture, 'nodes'>, width: number): number {
	const last = Math.max(...nodes.map(({ stage }) => stage));
	const longest = Math.max(...nodes.filter(({ stage }) => stage === last).map(({ name }) => name.length));
	return Math.min(width * 0.32, LETTER * longest + AMOUNT);
}
/** About how wide a letter of a name is, and an amount beside it. */
const LETTER = 5.9;
const AMOUNT = 62;

/** How high a picture is: its fullest stage has room for every name. */
export function heightOf({ nodes }: Picture): number {
	const counts = new Map<number, number>();
	for (const { stage } of nodes) counts.set(stage, (counts.get(stage) ?? 0) + 1);
	return Math.max(260, Math.max(0, ...counts.values()) * 38);
}

/** The stages that have places, from left to right; 0 is where it began. */
export const columnsOf = ({ nodes }: Pick<Picture, 'nodes'>): number[] =>
	[...new Set(nodes.map(({ stage }) => stage))].sort((one, other) => one - other);

/** A thread through all columns, too thin to be seen: without it d3-sankey has as many columns as its longest way. */
const THREAD = 1e-9;

/** Places and bands of a picture, by d3-sankey: thick as their amounts are large, whatever their sign. */
export function layoutOf({ nodes, links, stages }: Picture, width: number): { bars: Bar[]; bands: Band[] } {
	if (links.length === 0) return { bars: [], bands: [] };
	const columns = columnsOf({ nodes });
	const layout = sankey<{ place: number; column: number }, { place: number }>()
		.nodeAlign(({ column }) => column)
		.nodeSort((one, other) => one.place - other.place)
		.nodeWidth(BAR)
		.nodePadding(GAP)
		.extent([
			[1, 4],
			[Math.max(width - marginOf({ nodes }, width), BAR * columns.length * 2), heightOf({ nodes, links, stages }) - 4]
		]);
	const largest = Math.max(...links.map(({ amount }) => Math.abs(amount)));
	const graph = layout({
		nodes: [
			...nodes.map(({ stage }, place) => ({ place, column: columns.indexOf(stage) })),
			...columns.map((_, column) => ({ place: nodes.length + column, column }))
		],
		links: [
			...links.map(({ from, to, amount }, place) => ({ source: from, target: to, value: Math.abs(amount), place })),
			...columns
				.slice(1)
				.map((_, column) => ({ source: nodes.length + column, target: nodes.length + column + 1, value: largest * THREAD, place: -1 }))
		]
	});
	const path = sankeyLinkHorizontal();
	return {
		bars: graph.nodes
			.filter(({ place }) => place < nodes.length)
			.map(({ place, x0, y0, x1, y1 }) => ({
				node: place,
				x: x0!,
				y: y0!,
				width: x1! - x0!,
				height: y1! - y0!
			})),
		bands: graph.links
			.filter(({ place }) => place >= 0)
			.map((link) => ({ link: link.place, path: path(link) ?? '', thickness: link.width ?? 0 }))
	};
}

/** What brought amounts to the places of a column, in words. */
export function headingOf({ nodes, links, stages }: Picture, stage: number): string {
	if (stage === 0) return 'Where it was booked';
	const steps = new Set(links.filter(({ to }) => nodes[to]!.stage === stage).map(({ step }) => step));
	return stages.filter((name) => steps.has(name)).join(', ');
}
