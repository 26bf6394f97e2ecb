// The data thread: files read, mapped and loaded beside the server, so that nobody waits for a million rows.
import { parentPort } from 'node:worker_threads';
import '../../database/pool';
import { Fault } from '../../fault';
import { detectFile } from '../file/detect';
import { unpackWorkbook } from '../file/workbook';
import { checkFile } from './check';
import { loadKept } from './load';
import { compareBatches, lookUpCell, lookUpRow } from './look-up';
import type { WorkName, WorkReply, WorkRequest, WorkRequests } from './messages';
import { previewTakeBack, takeBack } from './take-back';

const port = parentPort!;
const send = (reply: WorkReply) => port.postMessage(reply);

type Tell = (rows: number, words: string) => void;
const handlers: { [Name in WorkName]: (ask: WorkRequests[Name]['ask'], tell: Tell) => Promise<WorkRequests[Name]['answer']> } = {
	unpack: ({ file }) => unpackWorkbook(file),
	detect: ({ file, sheet }) => detectFile(file, sheet),
	check: (ask, tell) => checkFile(ask, (rows) => tell(rows, 'Checking')),
	load: (ask, tell) => loadKept(ask, tell),
	previewTakeBack: ({ modelId, origin, batch }) => previewTakeBack(modelId, origin, batch),
	takeBack: (ask) => takeBack(ask),
	row: ({ modelId, batch, line }) => lookUpRow(modelId, batch, line),
	cell: ({ modelId, members, period, branch }) => lookUpCell(modelId, members, period, branch),
	compare: ({ modelId, first, second }) => compareBatches(modelId, first, second)
};

port.on('message', async <Name extends WorkName>({ id, name, ask }: WorkRequest<Name>) => {
	try {
		const answer = await handlers[name](ask, (rows, words) => send({ kind: 'progress', id, rows, words }));
		send({ kind: 'answer', id, answer });
	} catch (error) {
		if (error instanceof Fault)
			send({ kind: 'fault', id, status: error.status, code: error.code, message: error.message, details: error.details });
		else send({ kind: 'failed', id, detail: error instanceof Error ? (error.stack ?? error.message) : String(error) });
	}
});
