/** Who may do what: people, groups, roles, grants, and why. */
export { accessJournal, changeAccess, changeSchema, takeBackAccess, type AccessChange, type AccessJournalLine } from './change';
export {
	accessNames,
	readGrantsOfModel,
	readGroups,
	readOutbox,
	readPeople,
	readRoles,
	type AccessNames,
	type GrantLine,
	type ModelGrants,
	type PersonLine,
	type Standing
} from './desk';
export { invitePerson } from './invite';
export { grantMatrix, matrixSchema, type GrantMatrix } from './matrix';
export { readablePlaces, reachedMembers, requireWholeModel } from './reading';
export { readAccessRules, refuseAlternateGroups } from './rules';
export { whoMay, whoMayGrid, whoMaySchema, type WhoMay } from './who-may';
export { figureDimensions, whyFigure, whySchema, type Why } from './why';
export type { GrantState } from './kinds/grant';
export type { GroupState } from './kinds/group';
export type { AccessKind } from './kinds/kind';
export type { PersonState } from './kinds/person';
export type { RoleState } from './kinds/role';
export type { RolesGiven } from './kinds/roles-given';
