import type pg from 'pg';
import { z } from 'zod';
import type { JournalObject } from '../definition/journal';
import type { ModelPackage } from '../definition/package-format';
import { Fault } from '../fault';
import type { SignedIn } from '../session';
import type { Scene } from './scene';
import type { NumbersBelow } from './take-over-members';

const word = z.string().max(2_500);
export const takeOverSchema = z.object({
	/** Differences (ids) to take over. */
	chosen: z.array(word).min(1, 'choose what to take over').max(20_000),
	/** By dimension (key) and parent (code): the child (code) that takes its numbers. */
	handOver: z.record(z.string().max(200), z.record(z.string().max(200), z.string().max(200))).default({})
});
export type ToTakeOver = z.infer<typeof takeOverSchema>;

/** Why a difference cannot be taken over as things are. */
export interface Refusal {
	/** The difference (id); empty where it is about all of them together. */
	id: string;
	message: string;
	/** Where only something is to be chosen. */
	numbersBelow?: NumbersBelow;
}

/** Most refusals that are told. */
const MOST_REFUSALS = 200;

/** A package on its way into a model: what was chosen, what was refused, and what the journal will say. */
export class TakingOver {
	readonly refused: Refusal[] = [];
	readonly objects: JournalObject[] = [];
	/** Addresses of people who are not here. */
	readonly lostPeople = new Set<string>();
	readonly client: pg.PoolClient;
	readonly person: SignedIn;
	readonly modelId: number;
	readonly packed: ModelPackage;
	readonly wanted: ToTakeOver;
	/** False only to look at what would come of it. */
	readonly holds: boolean;
	scene: Scene;

	constructor(scene: Scene, packed: ModelPackage, wanted: ToTakeOver, holds: boolean) {
		this.scene = scene;
		this.client = scene.client;
		this.person = scene.person;
		this.modelId = scene.modelId;
		this.packed = packed;
		this.wanted = wanted;
		this.holds = holds;
	}

	refuse(id: string, message: string, numbersBelow?: NumbersBelow): void {
		if (this.refused.length < MOST_REFUSALS) this.refused.push({ id, message, ...(numbersBelow && { numbersBelow }) });
	}

	/** Carries out a part of it; where that fails, nothing of the part stays. */
	async within<Answer>(act: () => Promise<Answer>): Promise<Answer> {
		await this.client.query('SAVEPOINT part');
		try {
			const answer = await act();
			await this.client.query('RELEASE SAVEPOINT part');
			return answer;
		} catch (error) {
			// Released too: one around it has the same name.
			await this.client.query('ROLLBACK TO SAVEPOINT part');
			await this.client.query('RELEASE SAVEPOINT part');
			throw error;
		}
	}

	/** The same; a sentence for the person is noted at the differences (ids), so that all of them are told at once. */
	async attempt(ids: readonly string[], act: () => Promise<void>): Promise<void> {
		try {
			await this.within(act);
		} catch (error) {
			if (!(error instanceof Fault)) throw error;
			for (const id of ids) this.refuse(id, error.message);
		}
	}
}
