import type { Renaming } from '../../core';
import type { PackedReference } from './made';

/** Dimensions and members as they are first named, each by its place from then on. */
export class Places {
	readonly dimensions: string[] = [];
	readonly named: PackedReference[] = [];
	readonly #keyOf: ReadonlyMap<number, string>;
	readonly #members: ReadonlyMap<number, PackedReference>;
	readonly #placeOf = new Map<number, number>();

	constructor(keyOf: ReadonlyMap<number, string>, members: ReadonlyMap<number, PackedReference>) {
		this.#keyOf = keyOf;
		this.#members = members;
	}

	readonly dimension = (id: number): number => {
		const key = this.#keyOf.get(id) ?? '';
		if (!this.dimensions.includes(key)) this.dimensions.push(key);
		return this.dimensions.indexOf(key);
	};
	readonly member = (id: number): number => {
		let place = this.#placeOf.get(id);
		if (place === undefined) {
			this.#placeOf.set(id, (place = this.named.length));
			this.named.push(this.#members.get(id) ?? { dimension: '', member: '' });
		}
		return place;
	};
	/** What is kept by dimension comes in the order of their keys: ids are other numbers in another model. */
	readonly renaming: Renaming = {
		member: (id) => this.member(id),
		dimension: (id) => this.dimension(id),
		order: (one, other) => ((this.#keyOf.get(one) ?? '') < (this.#keyOf.get(other) ?? '') ? -1 : 1)
	};
}
