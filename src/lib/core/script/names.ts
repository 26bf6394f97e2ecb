import { closest, distance } from 'fastest-levenshtein';
import type { Dimension } from '../dimension';
import { quoted, RESERVED, unquoted } from '../formula';
import type { Model } from '../model';

export interface FoundMember {
	dimension: Dimension;
	ordinal: number;
}

/** What the names in a script stand for, in one model. */
export class ScriptNames {
	readonly model: Model;
	readonly dimensions: readonly Dimension[];
	readonly #byName: ReadonlyMap<Dimension, ReadonlyMap<string, number>>;
	/** The levels of the calendar by their name as it is written. */
	readonly levels: ReadonlyMap<string, string>;

	constructor(model: Model) {
		this.model = model;
		this.dimensions = [...model.dimensions, model.periods.dimension];
		this.#byName = new Map(
			this.dimensions.map((dimension) => {
				const names = new Map<string, number>();
				const several = new Set<string>();
				dimension.members.forEach(({ name }, ordinal) => {
					if (names.has(name)) several.add(name);
					names.set(name, ordinal);
				});
				for (const name of several) names.delete(name);
				// A code is unique, and stands before a name that is written the same.
				dimension.members.forEach(({ code }, ordinal) => names.set(code, ordinal));
				return [dimension, names];
			})
		);
		this.levels = new Map(
			[...new Set(model.definition.periods.map(({ level }) => level))].map((level) => [level[0]!.toUpperCase() + level.slice(1), level])
		);
	}

	dimension(name: string): Dimension | undefined {
		const asked = name.toLowerCase();
		return (
			this.dimensions.find((dimension) => dimension.name === name) ??
			this.dimensions.find((dimension) => dimension.code === name) ??
			this.dimensions.find((dimension) => dimension.name.toLowerCase() === asked || dimension.code.toLowerCase() === asked)
		);
	}

	member(dimension: Dimension, name: string): number | undefined {
		return this.#byName.get(dimension)!.get(name);
	}

	/** All members of that code or name. */
	everywhere(name: string): FoundMember[] {
		return this.dimensions.flatMap((dimension) => {
			const ordinal = this.member(dimension, name);
			return ordinal === undefined ? [] : [{ dimension, ordinal }];
		});
	}

	/** The nearest name among some dimensions, unless none is near. */
	nearest(name: string, dimensions: readonly Dimension[] = this.dimensions): string | undefined {
		const known = dimensions.flatMap((dimension) => [...this.#byName.get(dimension)!.keys()]);
		if (known.length === 0) return undefined;
		const found = closest(name, known);
		return distance(name.toLowerCase(), found.toLowerCase()) <= Math.max(2, name.length / 3) ? found : undefined;
	}

	/**
	 * A member's name as it is written in a script: quoted where the language asks for it.
	 * @param between what stands between its dimension and it; left out, the dimension is not written
	 */
	print(dimension: Dimension, ordinal: number, between?: string): string {
		const { name, code } = dimension.member(ordinal);
		const word = this.member(dimension, name) === ordinal ? name : code;
		const plain = quoted(word);
		return between === undefined ? plain : `${quoted(dimension.name)}${between}${plain}`;
	}
}

export { quoted, RESERVED, unquoted };
