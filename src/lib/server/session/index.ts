/** Who is signed in and what they may do. */
export { forgetSession, personByEmail, personById, readSession, rememberBrowser, SESSION_DAYS, signIn, type SignedIn } from './session';
export { inWords, requirePermission, type Permission } from './permission';
export { markChoiceSchema, readMarkChoice, setMarkChoice, type MarkChoice } from './marks';
