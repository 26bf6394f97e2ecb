import {
	compileQuery,
	expandForm,
	QueryFault,
	selectMembers,
	type AccessRules,
	type FormLayout,
	type Model,
	type Selection
} from '../../../core';
import { FormFault } from '../form-fault';
import { FormView } from '../form-view';
import type { ModelEngine } from '../model-engine';

/** A selection to be looked at, for what a reader would have chosen. */
export interface SelectAsk {
	dimension: number;
	selection: Selection;
	chosen: number | undefined;
	structure: number;
	/** Whose eyes it is seen with; everything when left out. */
	rules?: AccessRules;
}

export interface TreeMember {
	id: number;
	code: string;
	name: string;
	depth: number;
	parent: boolean;
}

/** The members a selection gives today: how many, and the first ones. */
export interface SelectedMembers {
	count: number;
	members: TreeMember[];
}

/** Members named of a long selection. */
const MOST_NAMED = 200;

/** What is wrong with a layout, and what its maker should know. */
export const checkLayout = async ({ model }: ModelEngine, { layout }: { layout: FormLayout; structure: number }) =>
	lookAtLayout(model, layout);

/** As above, wherever the model is. */
export function lookAtLayout(model: Model, layout: FormLayout): { faults: string[]; hints: string[] } {
	const { faults, hints, query } = expandForm(model, layout, {});
	if (faults.length > 0) return { faults, hints };
	try {
		compileQuery(model, query);
		new FormView(model, { layout, choices: {}, currency: undefined }, undefined);
		return { faults, hints };
	} catch (error) {
		if (error instanceof FormFault) return { faults: error.reasons, hints };
		if (error instanceof QueryFault) return { faults: [error.message], hints };
		throw error;
	}
}

/** The members a selection gives today, for what a reader would have chosen. */
export async function select(engine: ModelEngine, { dimension: id, selection, chosen, rules }: SelectAsk): Promise<SelectedMembers> {
	const { model } = engine;
	const dimension = model.dimension(id);
	if (!dimension) return { count: 0, members: [] };
	const found = selectMembers(dimension, selection, {
		chosen: chosen === undefined ? undefined : dimension.ordinal(chosen),
		variables: model.variables
	}).filter(seenBy(engine, id, rules));
	return { count: found.length, members: found.slice(0, MOST_NAMED).map((ordinal) => treeMember(model, id, ordinal)) };
}

/** The members under one, or those at the top. */
export async function branch(
	engine: ModelEngine,
	{ dimension: id, of, rules }: { dimension: number; of: number | null; structure: number; rules?: AccessRules }
): Promise<{ members: TreeMember[] }> {
	const { model } = engine;
	const dimension = model.dimension(id);
	const ordinal = of === null ? undefined : dimension?.ordinal(of);
	if (!dimension || (of !== null && ordinal === undefined)) return { members: [] };
	const members = ordinal === undefined ? dimension.tree.roots() : dimension.tree.children(ordinal);
	return { members: members.filter(seenBy(engine, id, rules)).map((each) => treeMember(model, id, each)) };
}

/** Whether a reader learns of a member (ordinal): there is something for them beneath it. */
function seenBy(engine: ModelEngine, dimension: number, rules: AccessRules | undefined): (ordinal: number) => boolean {
	const visible = rules && engine.visibleOf(rules);
	const axis = engine.model.dimensions.findIndex(({ id }) => id === dimension);
	return (ordinal) => !visible || axis < 0 || visible.reaches(axis, ordinal);
}

function treeMember(model: Model, id: number, ordinal: number): TreeMember {
	const dimension = model.dimension(id)!;
	const member = dimension.member(ordinal);
	return {
		id: member.id,
		code: member.code,
		name: member.name,
		depth: dimension.tree.depth[ordinal]!,
		parent: dimension.tree.children(ordinal).length > 0
	};
}
