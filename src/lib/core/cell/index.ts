/** Where a number is: what every room of the core that reads or writes cells speaks of. */

/** Ordinals of the leaves of an address, in the order of the model's dimensions; the period is not among them. */
export type Address = ArrayLike<number>;

/** A leaf cell: its address, the fiscal year (0 for a value of all time), and the place of its period within that year. */
export interface CellPlace {
	address: Int32Array;
	year: number;
	position: number;
}

/** A leaf cell that went from one value to another; empty is NaN. */
export interface CellChange {
	address: Address;
	year: number;
	position: number;
	before: number;
	after: number;
}
