import { EMPTY, isEmpty } from '../../number';
import type { Operand } from '../tree';
import type { OperandReader, Reading } from './reading';

/** A parent account over several periods: what adds up beneath it, each account by its own time behaviour, by its weight. */
export class SumReader implements OperandReader {
	readonly #parts: { reader: OperandReader; weight: number }[] = [];

	/** @param make a reader of the same place at one account */
	constructor({ model }: Reading, operand: Operand, make: (operand: Operand) => OperandReader) {
		model.accounts.eachWeightedLeaf(operand.account, (account, weight) => {
			const facts = model.account(account);
			if (weight !== 0 && facts?.consolidation === 'sum' && (facts.frequency ?? 'per period') === 'per period')
				this.#parts.push({ reader: make({ ...operand, account }), weight });
		});
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
