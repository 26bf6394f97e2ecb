import { selectionInWords, type AxisBlock } from '$lib/core';

/** What a block is called on the page: its heading or label, else what it selects. */
export function blockName(block: AxisBlock, index: number, names: ReadonlyMap<number, string>): string {
	if (block.kind === 'text') return block.label || 'empty line';
	if (block.kind === 'derived') return block.label;
	const words = block.parts.map(({ selection }) => selectionInWords(selection, names)).join(' by ');
	return block.heading || words || `Block ${index + 1}`;
}

/** What blocks are called in expressions: their heading or label, else their place. The server knows them by the same. */
export const blockLabels = (blocks: readonly AxisBlock[]): { id: number; label: string }[] =>
	blocks.map((block, index) => ({
		id: block.id,
		label: (block.kind === 'cells' ? block.heading : block.label) || `Block ${index + 1}`
	}));
