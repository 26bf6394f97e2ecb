import type { JournalObject } from '../../definition/journal';
import type { DifferenceOf } from '../../definition/package-differences';
import type { ModelPackage } from '../../definition/package-format';
import type { Scene } from '../scene';

/** What the journal calls a thing that was written. */
export interface Written {
	kind: JournalObject['kind'];
	id: number;
}

/** A subject of a package whose things have names: how they get into a model and leave it. */
export interface Part<Item = unknown> {
	what: DifferenceOf;
	/** The things of a package. */
	items(packed: ModelPackage): readonly Item[];
	nameOf(item: Item): string;
	/**
	 * Makes a thing, or gives the one of its name what the package says. Joins the scene's transaction.
	 * @param isNew whether there is none of the name
	 * @throws Fault 422 with what does not fit
	 */
	put(scene: Scene, item: Item, isNew: boolean): Promise<Written>;
	/** Takes it away. @throws Fault where it is used */
	remove?(scene: Scene, item: Item): Promise<Written>;
}
