interface Member {
	id: number;
	code: string;
	name: string;
	leaf: boolean;
}

/** The member a text means: by its code, or else by its name; capitals do not matter where that is clear. */
export function findMember<Of extends Member>(members: readonly Of[], text: string): Of | undefined {
	const wanted = text.trim();
	const lower = wanted.toLowerCase();
	return (
		members.find(({ code }) => code === wanted) ??
		members.find(({ name }) => name === wanted) ??
		members.find(({ code, name }) => code.toLowerCase() === lower || name.toLowerCase() === lower)
	);
}

/** Pairs of members from two pasted columns, the last line of a member counting; and what could not be read, in sentences. */
export function readPairs(
	members: readonly Member[],
	text: string
): { lines: { from: number; to: number; reverse: boolean }[]; faults: string[] } {
	const lines = new Map<number, { from: number; to: number; reverse: boolean }>();
	const faults: string[] = [];
	const byText = new Map<string, Member>();
	for (const member of members.toReversed()) byText.set(member.name.toLowerCase(), member);
	for (const member of members) byText.set(member.code.toLowerCase(), member);
	text.split(/\r?\n/).forEach((row, index) => {
		if (row.trim() === '') return;
		const cells = row.split(row.includes('\t') ? '\t' : ';').map((cell) => cell.trim());
		if (cells.length !== 2)
			return faults.push(
				`Line ${index + 1} has ${cells.length === 1 ? 'one column' : `${cells.length} columns`}; two are wanted, from and to.`
			);
		const [from, to] = cells.map((cell) => byText.get(cell.toLowerCase()));
		if (!from || !to) faults.push(`Line ${index + 1}: no member “${from ? cells[1] : cells[0]}”.`);
		else if (!to.leaf) faults.push(`Line ${index + 1}: “${to.name}” adds up others; figures go to members without any beneath them.`);
		else lines.set(from.id, { from: from.id, to: to.id, reverse: false });
	});
	return { lines: [...lines.values()], faults };
}
