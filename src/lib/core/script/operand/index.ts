import type { Operand } from '../tree';
import { accountsBeneath } from './accounts-beneath';
import { addsBalances, BalancesBeneath } from './balances-beneath';
import { CellReader } from './cell-reader';
import { FoldReader } from './fold-reader';
import { isReadByCells, membersBeneath } from './members-beneath';
import type { OperandReader, Reading } from './reading';
import { TimeReader } from './time-reader';
import { TotalReader } from './total-reader';

export { isReadByCells } from './members-beneath';
export { eachCell, type OperandReader, type Reading } from './reading';

/** A reader of an operand as the cube is now. Values written later are seen where the operand is no total. */
export function operandReader(reading: Reading, operand: Operand): OperandReader {
	const { model } = reading;
	const again = (other: Operand) => operandReader(reading, other);
	// A fold other than a sum takes the members of its selection one by one, each over time as it stands.
	if (operand.fold !== 'sum') return new FoldReader(reading, operand, again);
	const isOverTime = operand.period !== undefined || operand.span !== undefined;
	// Over periods every account has a behaviour of its own: a parent's children bring theirs.
	if (isOverTime && !model.accounts.isLeaf(operand.account)) return accountsBeneath(reading, operand, again);
	if (isOverTime && addsBalances(model, operand)) return new BalancesBeneath(model, operand, again);
	const isTotal = !model.accounts.isLeaf(operand.account) || [...operand.axes.values()].some(({ kind }) => kind !== 'member');
	const base = !isTotal
		? new CellReader(reading, operand)
		: isReadByCells(model, operand)
			? membersBeneath(reading, operand)
			: new TotalReader(reading, operand);
	return isOverTime || operand.shift !== undefined ? new TimeReader(reading, operand, base, again) : base;
}
