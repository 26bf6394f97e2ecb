import { isEmpty } from '../number';
import type { Cube } from './cube';
import { SeriesPool } from './series-pool';
import type { Address } from '../cell';
import { Block } from './series-store';
import { modeOf, NOW } from './standing';

/** What was touched of an origin in a fiscal year: by its place among the addresses, where it lies and what it held. */
interface Touched {
	origin: number;
	year: number;
	addresses: Block;
	blocks: Block[];
	series: number[];
	before: Float64Array[];
	stamps: Float64Array[];
	/** The place touched last. */
	place: number;
}

/** A series of one origin that was changed: all of it before and after. Ordinals. */
export interface ChangedSeries {
	origin: number;
	address: Int32Array;
	year: number;
	before: Float64Array;
	after: Float64Array;
	/** The revision each value was written with, and is written with now: `NOW` for what is new or has become the newest again. */
	stampsBefore: Float64Array;
	stamps: Float64Array;
	/** Where it lies in the cube. */
	block: Block;
	series: number;
}

/**
 * A cube that is written to for a while: what is read afterwards includes it, and every series that was touched is
 * remembered as it was, so that the difference can be told and the cube put back. Touching a series costs a look-up.
 */
export class WorkCube {
	readonly cube: Cube;
	/** What was touched, by origin and fiscal year: addresses in an index of their own, and their values before. */
	readonly #touched = new Map<string, Touched>();
	readonly #pool: SeriesPool;

	/** Of each account, the series written last by `write`: it has been touched, and the next period is often in it. */
	readonly #written: ({ origin: number; year: number; block: Block; series: number } | undefined)[] = [];

	/** The origin and year touched last, and what was touched of them: writes come in runs. */
	#last: Touched | undefined;

	constructor(cube: Cube) {
		this.cube = cube;
		this.#pool = new SeriesPool(cube.store.width);
	}

	/** Sets what an origin holds at a cell; empty takes it away. */
	write(origin: number, address: Address, year: number, position: number, value: number): void {
		const account = address[this.cube.model.accountAxis]!;
		let near = this.#written[account];
		if (!near || near.origin !== origin || near.year !== year || !near.block.isAt(near.series, address)) {
			const { blocks, series, place } = this.#touch(origin, address, year);
			this.#written[account] = near = { origin, year, block: blocks[place]!, series: series[place]! };
		}
		this.cube.writeAt(near.block, near.series, origin, position, value, NOW);
	}

	/** Sets several places of a series at once; `NaN` takes away, and places of which `sets` says 0 stay. */
	writePlaces(origin: number, address: Address, year: number, values: Float64Array, sets: Uint8Array): void {
		const { blocks, series, place } = this.#touch(origin, address, year);
		for (let position = 0; position < values.length; position++)
			if (sets[position] === 1) this.cube.writeAt(blocks[place]!, series[place]!, origin, position, values[position]!, NOW);
	}

	/** What an origin holds in a series: taken away until `lay` puts it back. @returns its values and their stamps */
	lift(origin: number, address: Address, year: number): { values: Float64Array; stamps: Float64Array } {
		const { blocks, series, place } = this.#touch(origin, address, year);
		const [block, at] = [blocks[place]!, series[place]!];
		const values = this.cube.heldAt(block, at, origin, new Float64Array(block.width));
		const stamps = this.cube.stampsAt(block, at, origin, new Float64Array(block.width));
		return { values, stamps };
	}

	/** Sets one place of a series together with its stamp. */
	lay(origin: number, address: Address, year: number, position: number, value: number, stamp: number): void {
		const { blocks, series, place } = this.#touch(origin, address, year);
		this.cube.writeAt(blocks[place]!, series[place]!, origin, position, value, stamp);
	}

	/** Calls back with every value an origin was given in this work; `forget` takes it away again. */
	eachWritten(origin: number, visit: (block: Block, series: number, position: number, value: number, forget: () => void) => void): void {
		const values = new Float64Array(this.cube.store.width);
		const stamps = new Float64Array(this.cube.store.width);
		for (const group of this.#touched.values()) {
			if (group.origin !== origin) continue;
			for (let place = 0; place < group.addresses.count; place++) {
				const [block, series] = [group.blocks[place]!, group.series[place]!];
				this.cube.heldAt(block, series, origin, values);
				this.cube.stampsAt(block, series, origin, stamps);
				for (let position = 0; position < values.length; position++) {
					if (isEmpty(values[position]!) || stamps[position] !== NOW) continue;
					visit(block, series, position, values[position]!, () => this.cube.writeAt(block, series, origin, position, Number.NaN, 0));
				}
			}
		}
	}

