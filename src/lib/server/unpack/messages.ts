import type { FaultStatus } from '../fault';
import type { Difference } from '../definition/package-differences';
import type { PackageSummary, ReadPackage } from './package';
import type { ModelPackage } from '../definition/package-format';
import type { PlainSheet } from './workbook';

/** What the thread for packed files does. */
export interface UnpackRequests {
	sheets: { ask: { bytes: Uint8Array }; answer: PlainSheet[] };
	grid: { ask: { bytes: Uint8Array; name: string }; answer: string[][] };
	package: { ask: { bytes: Uint8Array }; answer: ReadPackage };
	compare: { ask: { bytes: Uint8Array; own: ModelPackage }; answer: PackageSummary & { differences: Difference[] } };
}
export type UnpackName = keyof UnpackRequests;

export type UnpackReply =
	| { kind: 'answer'; answer: unknown }
	| { kind: 'fault'; status: FaultStatus; code: string; message: string; details?: unknown }
	/** A bug. */
	| { kind: 'failed'; detail: string };
