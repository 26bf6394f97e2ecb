import type { FaultStatus } from '../../fault';
import type { CheckAsk, CheckOutcome } from './check';
import type { BatchDifference, RowOfFile, RowsOfCell } from './look-up';
import type { LoadAsk, LoadOutcome } from './load';
import type { TakeBackAsk, TakeBackOutcome, TakeBackPreview } from './take-back';
import type { KeptFile } from '../file/keep';
import type { Detected } from '../file/detect';

/** What the data thread does: by name, from payload to result. */
export interface WorkRequests {
	unpack: { ask: { file: number }; answer: string[] };
	detect: { ask: { file: KeptFile; sheet: string }; answer: Detected };
	check: { ask: CheckAsk; answer: CheckOutcome };
	load: { ask: LoadAsk; answer: LoadOutcome };
	previewTakeBack: { ask: { modelId: number; origin: number; batch: number }; answer: TakeBackPreview };
	takeBack: { ask: TakeBackAsk; answer: TakeBackOutcome };
	row: { ask: { modelId: number; batch: number; line: number }; answer: RowOfFile | undefined };
	cell: { ask: { modelId: number; members: number[]; period: number; branch: number | null }; answer: RowsOfCell[] };
	compare: { ask: { modelId: number; first: number; second: number }; answer: BatchDifference };
}

export type WorkName = keyof WorkRequests;

export interface WorkRequest<Name extends WorkName = WorkName> {
	id: number;
	name: Name;
	ask: WorkRequests[Name]['ask'];
}

export type WorkReply =
	| { kind: 'answer'; id: number; answer: unknown }
	| { kind: 'progress'; id: number; rows: number; words: string }
	| { kind: 'fault'; id: number; status: FaultStatus; code: string; message: string; details?: unknown }
	/** A bug. */
	| { kind: 'failed'; id: number; detail: string };
