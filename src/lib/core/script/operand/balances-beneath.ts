import type { Model } from '../../model';
import { EMPTY } from '../../number';
import type { AxisRead, Operand } from '../tree';
import type { OperandReader } from './reading';
import { rootOf, weightsOf } from './total-reader';
import { WeightedReader } from './weighted-reader';

/** Whether an operand adds up members that open, move and close: over periods each of them behaves in its own way. */
export function addsBalances(model: Model, { axes }: Operand): boolean {
	const where = axes.get(model.balanceRoles.axis);
	return where !== undefined && where.kind !== 'member';
}

/** One account over several periods at a total of such members: theirs, one by one, by their weights. */
export class BalancesBeneath implements OperandReader {
	readonly #model: Model;
	readonly #operand: Operand;
	readonly #where: Exclude<AxisRead, { kind: 'member' }>;
	readonly #make: (operand: Operand) => OperandReader;
	/** By the member whose total is read; one for all where the operand names it. */
	readonly #readers = new Map<number, OperandReader>();
	#current: OperandReader | undefined;

	/** @param make a reader of the same operand at one member */
	constructor(model: Model, operand: Operand, make: (operand: Operand) => OperandReader) {
		this.#model = model;
		this.#operand = operand;
		this.#where = operand.axes.get(model.balanceRoles.axis) as Exclude<AxisRead, { kind: 'member' }>;
		this.#make = make;
	}

	target(address: Int32Array): void {
		const { axis } = this.#model.balanceRoles;
		const dimension = this.#model.dimensions[axis]!;
		const where = this.#where;
		if (where.kind === 'of' || where.kind === 'over') this.#current = this.#readerOf(-1, where);
		else {
			const own = address[axis]!;
			const top = where.kind === 'parent' ? dimension.tree.parent[own]! : rootOf(dimension, own);
			this.#current = top < 0 ? undefined : this.#readerOf(top, { kind: 'of', ordinal: top });
		}
		this.#current?.target(address);
	}

	at(leaf: number): number {
		return this.#current?.at(leaf) ?? EMPTY;
	}

	eachSource(visit: (address: Int32Array) => void): void {
		const { period: _, span: __, ...operand } = this.#operand;
		this.#make(operand).eachSource(visit);
	}

	#readerOf(top: number, where: Extract<AxisRead, { kind: 'of' | 'over' }>): OperandReader {
		const { axis } = this.#model.balanceRoles;
		let reader = this.#readers.get(top);
		if (!reader) {
			const parts = [...weightsOf(this.#model.dimensions[axis]!, where)].flatMap((weight, ordinal) =>
				weight === 0
					? []
					: [
							{
								reader: this.#make({
									...this.#operand,
									axes: new Map([...this.#operand.axes, [axis, { kind: 'member', ordinal } as const]])
								}),
								weight
							}
						]
			);
			this.#readers.set(top, (reader = new WeightedReader(parts)));
		}
		return reader;
	}
}
