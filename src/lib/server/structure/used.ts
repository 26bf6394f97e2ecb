import type pg from 'pg';
import type { Database } from '../database';
import { listModels } from '../database/definitions';
import type { Replacement, Use } from '../definition/naming';
import { knownById } from '../session';
import { SUBJECTS } from '../subjects';

/** Everything in all models that names a member, its numbers counted. */
export async function usesOfMember(database: Database, dimension: number, member: number): Promise<Use[]> {
	const uses: Use[] = [];
	for (const subject of SUBJECTS) uses.push(...(await subject.uses(database, dimension, member)));
	return uses;
}

/** The same as a person (id) is told of it: of models they may do nothing in, only that there is something. */
export async function usesToldTo(database: Database, person: number, dimension: number, member: number): Promise<Use[]> {
	const uses = await usesOfMember(database, dimension, member);
	const models = await listModels(database);
	const known = await knownById(person, undefined, database);
	const hidden = models.filter(({ id }) => !known?.mayEnter(id));
	const isHidden = ({ kind, name, path, model }: Use) =>
		hidden.some(
			(each) =>
				model === each.code ||
				path?.startsWith(`/m/${each.code}/`) ||
				// What is counted is called by its model.
				((kind === 'numbers' || kind === 'choice') && name === each.name)
		);
	const told = uses.filter((use) => !isHidden(use)).map(({ model: _, ...use }) => use);
	return told.length === uses.length ? told : [...told, { kind: 'elsewhere', name: 'Models that are not yours to see' }];
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
