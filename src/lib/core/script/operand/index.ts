import type { Operand } from '../tree';
import { CellReader } from './cell-reader';
import type { OperandReader, Reading } from './reading';
import { TimeReader } from './time-reader';
import { TotalReader } from './total-reader';

export { eachCell, type OperandReader, type Reading } from './reading';

/** A reader of an operand as the cube is now. Values written later are seen where the operand is no total. */
export function operandReader(reading: Reading, operand: Operand): OperandReader {
	const { model } = reading;
	const isTotal = !model.accounts.isLeaf(operand.account) || [...operand.axes.values()].some(({ kind }) => kind !== 'member');
	const base = isTotal ? new TotalReader(reading, operand) : new CellReader(reading, operand);
	const isElsewhen = operand.shift !== undefined || operand.period !== undefined || operand.span !== undefined;
	return isElsewhen ? new TimeReader(reading, operand, base, (other) => operandReader(reading, other)) : base;
}
