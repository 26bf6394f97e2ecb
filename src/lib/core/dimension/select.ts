import type { AttributeValue, Dimension } from './dimension';
import type { Tree } from './tree';

/** A member by id; `chosen`: the one the reader picked in that dimension's selector; or the one a variable names. */
export type MemberReference = number | 'chosen' | { variable: string };

/** How an attribute is compared. Members without a value match `<>` only. */
export interface AttributeTest {
	attribute: string;
	operator: '=' | '<>' | '<' | '<=' | '>' | '>=' | 'one of';
	value: AttributeValue | readonly AttributeValue[];
}

/**
 * An expression that yields members of one dimension, in the main hierarchy unless another is named. Evaluated live, so
 * a new member appears by itself.
 */
export type Selection = (
	| { kind: 'these'; members: readonly MemberReference[] }
	/** All members in tree order. */
	| { kind: 'all' }
	| { kind: 'children' | 'leaves' | 'under' | 'ancestors' | 'siblings'; of: MemberReference }
	/** Members `depth` steps below the top, or below `of`. */
	| { kind: 'level'; depth: number; of?: MemberReference }
	/** From one member to another in tree order, those of the same depth. */
	/**
	 * By its place beside or beneath another member: the one `by` places after it among those of its depth (−1: the one
	 * before), then of those `nth.depth` levels under that the `nth.at`th, from 1; that member itself or what is under it.
	 */
	| {
			kind: 'relative';
			of: MemberReference;
			by?: number;
			nth?: { depth: number; at: number };
			take: 'this' | 'children' | 'leaves' | 'under';
	  }
	/** Of each member of another selection the leaf in this place under it, from 1; from the end below zero. */
	| { kind: 'leaf of each'; in: Selection; at: number }
	| { kind: 'range'; from: MemberReference; to: MemberReference }
	| { kind: 'where'; in: Selection; test: AttributeTest }
	| { kind: 'any of'; selections: readonly Selection[] }
	| { kind: 'except'; from: Selection; without: Selection }
) & { hierarchy?: string };

/** What references may point to. */
export interface SelectionContext {
	/** Ordinal of the member chosen in the dimension's selector. */
	chosen?: number | undefined;
	/** Member ids by variable name. */
	variables?: ReadonlyMap<string, number>;
}

/**
 * The ordinals a selection yields today, each once: in tree order for tree selections, as listed for `these` and
 * `any of`. References to members that are gone, variables without a value and `chosen` without a choice yield nothing.
 */
export function selectMembers(dimension: Dimension, selection: Selection, context: SelectionContext = {}): number[] {
	const tree = dimension.hierarchy(selection.hierarchy);
	if (!tree) return [];
	const resolve = (reference: MemberReference): number | undefined => {
		if (reference === 'chosen') return context.chosen;
		const id = typeof reference === 'number' ? reference : context.variables?.get(reference.variable);
		return id === undefined ? undefined : dimension.ordinal(id);
	};
	const of = (reference: MemberReference, yields: (ordinal: number) => number[]): number[] => {
		const ordinal = resolve(reference);
		return ordinal === undefined ? [] : yields(ordinal);
	};
	switch (selection.kind) {
		case 'these':
			return unique(selection.members.map(resolve).filter((ordinal) => ordinal !== undefined));
		case 'all':
			return [...tree.order];
		case 'children':
			return of(selection.of, (ordinal) => tree.children(ordinal));
		case 'leaves':
			return of(selection.of, (ordinal) => tree.leaves(ordinal));
		case 'under':
			return of(selection.of, (ordinal) => tree.under(ordinal));
		case 'ancestors':
			return of(selection.of, (ordinal) => tree.ancestors(ordinal));
		case 'siblings':
			return of(selection.of, (ordinal) =>
				(tree.parent[ordinal]! < 0 ? tree.roots() : tree.children(tree.parent[ordinal]!)).filter((each) => each !== ordinal)
			);
		case 'level':
			return level(tree, selection.depth, selection.of === undefined ? undefined : resolve(selection.of), selection.of !== undefined);
		case 'leaf of each':
			return unique(
				selectMembers(dimension, inherit(selection.in, selection), context).flatMap(
					(ordinal) => tree.leaves(ordinal).at(selection.at > 0 ? selection.at - 1 : selection.at) ?? []
				)
			);
		case 'relative':
			return of(selection.of, (ordinal) => relative(tree, ordinal, selection));
		case 'range':
			return of(selection.from, (from) => of(selection.to, (to) => range(tree, from, to)));
		case 'where':
			return selectMembers(dimension, inherit(selection.in, selection), context).filter((ordinal) =>
				matches(dimension.attribute(selection.test.attribute, ordinal), selection.test)
			);
		case 'any of':
			return unique(selection.selections.flatMap((each) => selectMembers(dimension, inherit(each, selection), context)));
		case 'except': {
			const without = new Set(selectMembers(dimension, inherit(selection.without, selection), context));
			return selectMembers(dimension, inherit(selection.from, selection), context).filter((ordinal) => !without.has(ordinal));
		}
		default:
			return selection satisfies never;
	}
}

