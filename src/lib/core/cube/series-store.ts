import type { Address } from '../cell';

const FIRST_CAPACITY = 64;

/**
 * Series of one scenario and fiscal year: coordinates in columns, values side by side, a hash index over addresses.
 * Empty places hold NaN.
 */
export class Block {
	count = 0;
	/** One column of ordinals per dimension; only the first `count` entries count. */
	readonly coordinates: Int32Array[];
	/** `width` values a series. */
	values: Float64Array;
	readonly width: number;
	#capacity = FIRST_CAPACITY;
	/** Open addressing over series, −1 for free; always a power of two and at most half full. */
	#index = new Int32Array(FIRST_CAPACITY * 2).fill(-1);

	constructor(dimensions: number, width: number) {
		this.width = width;
		this.coordinates = Array.from({ length: dimensions }, () => new Int32Array(FIRST_CAPACITY));
		this.values = new Float64Array(FIRST_CAPACITY * width).fill(Number.NaN);
	}

	/** The series of an address, −1 when there is none. */
	find(address: Address): number {
		return this.#index[this.#slot(address)]!;
	}

	/** The series of an address, made when missing. */
	ensure(address: Address): number {
		let slot = this.#slot(address);
		const found = this.#index[slot]!;
		if (found >= 0) return found;
		if (this.count === this.#capacity) {
			this.#grow();
			slot = this.#slot(address);
		}
		const series = this.count++;
		this.#index[slot] = series;
		for (let dimension = 0; dimension < this.coordinates.length; dimension++) this.coordinates[dimension]![series] = address[dimension]!;
		return series;
	}

	/** Copies a series' address into `into`. */
	readAddress(series: number, into: Int32Array): Int32Array {
		for (let dimension = 0; dimension < into.length; dimension++) into[dimension] = this.coordinates[dimension]![series]!;
		return into;
	}

	/**
	 * Gives every coordinate another ordinal; series that lose a member go, the others move up in their order.
	 * @param ordinals per dimension the new ordinal of each old one, −1 for a member that is gone; undefined where all stay
	 * @returns the former places of the series that stay; undefined when all stay where they were
	 */
	renumber(ordinals: readonly (Int32Array | undefined)[]): Int32Array | undefined {
		const stay = new Int32Array(this.count);
		let kept = 0;
		for (let series = 0; series < this.count; series++) {
			let stays = true;
			for (let dimension = 0; dimension < ordinals.length; dimension++) {
				const of = ordinals[dimension];
				if (of && of[this.coordinates[dimension]![series]!]! < 0) stays = false;
			}
			if (!stays) continue;
			for (let dimension = 0; dimension < ordinals.length; dimension++) {
				const [column, of] = [this.coordinates[dimension]!, ordinals[dimension]];
				column[kept] = of ? of[column[series]!]! : column[series]!;
			}
			if (kept !== series) this.values.copyWithin(kept * this.width, series * this.width, (series + 1) * this.width);
			stay[kept++] = series;
		}
		this.values.fill(Number.NaN, kept * this.width, this.count * this.width);
		const before = this.count;
		this.count = kept;
		this.#reindex();
		return kept === before ? undefined : stay.subarray(0, kept);
	}

	/** Bytes held. */
	get bytes(): number {
		return this.values.byteLength + this.#index.byteLength + this.coordinates.reduce((total, column) => total + column.byteLength, 0);
	}

	/** Where the index holds the address, or the free place where it belongs. */
	#slot(address: Address): number {
		const mask = this.#index.length - 1;
		let hash = 0;
		for (let dimension = 0; dimension < this.coordinates.length; dimension++)
			hash = Math.imul(hash ^ address[dimension]!, 0x9e3779b1) ^ (hash >>> 15);
		hash = Math.imul(hash ^ (hash >>> 13), 0x85ebca6b);
		let slot = (hash ^ (hash >>> 16)) & mask;
		while (this.#index[slot]! >= 0 && !this.isAt(this.#index[slot]!, address)) slot = (slot + 1) & mask;
		return slot;
	}

	/** Whether a series is that of an address. */
	isAt(series: number, address: Address): boolean {
		for (let dimension = 0; dimension < this.coordinates.length; dimension++)
			if (this.coordinates[dimension]![series] !== address[dimension]) return false;
		return true;
	}

	#grow(): void {
		this.#capacity *= 2;
		for (let dimension = 0; dimension < this.coordinates.length; dimension++) {
			const wider = new Int32Array(this.#capacity);
			wider.set(this.coordinates[dimension]!);
			this.coordinates[dimension] = wider;
		}
		const values = new Float64Array(this.#capacity * this.width).fill(Number.NaN);
		values.set(this.values);
		this.values = values;
		this.#reindex();
	}

	#reindex(): void {
		this.#index = new Int32Array(this.#capacity * 2).fill(-1);
		const address = new Int32Array(this.coordinates.length);
		for (let series = 0; series < this.count; series++) this.#index[this.#slot(this.readAddress(series, address))] = series;
	}
}

/** Blocks by scenario and fiscal year. */
export class SeriesStore {
	readonly dimensions: number;
	readonly width: number;
	readonly #scenarioAxis: number;
	readonly #blocks = new Map<number, Block>();

	constructor(dimensions: number, width: number, scenarioAxis: number) {
		this.dimensions = dimensions;
		this.width = width;
		this.#scenarioAxis = scenarioAxis;
	}

	/** The block of a scenario (ordinal) and fiscal year, when anything is stored there. */
	block(scenario: number, year: number): Block | undefined {
		return this.#blocks.get(scenario * 100_000 + year);
	}

	ensureBlock(scenario: number, year: number): Block {
		const key = scenario * 100_000 + year;
		let block = this.#blocks.get(key);
		if (!block) this.#blocks.set(key, (block = new Block(this.dimensions, this.width)));
		return block;
	}

	/** The block an address belongs to. */
	blockOf(address: Address, year: number): Block | undefined {
		return this.block(address[this.#scenarioAxis]!, year);
	}

	ensureBlockOf(address: Address, year: number): Block {
		return this.ensureBlock(address[this.#scenarioAxis]!, year);
	}

	/**
	 * Gives every member another ordinal, blocks their scenario included.
	 * @param ordinals as for `Block.renumber`, also of the scenarios
	 * @returns each block that lost series with the former places of those that stay, and the blocks that went whole
	 */
	renumber(ordinals: readonly (Int32Array | undefined)[]): { shrunk: [Block, Int32Array][]; gone: Block[] } {
		const [shrunk, gone]: [[Block, Int32Array][], Block[]] = [[], []];
		const before = [...this.blocks()];
		this.#blocks.clear();
		const scenarios = ordinals[this.#scenarioAxis];
		for (const { scenario, year, block } of before) {
			const now = scenarios ? scenarios[scenario]! : scenario;
			if (now < 0) {
				gone.push(block);
				continue;
			}
			const stay = block.renumber(ordinals);
			if (stay) shrunk.push([block, stay]);
			this.#blocks.set(now * 100_000 + year, block);
		}
		return { shrunk, gone };
	}

	/** All blocks with their scenario (ordinal) and fiscal year. */
	*blocks(): Generator<{ scenario: number; year: number; block: Block }> {
		for (const [key, block] of this.#blocks) yield { scenario: Math.floor(key / 100_000), year: key % 100_000, block };
	}
}
