/** Statuses a person may meet. */
export type FaultStatus = 400 | 401 | 403 | 404 | 409 | 413 | 422 | 429 | 503;

/** Something a person can understand and mend; its message is shown to them. Everything else is only logged. */
export class Fault extends Error {
	readonly status: FaultStatus;
	readonly code: string;

	/** More for the page that asked: what to choose from, what is in the way. */
	readonly details: unknown;

	constructor(status: FaultStatus, code: string, message: string, details?: unknown) {
		super(message);
		this.name = 'Fault';
		this.status = status;
		this.code = code;
		this.details = details;
	}
}

export const notSignedIn = () => new Fault(401, 'not signed in', 'Your session has ended. Sign in again; your unsaved entries are kept.');
export const wrongOrigin = (origin: string) =>
	new Fault(403, 'wrong origin', `This request came from another site. This application is at ${origin}: open it there.`);
export const notAllowed = (what: string) => new Fault(403, 'not allowed', `Your role does not let you ${what}. Ask an administrator.`);
export const onlyLooking = (name: string) =>
	new Fault(403, 'only looking', `You see what ${name} sees, and change nothing. Go back to your own place first.`);
export const databaseAway = () =>
	new Fault(503, 'database away', 'The database cannot be reached at the moment. Nothing is lost; it goes on by itself when it is back.');
export const diskFull = () =>
	new Fault(
		503,
		'disk full',
		'The disk of the database is full, so nothing was changed. Tell whoever runs this installation; it goes on when there is room.'
	);
export const notFound = (what: string) => new Fault(404, 'not found', `There is no such ${what}. It may have been removed.`);
