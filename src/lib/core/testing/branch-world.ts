import { BranchLayer, Reader, TAKEN_AWAY, WorkCube, type Cube } from '../cube';
import { EMPTY, isEmpty } from '../number';
import { heldAfterRun, ownAfterRun, type Answers, type CellToHold } from '../runbook';
import type { Book, RunHow, RunbookWorld } from './runbook-world';

/** A branch of a world, as a server would keep it: what it holds, with versions, and which results are its own. */
export class BranchWorld {
	readonly #world: RunbookWorld;
	readonly #held = new Map<string, CellToHold & { version: number }>();
	#own = new Map<number, Uint8Array | undefined>();
	#version = 0;
	/** Made anew where the world has another cube; else followed. */
	#layer: { cube: Cube; layer: BranchLayer } | undefined;

	constructor(world: RunbookWorld) {
		this.#world = world;
	}

	get layer(): BranchLayer {
		const { cube } = this.#world;
		if (this.#layer?.cube !== cube) {
			const layer = new BranchLayer(cube);
			layer.setOwn(this.#own);
			for (const { origin, address, year, position, value, version } of this.#held.values())
				layer.hold(origin, address, year, position, value, version);
			this.#layer = { cube, layer };
		}
		return this.#layer.layer;
	}

	/** Types (1) or loads (2, 3) in the branch; NaN takes away. */
	write(origin: number, codes: readonly string[], period: string, value: number): void {
		const { year, position } = this.#world.place(period);
		this.#hold([{ origin, address: this.#world.address(...codes), year, position, value: isEmpty(value) ? TAKEN_AWAY : value }]);
	}

	run(book: Book, answers: Answers = {}, how: RunHow = {}): CellToHold[] {
		this.#world.makeOrigins(book, answers);
		const { layer } = this;
		const work = new WorkCube(this.#world.cube);
		layer.layOn(work);
		const result = this.#world.compute(book, answers, how);
		const held = heldAfterRun(this.#world.cube, layer, result);
		work.restore();
		this.#own = ownAfterRun(this.#own, result.reached);
		layer.setOwn(this.#own);
		this.#hold(held);
		return held;
	}

	read(codes: readonly string[], period: string): number {
		const { year, position } = this.#world.place(period);
		return new Reader(this.#world.cube, [this.layer]).read(this.#world.address(...codes), year, position);
	}

	/** Follows what has moved in the world at a cell. */
	refresh(codes: readonly string[], period: string): void {
		const { year, position } = this.#world.place(period);
		this.layer.refresh(this.#world.address(...codes), year, position);
	}

	#hold(cells: readonly CellToHold[]): void {
		const { layer } = this;
		this.#version++;
		for (const cell of cells) {
			const key = `${cell.origin} ${cell.address.join(' ')} ${cell.year} ${cell.position}`;
			if (isEmpty(cell.value)) this.#held.delete(key);
			else this.#held.set(key, { ...cell, version: this.#version });
			layer.hold(cell.origin, cell.address, cell.year, cell.position, isEmpty(cell.value) ? EMPTY : cell.value, this.#version);
		}
	}
}
