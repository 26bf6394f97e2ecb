import { selectionInWords, type AxisBlock } from '$lib/core';

/** What a block is called on the page: its heading or label, else what it selects. */
export function blockName(block: AxisBlock, index: number, names: ReadonlyMap<number, string>): string {
	if (block.kind === 'text') return block.label || 'empty line';
	if (block.kind === 'derived') return block.label;
	const words = block.parts.map(({ selection }) => selectionInWords(selection, names)).join(' by ');
	return block.called || block.heading || words || `Block ${index + 1}`;
}
