/** Who is signed in and what they may do. */
export { forgetSession, personByEmail, personById, readSession, SESSION_DAYS, signIn, type SignedIn } from './session';
export { requirePermission, type Permission } from './permission';
export { markChoiceSchema, readMarkChoice, setMarkChoice, type MarkChoice } from './marks';
