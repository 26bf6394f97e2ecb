/**
 * Dimensions: members, the trees over them, and selections of members.
 *
 * Inside the core a member is its *ordinal*, its place in the dimension's list of members; ids belong to the world
 * outside and are translated once at the border. A tree keeps its nodes in pre-order, so that everything under a
 * member is one run of positions. Building is O(members); `leavesUnder` is O(nodes under the member).
 */
export { Dimension } from './dimension';
export type {
	AttributeDefinition,
	AttributeValue,
	DimensionDefinition,
	DimensionKind,
	MemberDefinition,
	NodeDefinition
} from './dimension';
export type { TreeFault } from './tree';
export { hierarchiesNamed, mapHierarchies, mapSelection, selectMembers } from './select';
export { selectionInWords } from './words';
export type { AttributeTest, MemberReference, Selection, SelectionContext } from './select';
export { classesOf, type Classes } from './classes';
