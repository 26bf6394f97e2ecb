/** The lines of the grid in sight on one axis: what they are called, and where the block is dropped. */
interface Lines {
	labels: readonly string[];
	first: number;
}

/** A block laid over the grid: where each of its cells goes, by place among the lines in sight. */
export interface AlignedBlock {
	cells: { down: number; across: number; text: string }[];
	/** Cells that have no place on the form, with the names of their row and column where the block has any. */
	lost: { row: string; column: string; text: string }[];
	/** Which names were recognised. */
	names: 'rows and columns' | 'columns' | 'rows' | 'none';
	/** Lines above the names of columns that are titles, and were left out. */
	titles: number;
}

/**
 * Lays a pasted block over the grid. A first line that holds the names of columns, and a first column that holds the names
 * of rows, say where the rest goes; without them it goes from the first cell on.
 */
export function alignBlock(block: readonly (readonly string[])[], rows: Lines, columns: Lines): AlignedBlock {
	const titles = titlesAbove(block, columns.labels);
	const head = block[titles] ?? [];
	const hasColumnNames = block.length > titles + 1 && isNames(head, columns.labels);
	const lines = hasColumnNames ? block.slice(titles + 1) : block;
	const firsts = lines.map((line) => line[0] ?? '');
	const hasRowNames = (lines[0]?.length ?? 0) > 1 && isNames(firsts, rows.labels);
	const skip = hasRowNames ? 1 : 0;
	const acrossOf = hasColumnNames
		? places(head.slice(skip), columns.labels)
		: (lines[0] ?? []).slice(skip).map((_, index) => within(columns.first + index, columns.labels));
	const downOf = hasRowNames ? places(firsts, rows.labels) : lines.map((_, index) => within(rows.first + index, rows.labels));
	const aligned: AlignedBlock = {
		cells: [],
		lost: [],
		names: hasRowNames ? (hasColumnNames ? 'rows and columns' : 'rows') : hasColumnNames ? 'columns' : 'none',
		titles: hasColumnNames ? titles : 0
	};
	lines.forEach((line, index) =>
		line.slice(skip).forEach((text, at) => {
			const across = at < acrossOf.length ? acrossOf[at]! : within(columns.first + at, columns.labels);
			const down = downOf[index]!;
			if (down >= 0 && across >= 0) aligned.cells.push({ down, across, text });
			else if (text !== '')
				aligned.lost.push({
					row: hasRowNames ? firsts[index]! : (rows.labels[down] ?? ''),
					column: hasColumnNames ? (head[at + skip] ?? '') : (columns.labels[across] ?? ''),
					text
				});
		})
	);
	return aligned;
}

/** How many lines of words stand above the names of columns: a title, an empty line. */
function titlesAbove(block: readonly (readonly string[])[], labels: readonly string[]): number {
	for (let line = 0; line < Math.min(block.length - 1, 5); line++) {
		if (isNames(block[line]!, labels)) return line;
		// A line of figures is no title.
		if (block[line]!.some((text) => /^[-+(]?[\d.,'’ ]*\d[\d.,'’ )%]*$/.test(text.trim()))) return 0;
	}
	return 0;
}

const within = (place: number, labels: readonly string[]): number => (place < labels.length ? place : -1);

const plain = (name: string): string => name.trim().toLowerCase();

/** Whether texts are names of lines: most of those that are not empty are, and none is a number. */
function isNames(texts: readonly string[], labels: readonly string[]): boolean {
	const known = new Set(labels.map(plain));
	const said = texts.map(plain).filter((text) => text !== '');
	const named = said.filter((text) => known.has(text)).length;
	return named > 0 && named * 2 > said.length;
}

/** Where the names stand among the lines, each name's next one after the last: names may repeat. */
function places(names: readonly string[], labels: readonly string[]): number[] {
	let from = 0;
	return names.map((name) => {
		const wanted = plain(name);
		let at = labels.findIndex((label, index) => index >= from && plain(label) === wanted);
		if (at < 0) at = labels.findIndex((label) => plain(label) === wanted);
		if (at >= 0) from = at + 1;
		return at;
	});
}
