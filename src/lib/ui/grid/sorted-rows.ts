/** Rows in the order of their figures. */
export interface RowOrder {
	column: number;
	descending: boolean;
	/** Of rows under the same one only so many; all when left out. */
	top?: number;
}

interface Line {
	kind: 'cells' | 'derived' | 'text';
	depth: number;
	totalAfter: boolean;
}

/**
 * The places of rows with those under the same one sorted by their figures, each followed by what lies under it; rows without
 * a figure last. A heading ends what is sorted before it. Rows whose totals stand after them keep their order: what stands
 * above what could not be told. O(n log n).
 */
export function sortedRows(
	rows: readonly Line[],
	valueOf: (row: number) => number | null,
	{ descending, top }: Omit<RowOrder, 'column'>
): number[] {
	const all = rows.map((_, index) => index);
	if (rows.some(({ totalAfter }) => totalAfter)) return all;
	interface Node {
		row: number;
		beneath: Node[];
	}
	const order: number[] = [];
	const put = (nodes: Node[]): void => {
		const sorted = nodes
			.map((node) => ({ node, value: valueOf(node.row) }))
			.sort((one, other) => {
				if (one.value === null || other.value === null) return (one.value === null ? 1 : 0) - (other.value === null ? 1 : 0);
				return descending ? other.value - one.value : one.value - other.value;
			});
		for (const { node } of top === undefined ? sorted : sorted.slice(0, top)) {
			order.push(node.row);
			put(node.beneath);
		}
	};
	let roots: Node[] = [];
	let path: { depth: number; node: Node }[] = [];
	rows.forEach(({ kind, depth }, row) => {
		const node: Node = { row, beneath: [] };
		if (kind === 'text' && depth === 0) {
			put(roots);
			order.push(row);
			roots = [];
			path = [];
			return;
		}
		while (path.length > 0 && path.at(-1)!.depth >= depth) path.pop();
		(path.at(-1)?.node.beneath ?? roots).push(node);
		path.push({ depth, node });
	});
	put(roots);
	return order;
}
