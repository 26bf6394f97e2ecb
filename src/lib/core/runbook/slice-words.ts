import { selectionInWords, type Selection } from '../dimension';

/** A slice in words: "Actual; Sailings, Seats". */
export const sliceInWords = (slice: Readonly<Record<string, Selection>>, names: ReadonlyMap<number, string>): string =>
	Object.values(slice)
		.map((selection) => selectionInWords(selection, names))
		.join('; ');
