import type { AskOf, EngineRequestName } from './requests';

/** What crosses from the server to an engine's thread. */
export interface EngineRequest<Name extends EngineRequestName = EngineRequestName> {
	id: number;
	name: Name;
	ask: AskOf<Name>;
}

/** What comes back. */
export type EngineReply =
	| { kind: 'answer'; id: number; answer: unknown }
	/** A sentence for the person, or a bug when `message` is undefined. */
	| { kind: 'failed'; id: number; message: string | undefined; detail: string }
	| EngineNews;

/** What an engine tells unasked: how far its cube, its model and its branches have come. */
export type EngineNews =
	{ kind: 'revision'; revision: number } | { kind: 'structure'; structure: number } | { kind: 'branch'; branch: number; version: number };
