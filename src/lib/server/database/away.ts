/** SQL states of a server that starts, stops or ends connections, and of a connection that is lost. */
const STATES = /^(08|57P0[1-4]|53300)/;
const NETWORK = new Set(['ECONNREFUSED', 'ECONNRESET', 'EPIPE', 'ETIMEDOUT', 'ENOTFOUND', 'EHOSTUNREACH', 'ENETUNREACH', 'ENOENT']);
const WORDS = /Connection terminated|connection timeout|timeout exceeded when trying to connect|not queryable|Client was closed/i;

/** Whether something failed because the database cannot be reached: not a fault of what was asked, and gone in a moment. */
export function isDatabaseAway(failure: unknown): boolean {
	if (!(failure instanceof Error)) return false;
	const { code, syscall } = failure as { code?: unknown; syscall?: unknown };
	if (typeof code === 'string' && STATES.test(code)) return true;
	// Of all that fails by the network only what this application connects to by itself: its database.
	if (typeof code === 'string' && NETWORK.has(code) && (syscall === 'connect' || syscall === 'read' || syscall === 'write')) return true;
	return WORDS.test(failure.message) || (failure instanceof AggregateError && failure.errors.some(isDatabaseAway));
}
