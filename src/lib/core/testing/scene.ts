import { LockTable, WriteGuard, type AccessRules, type Lock, type ReadGuard } from '../access';
import { Overlay, Reader, type Cube } from '../cube';
import type { EntryScene } from '../entry';
import type { Model } from '../model';

/** What entries are made in: a cube, and a draft over it. */
export interface Scene extends EntryScene {
	model: Model;
	cube: Cube;
	overlay: Overlay;
}

/** A scene with nothing drafted yet. */
export function sceneOf(cube: Cube, rules: AccessRules, visible?: ReadGuard, locks: readonly Lock[] = []): Scene {
	const { model } = cube;
	const overlay = new Overlay(model);
	return {
		model,
		cube,
		overlay,
		reader: new Reader(cube, [overlay], visible),
		guard: new WriteGuard(model, rules, new LockTable(model, locks))
	};
}
