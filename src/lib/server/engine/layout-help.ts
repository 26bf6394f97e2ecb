import { compileQuery, expandForm, QueryFault, selectMembers, type FormLayout, type Model } from '../../core';
import { FormFault } from './form-fault';
import { FormView } from './form-view';
import type { SelectAsk, SelectedMembers, TreeMember } from './messages';

/** Members named of a long selection. */
const MOST_NAMED = 200;

/** What is wrong with a layout, and what its maker should know. */
export function checkLayout(model: Model, layout: FormLayout): { faults: string[]; hints: string[] } {
	const { faults, hints, query } = expandForm(model, layout, {});
	if (faults.length > 0) return { faults, hints };
	try {
		compileQuery(model, query);
		new FormView(model, layout, {}, undefined);
		return { faults, hints };
	} catch (error) {
		if (error instanceof FormFault) return { faults: error.reasons, hints };
		if (error instanceof QueryFault) return { faults: [error.message], hints };
		throw error;
	}
}

/** The members a selection gives today, for what a reader would have chosen. */
export function lookAtSelection(model: Model, { dimension: id, selection, chosen }: SelectAsk): SelectedMembers {
	const dimension = model.dimension(id);
	if (!dimension) return { count: 0, members: [] };
	const found = selectMembers(dimension, selection, {
		chosen: chosen === undefined ? undefined : dimension.ordinal(chosen),
		variables: model.variables
	});
	return { count: found.length, members: found.slice(0, MOST_NAMED).map((ordinal) => treeMember(model, id, ordinal)) };
}

/** The members under one, or those at the top. */
export function branchOf(model: Model, id: number, of: number | null): TreeMember[] {
	const dimension = model.dimension(id);
	const ordinal = of === null ? undefined : dimension?.ordinal(of);
	if (!dimension || (of !== null && ordinal === undefined)) return [];
	const members = ordinal === undefined ? dimension.tree.roots() : dimension.tree.children(ordinal);
	return members.map((each) => treeMember(model, id, each));
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
