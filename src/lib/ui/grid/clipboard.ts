/** A block of cells as spreadsheets put it on the clipboard: tabs between columns, lines between rows. */
export const toClipboard = (block: readonly (readonly string[])[]): string => block.map((line) => line.join('\t')).join('\n');

/** The block on the clipboard; quoted cells may hold tabs and line breaks. */
export function fromClipboard(text: string): string[][] {
	const rows: string[][] = [[]];
	let cell = '';
	let quoted = false;
	const endCell = () => {
		rows.at(-1)!.push(cell.trim());
		cell = '';
	};
	for (let index = 0; index < text.length; index++) {
		const character = text[index]!;
		if (quoted) {
			if (character !== '"') cell += character;
			else if (text[index + 1] === '"') cell += text[++index]!;
			else quoted = false;
		} else if (character === '"' && cell === '') quoted = true;
		else if (character === '\t') endCell();
		else if (character === '\n') {
			endCell();
			rows.push([]);
		} else if (character !== '\r') cell += character;
	}
	// A last line break ends the last row rather than beginning another.
	if (cell !== '' || rows.at(-1)!.length > 0) endCell();
	return rows.filter((row) => row.length > 0);
}
