/** Who is signed in and what they may do. */
export {
	forgetSession,
	personByEmail,
	personById,
	readSession,
	rememberBrowser,
	SESSION_DAYS,
	signIn,
	type KnownPerson,
	type SignedIn
} from './session';
export {
	inWords,
	isPermission,
	permissionCatalogue,
	PERMISSIONS,
	requirePermission,
	requirePermissionEverywhere,
	type Permission
} from './permission';
export { markChoiceSchema, readMarkChoice, setMarkChoice, type MarkChoice } from './marks';
export {
	askForReset,
	changePassword,
	endOtherSessions,
	ownerOfLink,
	ownSessions,
	sendPasswordLink,
	setPasswordByLink,
	type OwnSession
} from './password';
export { LEAST_LENGTH, MOST_LENGTH } from './password-rules';
