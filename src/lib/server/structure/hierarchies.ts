import type pg from 'pg';
import { z } from 'zod';
import { hierarchiesNamed, mapHierarchies, type DimensionState, type MemberState } from '../../core';
import { transaction } from '../database';
import { formsOf } from '../definition/forms';
import { writeJournal } from '../definition/journal';
import { mapSelections } from '../definition/layout-members';
import { modelsOf } from '../definition/models';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { actOnDimension, dimensionChanged, type ActOutcome } from './act';
import { readDimension, type LoadedDimension } from './read-state';

const name = z.string().trim().min(1).max(80);
export const hierarchySchema = z.object({ name });
export const renamedHierarchySchema = z.object({ name, becomes: name });

/** Starts an alternate hierarchy over the members of a dimension. */
export async function addHierarchy(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	wanted: z.infer<typeof hierarchySchema>
): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	await transaction(async (client) => {
		const dimension = await lockedDimension(client, modelId, dimensionCode);
		refuseTaken(dimension, wanted.name);
		const stored = await client.query<{ id: number }>(
			'INSERT INTO hierarchy (dimension_id, name, main) VALUES ($1, $2, false) RETURNING id',
			[dimension.id, wanted.name]
		);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: dimension.id,
			words: `Started the hierarchy “${wanted.name}”`,
			objects: [{ kind: 'hierarchy', id: stored.rows[0]!.id, name: wanted.name, before: null, after: wanted }]
		});
		await dimensionChanged(client, dimension.id);
	});
}

/** Gives an alternate hierarchy another name, in the forms that select by it too. */
export async function renameHierarchy(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	{ name: from, becomes: to }: z.infer<typeof renamedHierarchySchema>
): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	if (from === to) return;
	await transaction(async (client) => {
		const dimension = await lockedDimension(client, modelId, dimensionCode);
		refuseMissing(dimension, from);
		refuseTaken(dimension, to, from);
		const stored = await client.query<{ id: number }>('UPDATE hierarchy SET name = $3 WHERE dimension_id = $1 AND name = $2 RETURNING id', [
			dimension.id,
			from,
			to
		]);
		for (const model of await modelsOf(client, dimension.id))
			for (const form of await formsOf(client, model.id, 'all')) {
				const layout = mapSelections(form.layout, dimension.id, (selection) =>
					mapHierarchies(selection, (named) => (named === from ? to : named))
				);
				if (JSON.stringify(layout) !== JSON.stringify(form.layout))
					await client.query('UPDATE form SET layout = $2 WHERE id = $1', [form.id, JSON.stringify(layout)]);
			}
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: dimension.id,
			words: `Renamed the hierarchy “${from}” to “${to}”`,
			objects: [{ kind: 'hierarchy', id: stored.rows[0]!.id, name: to, before: { name: from }, after: { name: to } }]
		});
		await dimensionChanged(client, dimension.id);
	});
}

/**
 * Deletes an alternate hierarchy, and the groups that stand in no other: without members under them they would be leaves.
 * @throws Fault 409 where a form selects by it, or one of its groups is used
 */
export async function deleteHierarchy(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	{ name: gone }: z.infer<typeof hierarchySchema>
): Promise<ActOutcome> {
	let groups = 0;
	return actOnDimension(
		person,
		modelId,
		dimensionCode,
		() =>
			`Deleted the hierarchy “${gone}”${groups === 0 ? '' : groups === 1 ? ' with the one group that stood in it alone' : ` with the ${groups} groups that stood in it alone`}`,
		async (dimension, client) => {
			refuseMissing(dimension, gone);
			await refuseSelectedBy(client, dimension, gone);
			const alone = groupsAlone(dimension.state, gone);
			groups = alone.size;
			const members = new Map<number, MemberState>();
			for (const [id, member] of dimension.state.members) {
				if (alone.has(id)) continue;
				const { [gone]: place, ...places } = member.places;
				members.set(id, place ? { ...member, places } : member);
			}
			const deleted = await client.query<{ id: number }>('SELECT id FROM hierarchy WHERE dimension_id = $1 AND name = $2', [
				dimension.id,
				gone
			]);
			return {
				next: { ...dimension.state, members },
				hierarchies: dimension.hierarchies.filter((each) => each !== gone),
				objects: [{ kind: 'hierarchy', id: deleted.rows[0]!.id, name: gone, before: { name: gone }, after: null }]
			};
		}
	);
}

/** Groups with members under them in one alternate hierarchy and nowhere else. */
function groupsAlone({ members }: DimensionState, hierarchy: string): Set<number> {
	const [here, elsewhere] = [new Set<number>(), new Set<number>()];
	for (const { parent, places } of members.values()) {
		if (parent !== null) elsewhere.add(parent);
		for (const [name, place] of Object.entries(places))
			if (place.parent !== null) (name === hierarchy ? here : elsewhere).add(place.parent);
	}
	return new Set([...here].filter((id) => !elsewhere.has(id)));
}

async function refuseSelectedBy(client: pg.PoolClient, dimension: LoadedDimension, hierarchy: string): Promise<void> {
	for (const model of await modelsOf(client, dimension.id))
		for (const form of await formsOf(client, model.id, 'made'))
			mapSelections(form.layout, dimension.id, (selection) => {
				if (hierarchiesNamed(selection).has(hierarchy))
					throw new Fault(409, 'still used', `The form “${form.name}” selects by “${hierarchy}”. Change it first.`);
				return selection;
			});
}

async function lockedDimension(client: pg.PoolClient, modelId: number, code: string): Promise<LoadedDimension> {
	await client.query('SELECT FROM dimension WHERE code = $1 FOR UPDATE', [code]);
	return readDimension(client, modelId, code);
}

function refuseMissing({ hierarchies }: LoadedDimension, hierarchy: string): void {
	if (!hierarchies.includes(hierarchy)) throw new Fault(404, 'not found', `There is no hierarchy ${hierarchy}. It may have been deleted.`);
}

function refuseTaken({ hierarchies }: LoadedDimension, wanted: string, except?: string): void {
	const same = (each: string) => each.toLowerCase() === wanted.toLowerCase();
	if (same('Main') || hierarchies.some((each) => each !== except && same(each)))
		throw new Fault(422, 'not possible', `There is a hierarchy ${wanted} already.`);
}
