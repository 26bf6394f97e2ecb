import type { FormLayout } from '../../../core';
import { mapMembers } from '../../definition/layout-members';
import { layoutSchema } from '../../definition/layout-schema';
import type { PackedForm } from '../../definition/package-format';
import { lookAtLayout } from '../../engine/requests/layout';
import { Fault } from '../../fault';
import { dropForm, publishForm, type FormFacts } from '../../form/publish';
import { mapDimensions, mapRateSets } from '../map-layout';
import type { Scene } from '../scene';
import type { Part } from './part';

/** Forms: one that is there gets its next version and keeps who sees it. */
export const formsPart: Part<PackedForm> = {
	what: 'form',
	items: ({ forms }) => forms,
	nameOf: ({ code }) => code,
	async put(scene, packed, isNew) {
		const { client, modelId, person } = scene;
		const { code, name, folder, description, instructions } = packed;
		const layout = await layoutHere(scene, packed);
		const facts: FormFacts = { name, folder, description, instructions, layout };
		if (isNew) return { kind: 'form', id: (await publishForm(client, modelId, person.id, code, { ...facts, roles: [] }, null)).id };
		const { faults } = lookAtLayout(await scene.model(), layout);
		if (faults.length > 0) throw new Fault(422, 'unfinished', `It would not be finished here. ${faults[0]}`);
		const standing = await client.query<{ version: number; roles: number[] }>(
			'SELECT version, roles FROM form WHERE model_id = $1 AND code = $2 FOR UPDATE',
			[modelId, code]
		);
		const { version, roles } = standing.rows[0]!;
		return { kind: 'form', id: (await publishForm(client, modelId, person.id, code, { ...facts, roles }, version)).id };
	},
	async remove({ client, modelId }, { code }) {
		return { kind: 'form', id: await dropForm(client, modelId, code) };
	}
};

/** A packed layout with what its places stand for in a model. @throws Fault 422 where that is not there */
export async function layoutHere(
	{ client, modelId, dimensions: here, rateSets, memberOf }: Scene,
	packed: Pick<PackedForm, 'name' | 'dimensions' | 'members' | 'rateSets' | 'layout'> & { runbooks?: string[] }
): Promise<FormLayout> {
	const { name, dimensions, members, runbooks = [], rateSets: named, layout } = packed;
	const parsed = layoutSchema.safeParse(layout);
	if (!parsed.success) throw new Fault(422, 'not understood', `The form ${name} does not keep its format.`);
	const { runs, ...rest } = mapDimensions(
		mapMembers(
			mapRateSets(parsed.data, (place) => rateSets.get(named[place] ?? '')?.id ?? -1),
			(place) => memberOf(members[place] ?? { dimension: '', member: String(place) })
		),
		(place) => {
			const dimension = here.get(dimensions[place] ?? '');
			if (!dimension)
				throw new Fault(422, 'not understood', `The form ${name} names the dimension ${dimensions[place]}, which is not there.`);
			return dimension.id;
		}
	);
	if (!runs) return rest;
	const found = await client.query<{ id: number; name: string }>('SELECT id, name FROM runbook WHERE model_id = $1', [modelId]);
	const idOf = new Map(found.rows.map((row) => [row.name, row.id]));
	// Buttons of runbooks that did not come along would lead nowhere.
	return {
		...rest,
		runs: runs.flatMap((run) => {
			const runbook = idOf.get(runbooks[run.runbook] ?? '');
			return runbook === undefined ? [] : [{ ...run, runbook }];
		})
	};
}
