import { EMPTY, isEmpty } from '../../number';
import type { AxisRead, Operand } from '../tree';
import type { OperandReader, Reading } from './reading';

/**
 * The members of selections one by one, in the order of their hierarchy: their average, how many there are with a value,
 * the least, the most, the first or the last of them. A member with others beneath it is its total.
 */
export class FoldReader implements OperandReader {
	readonly #fold: Operand['fold'];
	readonly #readers: OperandReader[];

	/** @param make a reader of the same account at one member */
	constructor({ model }: Reading, operand: Operand, make: (operand: Operand) => OperandReader) {
		this.#fold = operand.fold;
		const folded = [...operand.axes].filter(([, where]) => where.kind === 'over');
		let places: Map<number, AxisRead>[] = [new Map([...operand.axes].filter(([, where]) => where.kind !== 'over'))];
		for (const [axis, where] of folded) {
			const dimension = model.dimensions[axis]!;
			const ordinals = [...(where as { ordinals: readonly number[] }).ordinals].sort(
				(one, other) => dimension.tree.start[one]! - dimension.tree.start[other]!
			);
			places = places.flatMap((place) =>
				ordinals.map((ordinal) => new Map([...place, [axis, { kind: dimension.isLeaf(ordinal) ? 'member' : 'of', ordinal } as AxisRead]]))
			);
		}
		this.#readers = places.map((axes) => make({ ...operand, fold: 'sum', axes }));
	}

	target(address: Int32Array): void {
		for (const reader of this.#readers) reader.target(address);
	}

	at(leaf: number): number {
		let folded = EMPTY;
		let count = 0;
		for (const reader of this.#readers) {
			const value = reader.at(leaf);
			if (isEmpty(value)) continue;
			count++;
			if (count === 1) folded = value;
			else if (this.#fold === 'avg') folded += value;
			else if (this.#fold === 'min') folded = Math.min(folded, value);
			else if (this.#fold === 'max') folded = Math.max(folded, value);
			else if (this.#fold === 'last') folded = value;
		}
		if (count === 0) return EMPTY;
		return this.#fold === 'count' ? count : this.#fold === 'avg' ? folded / count : folded;
	}

	eachSource(visit: (address: Int32Array) => void): void {
		for (const reader of this.#readers) reader.eachSource(visit);
	}
}
