// Serves the build: started by npm start, or by a supervisor of the machine with DATABASE_URL set. Ends on SIGTERM and SIGINT.
import { createServer } from 'node:http';
import compression from 'compression';
import { handler } from '../build/handler.js';

const host = process.env.HOST ?? '127.0.0.1';
const port = Number(process.env.PORT ?? 4173);
const STOP_MILLISECONDS = Number(process.env.SHUTDOWN_TIMEOUT ?? 5) * 1_000;
/** A large file over a slow line; headers have to come much sooner. */
const UPLOAD_MILLISECONDS = 60 * 60 * 1_000;

/** Events are sent as they come; what is packed already stays as it is. */
const compress = compression({ threshold: 1_024 });

const server = createServer(
	{ requestTimeout: UPLOAD_MILLISECONDS, headersTimeout: 20_000, keepAliveTimeout: 10_000 },
	(request, response) => {
		// Files of the build are served without the application: these headers are for them, an answer of its own has more.
		response.setHeader('x-content-type-options', 'nosniff');
		response.setHeader('cross-origin-resource-policy', 'same-origin');
		response.setHeader('content-security-policy', "default-src 'none'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'");
		compress(request, response, () => handler(request, response, () => response.writeHead(404).end()));
	}
);

server.on('error', (error) => {
	console.error(error.code === 'EADDRINUSE' ? `Port ${port} on ${host} is in use.` : error.message);
	process.exit(1);
});
server.listen(port, host, () => process.send?.('ready'));

let stopping = false;
for (const signal of ['SIGINT', 'SIGTERM'])
	process.on(signal, () => {
		if (stopping) return;
		stopping = true;
		const ended = () => process.emit('sveltekit:shutdown', signal);
		server.close(ended);
		server.closeIdleConnections();
		setTimeout(() => server.closeAllConnections(), STOP_MILLISECONDS).unref();
	});
// Without its parent nothing would ever stop it.
process.on('disconnect', () => process.kill(process.pid, 'SIGTERM'));
