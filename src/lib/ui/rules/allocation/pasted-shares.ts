import type { Vocabulary } from '$lib/server/engine';
import { typedNumber } from '../../figures/typed';

type Dimension = Vocabulary['dimensions'][number];

/** A row of fixed shares: a member (id) by dimension (id), and what it weighs. */
export interface FixedShare {
	members: Readonly<Record<number, number>>;
	share: number;
}

/**
 * Rows pasted from a spreadsheet: a column for each dimension of the receivers with names or codes, and one with numbers,
 * which comes last. A heading is passed over.
 * @returns the rows, and a sentence for each that was not understood
 */
export function pastedShares(text: string, dimensions: readonly Dimension[]): { shares: FixedShare[]; faults: string[] } {
	const shares: FixedShare[] = [];
	const faults: string[] = [];
	const known = dimensions.map(({ members }) => {
		const found = new Map<string, number>();
		for (const { id, code, name } of members)
			for (const word of [name, code]) if (!found.has(word.toLowerCase())) found.set(word.toLowerCase(), id);
		return found;
	});
	const lines = text.split(/\r?\n/).filter((line) => line.trim() !== '');
	lines.forEach((line, row) => {
		const columns = line.split('\t').map((each) => each.trim());
		const share = typedNumber(columns[dimensions.length] ?? '');
		if (share === undefined) {
			if (row > 0) faults.push(`Row ${row + 1} has no number in column ${dimensions.length + 1}.`);
			return;
		}
		const members: Record<number, number> = {};
		for (const [at, dimension] of dimensions.entries()) {
			const member = known[at]!.get((columns[at] ?? '').toLowerCase());
			if (member === undefined) {
				faults.push(`Row ${row + 1}: “${columns[at] ?? ''}” is no member of ${dimension.name}.`);
				return;
			}
			members[dimension.id] = member;
		}
		if (share < 0) faults.push(`Row ${row + 1}: a share is not below 0.`);
		else shares.push({ members, share });
	});
	return { shares, faults };
}
