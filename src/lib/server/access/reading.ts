import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askEngine } from '../engine';
import { Fault } from '../fault';
import type { SignedIn } from '../session';
import { readAccessRules } from './rules';

/** What shows all of a model is not for who may read a part of it. @throws Fault 403 */
export function requireWholeModel(person: SignedIn): void {
	if (person.readsPart)
		throw new Fault(
			403,
			'reads a part',
			'You may read a part of this model only, and this shows what is made of all of it. Ask someone who may read everything.'
		);
}

/** Which figures (members in address order) a person may read, or something beneath them. */
export async function readablePlaces(person: SignedIn, modelId: number, places: readonly (readonly number[])[]): Promise<boolean[]> {
	if (!person.readsPart || places.length === 0) return places.map(() => true);
	const [rules, { structure }] = await Promise.all([readAccessRules(person, modelId), modelVersions(pool(), modelId)]);
	return (await askEngine(modelId, 'readable', { rules, structure, places })).readable;
}

/** Of which members (ids) of a dimension a person may read something at all. */
export async function reachedMembers(person: SignedIn, modelId: number, dimension: number, members: readonly number[]): Promise<boolean[]> {
	if (!person.readsPart || members.length === 0) return members.map(() => true);
	const [rules, { structure }] = await Promise.all([readAccessRules(person, modelId), modelVersions(pool(), modelId)]);
	return (await askEngine(modelId, 'reached', { rules, structure, dimension, members })).reached;
}
