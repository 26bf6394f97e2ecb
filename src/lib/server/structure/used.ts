import type pg from 'pg';
import type { Database } from '../database';
import type { Replacement, Use } from '../definition/naming';
import { SUBJECTS } from '../subjects';

/** Everything in all models that names a member, its numbers counted. */
export async function usesOfMember(database: Database, dimension: number, member: number): Promise<Use[]> {
	const uses: Use[] = [];
	for (const subject of SUBJECTS) uses.push(...(await subject.uses(database, dimension, member)));
	return uses;
}

/** Which of some members anything names, or numbers stand at. */
export async function usedAmong(database: Database, dimension: number, members: readonly number[]): Promise<Set<number>> {
	const used = new Set<number>();
	for (const subject of SUBJECTS) for (const id of await subject.among(database, dimension, members)) used.add(id);
	return used;
}

/** Points everything that names one member to another. */
export async function replaceUses(client: pg.PoolClient, replacement: Replacement): Promise<void> {
	for (const { replace } of SUBJECTS) await replace?.(client, replacement);
}
