/** Members, or other things counted from 0, sorted into classes: those with the same signature are one. */
export interface Classes {
	/** Class by ordinal, −1 for those without a signature. Classes are counted from 0 in the order they are met. */
	classOf: Int32Array;
	/** The first ordinal of each class, to look up what all of the class share. */
	representative: number[];
}

/**
 * Sorts ordinals into classes.
 * @param count ordinals are 0 … count − 1
 * @param signatureOf what the ordinals of a class have in common; undefined leaves an ordinal out
 */
export function classesOf(count: number, signatureOf: (ordinal: number) => string | undefined): Classes {
	const classOf = new Int32Array(count).fill(-1);
	const representative: number[] = [];
	const known = new Map<string, number>();
	for (let ordinal = 0; ordinal < count; ordinal++) {
		const signature = signatureOf(ordinal);
		if (signature === undefined) continue;
		let found = known.get(signature);
		if (found === undefined) {
			known.set(signature, (found = representative.length));
			representative.push(ordinal);
		}
		classOf[ordinal] = found;
	}
	return { classOf, representative };
}
