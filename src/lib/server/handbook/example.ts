/** A formula of the handbook with values to try it on. */
export interface Example {
	/** By name, as it is written in the formula; empty where nothing is filled in. */
	inputs: { name: string; value: string }[];
	formula: string;
	/** What it comes to with these values; empty for nothing. */
	result: string;
}

/**
 * Reads the block of an example: a line `name: value` for each input, the formula in lines of its own, `= result` at the end.
 * @throws Error where a block has no formula or no result: the handbook is written by us, and tested
 */
export function readExample(block: string): Example {
	const inputs: Example['inputs'] = [];
	const formula: string[] = [];
	let result: string | undefined;
	for (const line of block.split('\n').map((each) => each.trimEnd())) {
		const input = /^("[^"]+"|[A-Za-z][\w ]*):\s*(.*)$/.exec(line);
		if (line.startsWith('= ') || line === '=') result = line.slice(1).trim();
		else if (input && formula.length === 0) inputs.push({ name: input[1]!.replaceAll('"', ''), value: input[2]! });
		else if (line !== '') formula.push(line);
	}
	if (formula.length === 0 || result === undefined) throw new Error(`An example has no formula or no result: ${block}`);
	return { inputs, formula: formula.join('\n'), result };
}
