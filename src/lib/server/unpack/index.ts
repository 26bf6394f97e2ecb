/**
 * Packed files (workbooks, model packages) are opened in a thread of their own with bounds on memory and time: what a file
 * inflates to is its maker's choice. A few at a time, so that many at once keep nobody else waiting.
 */
import { Fault } from '../fault';
import { log } from '../log';
import type { UnpackName, UnpackReply, UnpackRequests } from './messages';
import createUnpacker from './unpack.node.ts?nodeworker';

export type { PlainCell, PlainSheet } from './workbook';

const MOST_MEGABYTES = 900;
const MOST_SECONDS = 45;
const AT_ONCE = 2;
const MOST_WAITING = 20;

let running = 0;
const waiting: (() => void)[] = [];

async function turn(): Promise<void> {
	if (running < AT_ONCE) {
		running++;
		return;
	}
	if (waiting.length >= MOST_WAITING)
		throw new Fault(429, 'busy', 'Many files are being read at the moment. Try this one again in a minute.');
	await new Promise<void>((go) => waiting.push(go));
}
function handOn(): void {
	const next = waiting.shift();
	if (next) next();
	else running--;
}

const tooMuch = () =>
	new Fault(413, 'too large', 'This file takes more memory or time to read than one file may. Save what is meant as CSV, or in parts.');

/** Does one piece of work on a packed file. @throws Fault with its sentence; 413 beyond what a file may take, 429 when too many wait */
export async function unpack<Name extends UnpackName>(
	name: Name,
	ask: UnpackRequests[Name]['ask']
): Promise<UnpackRequests[Name]['answer']> {
	await turn();
	const thread = createUnpacker({
		workerData: { name, ask },
		name: `unpack ${name}`,
		resourceLimits: { maxOldGenerationSizeMb: MOST_MEGABYTES }
	});
	let timer: NodeJS.Timeout | undefined;
	try {
		return await new Promise((done, failed) => {
			timer = setTimeout(() => failed(tooMuch()), MOST_SECONDS * 1_000);
			thread.on('message', (reply: UnpackReply) => {
				if (reply.kind === 'answer') done(reply.answer as UnpackRequests[Name]['answer']);
				else if (reply.kind === 'fault') failed(new Fault(reply.status, reply.code, reply.message, reply.details));
				else {
					log.error({ detail: reply.detail }, 'a packed file could not be read');
					failed(new Error(reply.detail));
				}
			});
			thread.on('error', (error) => failed((error as { code?: string }).code === 'ERR_WORKER_OUT_OF_MEMORY' ? tooMuch() : error));
			thread.on('exit', () => failed(new Error('The thread that read a file has ended.')));
		});
	} finally {
		clearTimeout(timer);
		await thread.terminate();
		handOn();
	}
}
