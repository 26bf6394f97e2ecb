import { continuationOf, type TimeBehaviour } from '../../model';
import { EMPTY, overPeriods } from '../../number';
import type { Operand } from '../tree';
import type { OperandReader, Reading } from './reading';

/** Another period, a whole level, or from its start to here: by the account's own time behaviour, within the scenario's span. */
export class TimeReader implements OperandReader {
	readonly #reading: Reading;
	readonly #operand: Operand;
	readonly #base: OperandReader;
	readonly #make: (operand: Operand) => OperandReader;
	#behaviour: TimeBehaviour = 'flow';
	readonly #shift: Int32Array | undefined;
	#span = { from: 0, to: 0 };
	#address: Int32Array = new Int32Array(0);
	/** The same operand in the scenarios that others continue from: before a scenario's own periods they speak. */
	readonly #earlier = new Map<number, { reader: OperandReader; isTargeted: boolean }>();

	/** @param make a reader of the same operand elsewhere */
	constructor(reading: Reading, operand: Operand, base: OperandReader, make: (operand: Operand) => OperandReader) {
		this.#reading = reading;
		this.#operand = operand;
		this.#base = base;
		this.#make = make;
		this.#shift = operand.shift && reading.shifts.table(operand.shift.level, operand.shift.by);
	}

	target(address: Int32Array): void {
		const { model } = this.#reading;
		this.#base.target(address);
		this.#address = address;
		const { axis } = model.balanceRoles;
		const beside = this.#operand.axes.get(axis);
		const facts =
			axis < 0
				? undefined
				: model.balanceRoles.factsBeside(this.#operand.account, beside?.kind === 'member' ? beside.ordinal : address[axis]!);
		this.#behaviour = (facts ?? model.account(this.#operand.account))?.timeBehaviour ?? 'flow';
		for (const other of this.#earlier.values()) other.isTargeted = false;
		const where = this.#operand.axes.get(model.scenarioAxis);
		const scenario = where?.kind === 'member' ? where.ordinal : address[model.scenarioAxis]!;
		this.#span = model.scenario(scenario)?.span ?? { from: 0, to: model.periods.leaves.length - 1 };
	}

	at(leaf: number): number {
		const { model, shifts } = this.#reading;
		const { period, span } = this.#operand;
		const here = this.#shift ? this.#shift[leaf]! : leaf;
		if (here < 0) return EMPTY;
		if (period !== undefined) return this.#over(model.periods.range(period), false);
		if (!span) return this.#readerAt(here).at(here);
		const run = shifts.run(span.level, here);
		return run ? this.#over({ from: run.from, to: span.to === 'here' ? here : run.to }, span.to === 'here') : EMPTY;
	}

	/** Who speaks about a leaf period: the current scenario, or before its periods the one it continues from. */
	#readerAt(leaf: number, isToDate = false): OperandReader {
		const { model } = this.#reading;
		const where = this.#operand.axes.get(model.scenarioAxis);
		// A shift in a scenario that is named stays in it; what has run up to a date has run up through all that led there.
		if (leaf >= this.#span.from || (where && !(isToDate && where.kind === 'member'))) return this.#base;
		const own = where?.kind === 'member' ? where.ordinal : this.#address[model.scenarioAxis]!;
		const scenario = continuationOf(model, own, leaf)?.scenario ?? own;
		if (scenario === own) return this.#base;
		let other = this.#earlier.get(scenario);
		if (!other) {
			const axes = new Map([...this.#operand.axes, [model.scenarioAxis, { kind: 'member', ordinal: scenario } as const]]);
			const { shift: _, span: __, ...operand } = this.#operand;
			this.#earlier.set(scenario, (other = { reader: this.#make({ ...operand, axes }), isTargeted: false }));
		}
		if (!other.isTargeted) other.reader.target(this.#address);
		other.isTargeted = true;
		return other.reader;
	}

	/** A whole stretch: only what the scenario's span speaks about; to date, before it, the scenario it continues from. */
	#over({ from, to }: { from: number; to: number }, isToDate: boolean): number {
		return overPeriods(
			this.#behaviour,
			isToDate ? from : Math.max(from, this.#span.from),
			Math.min(to, this.#span.to),
			isToDate ? (leaf) => this.#readerAt(leaf, true).at(leaf) : (leaf) => this.#base.at(leaf)
		);
	}

	eachSource(visit: (address: Int32Array) => void): void {
		this.#base.eachSource(visit);
	}
}
