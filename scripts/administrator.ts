// npm run administrator: lets somebody in who may do everything, where nobody else can: prints a link to set a password.
import { parseArgs } from 'node:util';
import { makeAdministrator } from '../src/lib/server/setup/administrator';
import { closePool } from '../src/lib/server/database';
import { Fault } from '../src/lib/server/fault';

const USE = `Use: npm run administrator -- --email ADDRESS [--name NAME]

  --email ADDRESS  whose it is; somebody who is known gets the role and a link for a new password
  --name NAME      what they are called

The database must be up to date (npm run migrate). ORIGIN is where people reach the application.`;

try {
	const { values } = parseArgs({
		options: { email: { type: 'string' }, name: { type: 'string', default: '' }, help: { type: 'boolean' } }
	});
	if (values.help || !values.email) {
		console.error(USE);
		process.exitCode = 1;
	} else
		console.log(await makeAdministrator({ email: values.email, name: values.name, origin: process.env.ORIGIN ?? 'http://127.0.0.1:4173' }));
} catch (error) {
	if (!(error instanceof Fault) && !(error as { code?: string }).code?.startsWith('ERR_PARSE_ARGS')) throw error;
	console.error((error as Error).message);
	process.exitCode = 1;
} finally {
	await closePool();
}
