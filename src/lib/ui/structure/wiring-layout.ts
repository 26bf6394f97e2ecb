import type { Wiring, WiringNode } from '$lib/server/structure';

export const BOX = { width: 172, height: 44 };
const GAP = { across: 40, down: 9 };

/** Columns from left to right: what brings numbers in, what they are about, what is computed, where they are used. */
const COLUMN: Record<WiringNode['kind'], number> = { import: 0, rates: 0, dimension: 1, formula: 2, runbook: 2, form: 3 };

export interface DrawnLine {
	from: string;
	to: string;
}

export interface DrawnWiring {
	/** Where each box stands. */
	boxes: Map<string, { x: number; y: number }>;
	/** Points in which the lines between two columns come together, by name. */
	joints: Map<string, { x: number; y: number }>;
	/** Each box to the joint of its column's lines and each joint to a box, once; a line that is alone goes straight. */
	bundles: DrawnLine[];
}

/** Boxes in four columns, each in the order given, and the lines between two columns bundled. O(boxes + lines). */
export function drawWiring({ nodes, edges }: Wiring): DrawnWiring {
	const columnOf = new Map(nodes.map(({ id, kind }) => [id, COLUMN[kind]]));
	const boxes: DrawnWiring['boxes'] = new Map();
	const heights = [0, 0, 0, 0];
	for (const { id, kind } of nodes) {
		const column = COLUMN[kind];
		boxes.set(id, { x: column * (BOX.width + GAP.across), y: heights[column]! });
		heights[column] = heights[column]! + BOX.height + GAP.down;
	}
	const between = new Map<string, DrawnLine[]>();
	for (const edge of edges) {
		// What feeds its own column would run behind its boxes; it shows when one of them is chosen.
		if (columnOf.get(edge.from) === columnOf.get(edge.to)) continue;
		const key = `${columnOf.get(edge.from)} to ${columnOf.get(edge.to)}`;
		between.set(key, [...(between.get(key) ?? []), edge]);
	}
	const joints: DrawnWiring['joints'] = new Map();
	const bundles: DrawnLine[] = [];
	for (const [key, lines] of between) {
		if (lines.length === 1) {
			bundles.push(lines[0]!);
			continue;
		}
		const joint = `joint ${key}`;
		const ends = lines.flatMap(({ from, to }) => [boxes.get(from)!.y, boxes.get(to)!.y]);
		const target = boxes.get(lines[0]!.to)!;
		joints.set(joint, {
			x: target.x - GAP.across / 2,
			y: ends.reduce((sum, y) => sum + y, 0) / ends.length + BOX.height / 2
		});
		for (const from of new Set(lines.map((line) => line.from))) bundles.push({ from, to: joint });
		for (const to of new Set(lines.map((line) => line.to))) bundles.push({ from: joint, to });
	}
	return { boxes, joints, bundles };
}

/** What a box feeds and is fed by, itself among them. */
export const lit = ({ edges }: Wiring, chosen: string): Set<string> =>
	new Set([chosen, ...edges.flatMap(({ from, to }) => (from === chosen ? [to] : to === chosen ? [from] : []))]);
