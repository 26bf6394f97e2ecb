import type { Present } from '$lib/server/form';
import type { ShownForm } from './shown-form';

/** Where others stand on the form one sees, by cell; those who look at another part of it stand nowhere. */
export function placeOfOthers(form: Pick<ShownForm, 'rows' | 'columns' | 'cell'>, present: readonly Present[]): Map<number, string> {
	const found = new Map<number, string>();
	for (const { person, members } of present) {
		const fits = (line: { kind: string; members: Readonly<Record<number, number>> }) => {
			const own = Object.entries(line.members);
			return line.kind === 'cells' && own.length > 0 && own.every(([dimension, member]) => members[dimension] === member);
		};
		const row = form.rows.findIndex(fits);
		const column = form.columns.findIndex(fits);
		if (row < 0 || column < 0) continue;
		const cell = form.cell(row, column);
		found.set(cell, found.has(cell) ? `${found.get(cell)}, ${person}` : person);
	}
	return found;
}
