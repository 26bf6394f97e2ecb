import { EMPTY } from '../number';
import type { Cube } from './cube';
import type { Address } from '../cell';
import type { Block } from './series-store';

/** Where a series was found, or that it was not there while its block held so many. */
interface Found {
	move: number;
	scenario: number;
	year: number;
	block: Block | undefined;
	series: number;
	count: number;
}

/**
 * Reads stored values around one address, where only the account, the scenario and the period differ: a series is looked
 * for once, however many of its periods are read. What is written meanwhile is seen.
 */
export class NearReader {
	readonly #cube: Cube;
	readonly #scenarioAxis: number;
	readonly #accountAxis: number;
	readonly #found: Found[];
	#move = 0;

	constructor(cube: Cube) {
		const { model } = cube;
		this.#cube = cube;
		this.#accountAxis = model.accountAxis;
		this.#scenarioAxis = model.scenarioAxis;
		this.#found = model.accounts.members.map(() => ({ move: -1, scenario: 0, year: 0, block: undefined, series: -1, count: 0 }));
	}

	/** To be called when reading goes to another address. */
	move(): void {
		this.#move++;
	}

	readonly read = (address: Address, year: number, position: number): number => {
		const found = this.#found[address[this.#accountAxis]!]!;
		const scenario = address[this.#scenarioAxis]!;
		if (found.move !== this.#move || found.year !== year || found.scenario !== scenario || !found.block) {
			found.move = this.#move;
			found.year = year;
			found.scenario = scenario;
			found.block = this.#cube.store.blockOf(address, year);
			found.series = found.block ? found.block.find(address) : -1;
			found.count = found.block?.count ?? 0;
		}
		const { block } = found;
		if (!block) return EMPTY;
		if (found.series < 0) {
			if (found.count === block.count) return EMPTY;
			found.series = block.find(address);
			found.count = block.count;
			if (found.series < 0) return EMPTY;
		}
		return block.values[found.series * block.width + position]!;
	};
}
