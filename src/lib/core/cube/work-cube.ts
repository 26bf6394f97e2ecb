import type { Model } from '../model';
import { isEmpty } from '../number';
import type { Cube } from './cube';
import { SeriesPool } from './series-pool';
import { Block, type Address } from './series-store';

/** What was touched of an origin in a fiscal year. */
interface Touched {
	origin: number;
	year: number;
	addresses: Block;
	before: Float64Array[];
}

/** A series of one origin that was changed: all of it before and after. Ordinals. */
export interface ChangedSeries {
	origin: number;
	address: Int32Array;
	year: number;
	before: Float64Array;
	after: Float64Array;
}

/**
 * A cube that is written to for a while: what is read afterwards includes it, and every series that was touched is
 * remembered as it was, so that the difference can be told and the cube put back. Touching a series costs a look-up.
 */
export class WorkCube {
	readonly cube: Cube;
	readonly #model: Model;
	/** What was touched, by origin and fiscal year: addresses in an index of their own, and their values before. */
	readonly #touched = new Map<string, Touched>();
	readonly #pool: SeriesPool;

	/** Of each account, the series written last by `write`: it has been touched, and the next period is often in it. */
	readonly #written: ({ origin: number; year: number; block: Block; series: number } | undefined)[] = [];

	/** The origin and year touched last, and what was touched of them: writes come in runs. */
	#last: Touched | undefined;

	constructor(model: Model, cube: Cube) {
		this.#model = model;
		this.cube = cube;
		this.#pool = new SeriesPool(cube.store.width);
	}

	/** Sets what an origin holds at a cell; empty takes it away. */
	write(origin: number, address: Address, year: number, position: number, value: number): void {
		const account = address[this.#model.accountAxis]!;
		let near = this.#written[account];
		if (!near || near.origin !== origin || near.year !== year || !near.block.isAt(near.series, address)) {
			this.#touch(origin, address, year);
			const block = this.cube.store.ensureBlockOf(address, year);
			this.#written[account] = near = { origin, year, block, series: block.ensure(address) };
		}
		this.cube.writeAt(near.block, near.series, origin, position, value);
	}

	/** Sets several places of a series at once; `NaN` takes away, and places of which `sets` says 0 stay. */
	writePlaces(origin: number, address: Address, year: number, values: Float64Array, sets: Uint8Array): void {
		this.#touch(origin, address, year);
		for (let position = 0; position < values.length; position++)
			if (sets[position] === 1) this.cube.writeCell(origin, address, year, position, values[position]!);
	}

	/** Whether a series was written to in this work. */
	has(origin: number, address: Address, year: number): boolean {
		const group = this.#touched.get(`${origin} ${year}`);
		return group !== undefined && group.addresses.find(address) >= 0;
	}

	#touch(origin: number, address: Address, year: number): void {
		let group = this.#last;
		if (group?.origin !== origin || group.year !== year) {
			const key = `${origin} ${year}`;
			group = this.#touched.get(key);
			if (!group) this.#touched.set(key, (group = { origin, year, addresses: new Block(this.#model.dimensions.length, 1), before: [] }));
			this.#last = group;
		}
		if (group.addresses.ensure(address) === group.before.length)
			group.before.push(this.cube.seriesOf(origin, address, year, this.#pool.take()));
	}

	#each(visit: (origin: number, address: Int32Array, year: number, before: Float64Array) => void): void {
		const address = new Int32Array(this.#model.dimensions.length);
		for (const { origin, year, addresses, before } of this.#touched.values())
			for (let place = 0; place < addresses.count; place++) visit(origin, addresses.readAddress(place, address), year, before[place]!);
	}

	/** The series that differ from what they were. */
	changes(): ChangedSeries[] {
		const changed: ChangedSeries[] = [];
		const now = new Float64Array(this.cube.store.width);
		this.#each((origin, address, year, before) => {
			this.cube.seriesOf(origin, address, year, now);
			if (isSame(before, now)) return;
			const after = this.#pool.take();
			after.set(now);
			changed.push({ origin, address: address.slice(), year, before, after });
		});
		return changed;
	}

	/** Puts everything back as it was. */
	restore(): void {
		this.#each((origin, address, year, before) => this.cube.writeSeries(origin, address, year, before));
		this.#touched.clear();
		this.#written.length = 0;
		this.#last = undefined;
	}
}

function isSame(one: Float64Array, other: Float64Array): boolean {
	for (let place = 0; place < one.length; place++) {
		const [left, right] = [one[place]!, other[place]!];
		if (left !== right && !(isEmpty(left) && isEmpty(right))) return false;
	}
	return true;
}

/** Calls back with every series an origin holds something in; the address is reused. O(series of the cube). */
export function eachSeriesOf(
	model: Model,
	cube: Cube,
	origins: ReadonlySet<number>,
	visit: (origin: number, address: Int32Array, year: number, values: Float64Array) => void
): void {
	const address = new Int32Array(model.dimensions.length);
	for (const { year, block } of cube.store.blocks())
		for (let series = 0; series < block.count; series++) {
			const held = cube.originsOf(block, series);
			for (const origin of held) {
				if (!origins.has(origin)) continue;
				const values = cube.seriesOf(origin, block.readAddress(series, address), year);
				if (values.some((value) => !isEmpty(value))) visit(origin, address, year, values);
			}
		}
}
