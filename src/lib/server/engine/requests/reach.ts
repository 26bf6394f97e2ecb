import { ReachTable, type Grant } from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';

export interface ReachAsk {
	structure: number;
	/** Dimensions (ids): what the model guards, and at whose members it is asked. */
	guarded: readonly number[];
	dimension: number;
	/** Whether at leaves only. */
	leaves: boolean;
	/** What each person is granted. */
	sets: readonly (readonly Grant[])[];
}

export interface ReachAnswer {
	members: { id: number; code: string; name: string; depth: number }[];
	/** Of each set, by member: nothing 0, read 1, write 2. */
	levels: Uint8Array[];
}

/** What people reach at the members of a dimension, in the order of its tree. */
export async function reach({ model }: ModelEngine, { guarded, dimension: id, leaves, sets }: ReachAsk): Promise<ReachAnswer> {
	const axis = model.dimensions.findIndex((each) => each.id === id);
	if (axis < 0) throw new EngineFault('This dimension is not in the model any more. Choose another.');
	const dimension = model.dimensions[axis]!;
	const ordinals = [...dimension.tree.order].filter(
		(ordinal) => !dimension.member(ordinal).retired && (!leaves || dimension.isLeaf(ordinal))
	);
	const table = new ReachTable(model, axis, guarded);
	return {
		members: ordinals.map((ordinal) => {
			const { id: member, code, name } = dimension.member(ordinal);
			return { id: member, code, name, depth: dimension.tree.depth[ordinal]! };
		}),
		levels: sets.map((grants) => {
			const levels = table.of(grants);
			const shown = new Uint8Array(ordinals.length);
			for (let place = 0; place < shown.length; place++) shown[place] = levels[ordinals[place]!]!;
			return shown;
		})
	};
}
