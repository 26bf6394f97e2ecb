import type { Operand } from '../tree';
import type { OperandReader, Reading } from './reading';
import { WeightedReader } from './weighted-reader';

/**
 * A parent account over several periods: what adds up beneath it, each account by its own time behaviour, by its weight.
 * @param make a reader of the same place at one account
 */
export function accountsBeneath({ model }: Reading, operand: Operand, make: (operand: Operand) => OperandReader): OperandReader {
	const parts: { reader: OperandReader; weight: number }[] = [];
	model.accounts.eachWeightedLeaf(operand.account, (account, weight) => {
		const facts = model.account(account);
		if (weight !== 0 && facts?.consolidation === 'sum' && (facts.frequency ?? 'per period') === 'per period')
			parts.push({ reader: make({ ...operand, account }), weight });
	});
	return new WeightedReader(parts);
}
