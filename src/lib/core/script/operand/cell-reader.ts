import { isTranslated, LeafReader, Reader, type Block } from '../../cube';
import { EMPTY } from '../../number';
import type { Operand } from '../tree';
import { factorsBetween, translated } from './exchange';
import { eachAddress, type OperandReader, type Reading } from './reading';

/** One leaf account at leaf members. */
export class CellReader implements OperandReader {
	readonly #reading: Reading;
	readonly #leaves: LeafReader;
	readonly #account: number;
	readonly #fixed: { axis: number; ordinal: number }[];
	readonly #address: Int32Array;
	readonly #isLive: boolean;
	readonly #frequency: 'per period' | 'per year' | 'timeless';
	#factors: Float64Array | undefined;
	/** Series of the current address by fiscal year, as they are asked for: its block and first value. */
	#year = Number.NaN;
	#block: Block | undefined;
	#series = -1;
	/** Blocks grow as series are written: what was not there is looked for again. */
	readonly #translates: boolean;
	readonly #rates = new Map<string, Float64Array>();

	constructor(reading: Reading, { account, axes }: Operand) {
		const { model, cube } = reading;
		this.#reading = reading;
		this.#leaves = new LeafReader(model, new Reader(cube).read);
		this.#account = account;
		this.#fixed = [...axes].map(([axis, where]) => ({ axis, ordinal: (where as { ordinal: number }).ordinal }));
		this.#address = new Int32Array(model.dimensions.length);
		this.#isLive = model.live.has(account);
		const facts = model.account(account);
		this.#frequency = facts?.frequency ?? 'per period';
		this.#translates = facts !== undefined && isTranslated(facts) && axes.has(model.entityAxis);
	}

	target(address: Int32Array): void {
		const { model } = this.#reading;
		this.#address.set(address);
		this.#address[model.accountAxis] = this.#account;
		for (const { axis, ordinal } of this.#fixed) this.#address[axis] = ordinal;
		this.#year = Number.NaN;
		this.#factors = this.#translates
			? factorsBetween(this.#reading, this.#rates, this.#account, this.#address, address[model.entityAxis]!)
			: undefined;
	}

	at(leaf: number): number {
		const { model, cube } = this.#reading;
		const { fiscalYear, position } = model.periods.leaf(leaf);
		const year = this.#frequency === 'timeless' ? 0 : fiscalYear;
		const place = this.#frequency === 'per period' ? position : 0;
		let value: number;
		if (this.#isLive) value = this.#leaves.value(this.#address, year, place);
		else {
			if (year !== this.#year || this.#series < 0) {
				this.#year = year;
				this.#block = cube.store.blockOf(this.#address, year);
				this.#series = this.#block ? this.#block.find(this.#address) : -1;
			}
			value = this.#series < 0 ? EMPTY : this.#block!.values[this.#series * this.#block!.width + place]!;
		}
		return this.#factors ? translated(this.#reading, value, this.#factors[leaf]!) : value;
	}

	eachSource(visit: (address: Int32Array) => void): void {
		eachAddress(
			this.#reading,
			(account) => account === this.#account,
			(address) => {
				if (this.#fixed.every(({ axis, ordinal }) => address[axis] === ordinal)) visit(address);
			}
		);
	}
}
