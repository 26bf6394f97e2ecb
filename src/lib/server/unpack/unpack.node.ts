// The thread for packed files: one piece of work, then it ends. What it may take is bounded from outside.
import { parentPort, workerData } from 'node:worker_threads';
import { Fault } from '../fault';
import { comparePackages } from '../definition/package-differences';
import { readPackedPackage, summaryOf } from './package';
import { gridOfFile } from './grid';
import type { UnpackName, UnpackReply, UnpackRequests } from './messages';
import { readSheets } from './workbook';

const handlers: { [Name in UnpackName]: (ask: UnpackRequests[Name]['ask']) => Promise<UnpackRequests[Name]['answer']> } = {
	sheets: ({ bytes }) => readSheets(bytes),
	grid: ({ bytes, name }) => gridOfFile(name, Buffer.from(bytes)),
	package: ({ bytes }) => readPackedPackage(bytes),
	compare: async ({ bytes, own }) => {
		const read = await readPackedPackage(bytes);
		return { ...summaryOf(read), differences: comparePackages(own, read.packed) };
	}
};

const send = (reply: UnpackReply) => parentPort!.postMessage(reply);
const { name, ask } = workerData as { name: UnpackName; ask: never };
(handlers[name](ask) as Promise<unknown>).then(
	(answer) => send({ kind: 'answer', answer }),
	(error: unknown) =>
		send(
			error instanceof Fault
				? { kind: 'fault', status: error.status, code: error.code, message: error.message, details: error.details }
				: { kind: 'failed', detail: error instanceof Error ? (error.stack ?? error.message) : String(error) }
		)
);
