import { EMPTY, isEmpty } from '../../number';
import type { OperandReader } from './reading';

/** What several readers read, added up by weights; empty where none has a value. */
export class WeightedReader implements OperandReader {
	readonly #parts: readonly { reader: OperandReader; weight: number }[];

	constructor(parts: readonly { reader: OperandReader; weight: number }[]) {
		this.#parts = parts;
	}

	target(address: Int32Array): void {
		for (const { reader } of this.#parts) reader.target(address);
	}

	at(leaf: number): number {
		let total = EMPTY;
		for (const { reader, weight } of this.#parts) {
			const value = reader.at(leaf);
			if (!isEmpty(value)) total = isEmpty(total) ? value * weight : total + value * weight;
		}
		return total;
	}

	eachSource(visit: (address: Int32Array) => void): void {
		for (const { reader } of this.#parts) reader.eachSource(visit);
	}
}