const unique = (ordinals: readonly number[]): number[] => [...new Set(ordinals)];

/** Inner selections are read in the hierarchy of the outer one, unless they name their own. */
const inherit = (inner: Selection, outer: Selection): Selection =>
	inner.hierarchy === undefined && outer.hierarchy !== undefined ? { ...inner, hierarchy: outer.hierarchy } : inner;

function level(tree: Tree, depth: number, top: number | undefined, relative: boolean): number[] {
	if (relative && top === undefined) return [];
	const wanted = depth + (top === undefined ? 0 : tree.depth[top]!);
	return (top === undefined ? [...tree.order] : tree.under(top)).filter((ordinal) => tree.depth[ordinal] === wanted);
}

function relative(tree: Tree, from: number, { by = 0, nth, take }: Extract<Selection, { kind: 'relative' }>): number[] {
	const beside = [...tree.order].filter((ordinal) => tree.depth[ordinal] === tree.depth[from]);
	const place = beside.indexOf(from);
	let found = place < 0 ? undefined : beside[place + by];
	if (found !== undefined && nth) {
		const wanted = tree.depth[found]! + nth.depth;
		found = tree.under(found).filter((ordinal) => tree.depth[ordinal] === wanted)[nth.at - 1];
	}
	if (found === undefined) return [];
	switch (take) {
		case 'this':
			return [found];
		case 'children':
			return tree.children(found);
		case 'leaves':
			return tree.leaves(found);
		case 'under':
			return tree.under(found);
		default:
			return take satisfies never;
	}
}

function range(tree: Tree, from: number, to: number): number[] {
	const [first, last] = [tree.start[from]!, tree.start[to]!].sort((a, b) => a - b);
	return [...tree.order.subarray(first, last! + 1)].filter((ordinal) => tree.depth[ordinal] === tree.depth[from]);
}

function matches(found: AttributeValue | undefined, { operator, value }: AttributeTest): boolean {
	if (found === undefined) return operator === '<>';
	if (operator === 'one of') return (value as readonly AttributeValue[]).includes(found);
	const wanted = value as AttributeValue;
	switch (operator) {
		case '=':
			return found === wanted;
		case '<>':
			return found !== wanted;
		case '<':
			return found < wanted;
		case '<=':
			return found <= wanted;
		case '>':
			return found > wanted;
		case '>=':
			return found >= wanted;
		default:
			return operator satisfies never;
	}
}

/** The selection with every member (id) it names replaced. */
export function mapSelection(selection: Selection, map: (member: number) => number): Selection {
	const reference = (each: MemberReference): MemberReference => (typeof each === 'number' ? map(each) : each);
	const inner = (each: Selection) => mapSelection(each, map);
	switch (selection.kind) {
		case 'these':
			return { ...selection, members: selection.members.map(reference) };
		case 'all':
			return selection;
		case 'children':
		case 'leaves':
		case 'under':
		case 'ancestors':
		case 'siblings':
		case 'relative':
			return { ...selection, of: reference(selection.of) };
		case 'level':
			return selection.of === undefined ? selection : { ...selection, of: reference(selection.of) };
		case 'range':
			return { ...selection, from: reference(selection.from), to: reference(selection.to) };
		case 'where':
		case 'leaf of each':
			return { ...selection, in: inner(selection.in) };
		case 'any of':
			return { ...selection, selections: selection.selections.map(inner) };
		case 'except':
			return { ...selection, from: inner(selection.from), without: inner(selection.without) };
		default:
			return selection satisfies never;
	}
}

/** Names of alternate hierarchies a selection is read in. */
export function hierarchiesNamed(selection: Selection): Set<string> {
	const found = new Set<string>();
	mapHierarchies(selection, (name) => {
		found.add(name);
		return name;
	});
	return found;
}

/** The selection with every alternate hierarchy it names under another name. */
export function mapHierarchies(selection: Selection, map: (name: string) => string): Selection {
	const renamed: Selection = selection.hierarchy === undefined ? selection : { ...selection, hierarchy: map(selection.hierarchy) };
	const inner = (each: Selection) => mapHierarchies(each, map);
	switch (renamed.kind) {
		case 'where':
		case 'leaf of each':
			return { ...renamed, in: inner(renamed.in) };
		case 'any of':
			return { ...renamed, selections: renamed.selections.map(inner) };
		case 'except':
			return { ...renamed, from: inner(renamed.from), without: inner(renamed.without) };
		default:
			return renamed;
	}
}
