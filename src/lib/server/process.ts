import { isDatabaseAway } from './database';
import { log } from './log';

/**
 * What nobody caught ends the process, so that a supervisor starts a sound one; a database that is away ends nothing: what
 * failed has been undone there, and everything else goes on.
 */
export function guardProcess(): void {
	const shared = globalThis as unknown as { processGuarded?: true };
	if (shared.processGuarded) return;
	shared.processGuarded = true;
	const caught = (failure: unknown) => {
		if (isDatabaseAway(failure)) log.error({ err: failure }, 'the database went away under work that nobody waits for');
		else {
			log.fatal({ err: failure }, 'something failed that nobody caught');
			process.exit(1);
		}
	};
	process.on('uncaughtException', caught);
	process.on('unhandledRejection', caught);
}
