/** Who may do what: people, groups, roles, grants, and why. */
export {
	accessJournal,
	applyChange,
	changeAccess,
	changeSchema,
	stateOfAccess,
	takeBackAccess,
	type AccessChange,
	type AccessJournalLine
} from './change';
export {
	accessNames,
	colleagues,
	readGrantsOfModel,
	readGroups,
	readOutbox,
	readPeople,
	readRoles,
	readSubstitutes,
	type AccessNames,
	type GrantLine,
	type ModelGrants,
	type PersonLine,
	type RoleLine,
	type SubstituteLine,
	type Standing
} from './desk';
export { dropFactorOf, invitePerson } from './invite';
export { effectOfChange, type EffectOnPerson } from './effect';
export { bringGrants, grantGrid, previewGrants, sheetSchema, type SheetPreview } from './grant-sheet';
export { grantMatrix, matrixSchema, type GrantMatrix } from './matrix';
export { readablePlaces, reachedMembers, requireWholeModel } from './reading';
export { reachGrid, reachRows, reachSchema, whatOneReaches, type ReachLevel } from './reach';
export { readAccessRules, refuseAlternateGroups } from './rules';
export { noteUse, unusedGrid, unusedRights, type UnusedRight } from './unused';
export { whoMay, whoMayGrid, whoMaySchema, type WhoMay } from './who-may';
export { figureDimensions, whyAction, whyActionSchema, whyFigure, whySchema, type Why } from './why';
export type { AttributeGrantState } from './kinds/attribute-grant';
export type { GrantState } from './kinds/grant';
export type { GroupState } from './kinds/group';
export type { AccessKind } from './kinds/kind';
export type { PersonState } from './kinds/person';
export type { RoleState } from './kinds/role';
export type { SubstituteState } from './kinds/substitute';
export type { RolesGiven } from './kinds/roles-given';
