import type { Wiring, WiringNode } from '$lib/server/structure';
import ElkApi, { type ElkNode } from 'elkjs/lib/elk-api.js';
import workerUrl from 'elkjs/lib/elk-worker.min.js?url';

export const BOX = { width: 200, height: 56 };

/** Columns from left to right: what brings numbers in, what they are about, what is computed, where they are used. */
const COLUMN: Record<WiringNode['kind'], number> = { import: 0, rates: 0, dimension: 1, formula: 2, runbook: 2, form: 3 };

/** Where each box of the picture stands, laid out in layers by the Eclipse Layout Kernel in a worker. */
export async function layOut({ nodes, edges }: Wiring): Promise<Map<string, { x: number; y: number }>> {
	const elk = new ElkApi({ workerUrl });
	const graph: ElkNode = {
		id: 'root',
		layoutOptions: {
			'elk.algorithm': 'layered',
			'elk.direction': 'RIGHT',
			'elk.partitioning.activate': 'true',
			// Boxes that nothing feeds stand in their column all the same.
			'elk.separateConnectedComponents': 'false',
			'elk.layered.spacing.nodeNodeBetweenLayers': '70',
			'elk.spacing.nodeNode': '16',
			'elk.layered.nodePlacement.strategy': 'NETWORK_SIMPLEX'
		},
		children: nodes.map(({ id, kind }) => ({ id, ...BOX, layoutOptions: { 'elk.partitioning.partition': String(COLUMN[kind]) } })),
		edges: edges.map(({ from, to }, index) => ({ id: `e${index}`, sources: [from], targets: [to] }))
	};
	const placed = await elk.layout(graph);
	elk.terminateWorker();
	return new Map((placed.children ?? []).map(({ id, x = 0, y = 0 }) => [id, { x, y }]));
}
