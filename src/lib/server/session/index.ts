/** Who is signed in and what they may do. */
export { rememberBrowser } from './browser';
export { markChoiceSchema, readMarkChoice, setMarkChoice, type MarkChoice } from './marks';
export {
	askForReset,
	changePassword,
	endOtherSessions,
	endSession,
	ownerOfLink,
	ownSessions,
	sendPasswordLink,
	setPasswordByLink,
	type OwnSession
} from './password';
export { LEAST_LENGTH, MOST_LENGTH } from './password-rules';
export {
	inWords,
	isPermission,
	permissionCatalogue,
	PERMISSIONS,
	requireBranchOpen,
	requirePermission,
	requirePermissionEverywhere,
	type Permission
} from './permission';
export { knownById, personByEmail, personById, type Acting, type BranchHere, type KnownPerson, type SignedIn } from './person';
export { passwordsAllowed } from './policy';
export { beginFactor, confirmFactor, dropFactor, forgetFactor, ownFactor, renewCodes } from './second-factor';
export { forgetSession, openForMinutes, openSession, readSession, signIn, signInWithCode, type From } from './session';
export { leavePlace, mayStandInFor, takePlace } from './stand-in';
export { endToken, makeToken, readToken, readTokens, SCOPES, tokenSchema, type Scope, type TokenHolder, type TokenLine } from './token';
export { backFromProvider, goToProvider, holdsDemo, providerOf, signOnProblem, standInLetsIn } from './sign-on';