	/** Whether a series was written to in this work. */
	has(origin: number, address: Address, year: number): boolean {
		const group = this.#touched.get(`${origin} ${year}`);
		return group !== undefined && group.addresses.find(address) >= 0;
	}

	/** Remembers a series as it is, once. @returns its group, and its place in it */
	#touch(origin: number, address: Address, year: number): Touched {
		let group = this.#last;
		if (group?.origin !== origin || group.year !== year) {
			const key = `${origin} ${year}`;
			group = this.#touched.get(key);
			if (!group) {
				const addresses = new Block(this.cube.model.dimensions.length, 1);
				this.#touched.set(key, (group = { origin, year, addresses, blocks: [], series: [], before: [], stamps: [], place: 0 }));
			}
			this.#last = group;
		}
		group.place = group.addresses.ensure(address);
		if (group.place === group.before.length) {
			const block = this.cube.store.ensureBlockOf(address, year);
			const series = block.ensure(address);
			group.blocks.push(block);
			group.series.push(series);
			group.before.push(this.cube.heldAt(block, series, origin, this.#pool.take()));
			group.stamps.push(this.cube.stampsAt(block, series, origin, this.#pool.take()));
		}
		return group;
	}

	/**
	 * The series that differ from what they were, or whose values have become the newest again where something newer stood
	 * above them. An equal value that was the newest anyway is no change.
	 */
	changes(): ChangedSeries[] {
		const changed: ChangedSeries[] = [];
		const now = new Float64Array(this.cube.store.width);
		const stampsNow = new Float64Array(this.cube.store.width);
		for (const { origin, year, addresses, blocks, series, before, stamps } of this.#touched.values()) {
			const isBase = ['loads', 'sets'].includes(modeOf(this.cube.model, origin));
			for (let place = 0; place < addresses.count; place++) {
				const [block, at] = [blocks[place]!, series[place]!];
				this.cube.heldAt(block, at, origin, now);
				const isOther = !isSame(before[place]!, now);
				if (!isOther && !isBase) continue;
				this.cube.stampsAt(block, at, origin, stampsNow);
				const stampsBefore = stamps[place]!;
				let isNewer = false;
				for (let position = 0; position < now.length; position++) {
					if (now[position] !== before[place]![position] || stampsNow[position] !== NOW || stampsBefore[position] === NOW) continue;
					if (isBase && this.#isCovered(block, at, position, origin, stampsBefore[position]!)) isNewer = true;
					else stampsNow[position] = stampsBefore[position]!;
				}
				if (!isOther && !isNewer) continue;
				const after = this.#pool.take();
				after.set(now);
				const stampsAfter = this.#pool.take();
				stampsAfter.set(stampsNow);
				const address = addresses.readAddress(place, new Int32Array(this.cube.model.dimensions.length));
				changed.push({ origin, address, year, before: before[place]!, after, stampsBefore, stamps: stampsAfter, block, series: at });
			}
		}
		return changed;
	}

	/** Whether something loaded or computed by another step was newer than a value of an origin. */
	#isCovered(block: Block, series: number, position: number, origin: number, stamp: number): boolean {
		if (!this.cube.hasOtherBase(block, series, position, origin)) return false;
		return this.cube.contributionsAt(block, series, position).some((other) => {
			if (other.origin === origin || !['loads', 'sets'].includes(modeOf(this.cube.model, other.origin))) return false;
			// What this work wrote itself is as new as this.
			return other.stamp !== NOW && (other.stamp > stamp || stamp === 0);
		});
	}

	/** Puts everything back as it was. */
	restore(): void {
		for (const { origin, addresses, blocks, series, before, stamps } of this.#touched.values())
			for (let place = 0; place < addresses.count; place++)
				this.cube.writeSeriesAt(blocks[place]!, series[place]!, origin, before[place]!, stamps[place]!);
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
