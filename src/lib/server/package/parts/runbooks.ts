import { namedKey, renamedParameter, renamedStep, type ParameterDefinition } from '../../../core';
import type { PackedRunbook } from '../../definition/package-format';
import { lookAtScript } from '../../engine/requests/script';
import { Fault } from '../../fault';
import { requireConsent } from '../../runbook/consent';
import { readStored } from '../../runbook/read';
import { parameterSchema, stepSchema, type StepDraft } from '../../runbook/schema';
import { dropRunbook, insertRunbook, putStep, updateRunbook, type StepToStore } from '../../runbook/store';
import { mapMembers } from '../pack-runbooks';
import type { Scene } from '../scene';
import type { Part } from './part';

/**
 * Runbooks with their steps. A new one is tied to what its steps have written in the model it comes from, where that came
 * along: run anew it replaces its results here as it would have there. One that is there keeps whom it runs as, its
 * schedule, and the results of steps that stay.
 */
export const runbooksPart: Part<PackedRunbook> = {
	what: 'runbook',
	items: ({ runbooks }) => runbooks,
	nameOf: ({ name }) => name,
	async put(scene, packed, isNew) {
		const { client, modelId, person } = scene;
		const parameters = packed.parameters.map((each) => parameterHere(scene, packed, each));
		const steps = await stepsHere(scene, packed, parameters);
		const { name, description, onRefused, whenBusy } = packed;
		if (isNew) {
			const id = await insertRunbook(client, modelId, { name, description, parameters, onRefused, whenBusy, runsAs: null });
			const ids: number[] = [];
			for (const [position, step] of steps.entries()) ids.push(await putStep(client, id, position, step));
			await tieResults(scene, packed, parameters, id, ids);
			return { kind: 'runbook', id };
		}
		const id = await idOf(scene, name);
		const before = await readStored(client, modelId, id);
		await requireConsent(person, before.runsAs);
		await updateRunbook(client, modelId, id, {
			...before,
			description,
			parameters,
			onRefused,
			whenBusy,
			steps: withKnownIds(before.steps, steps)
		});
		return { kind: 'runbook', id };
	},
	async remove(scene, { name }) {
		const id = await idOf(scene, name);
		await requireConsent(scene.person, (await readStored(scene.client, scene.modelId, id)).runsAs);
		await dropRunbook(scene.client, scene.modelId, id);
		return { kind: 'runbook', id };
	}
};

async function idOf({ client, modelId }: Scene, name: string): Promise<number> {
	const found = await client.query<{ id: number }>('SELECT id FROM runbook WHERE model_id = $1 AND name = $2', [modelId, name]);
	if (!found.rows[0]) throw new Fault(404, 'not found', `There is no runbook “${name}”. It may have been removed.`);
	return found.rows[0].id;
}

/** Steps that are there, by kind and name, stay the same ones: their results stay tied to them. */
function withKnownIds(known: readonly { id: number; kind: string; name: string }[], steps: readonly StepToStore[]): StepToStore[] {
	const left = [...known];
	return steps.map((step) => {
		const place = left.findIndex(({ kind, name }) => kind === step.kind && name === step.name);
		return place < 0 ? step : { ...step, id: left.splice(place, 1)[0]!.id };
	});
}

const memberAt =
	({ memberOf }: Scene, { members }: PackedRunbook) =>
	(place: number) =>
		memberOf(members[place] ?? { dimension: '', member: String(place) });
const dimensionAt =
	({ dimensions: here }: Scene, { dimensions }: PackedRunbook) =>
	(place: number) =>
		here.get(dimensions[place] ?? '')?.id ?? -1;

function parameterHere(scene: Scene, runbook: PackedRunbook, packed: unknown): ParameterDefinition {
	const read = parameterSchema.safeParse(packed);
	if (!read.success) throw new Fault(422, 'not understood', `What the runbook ${runbook.name} asks for does not keep its format.`);
	const here = renamedParameter(read.data, memberAt(scene, runbook));
	return { ...here, dimension: here.dimension === null ? null : dimensionAt(scene, runbook)(here.dimension) };
}

async function stepsHere(scene: Scene, runbook: PackedRunbook, parameters: ParameterDefinition[]): Promise<StepToStore[]> {
	const model = await scene.model();
	const found = await scene.client.query<{ id: number; code: string }>('SELECT id, code FROM import WHERE model_id = $1', [scene.modelId]);
	const importOf = new Map(found.rows.map(({ id, code }) => [code, id]));
	return runbook.steps.map((packed) => {
		const step = stepHere(scene, runbook, packed, importOf);
		if (step.kind !== 'formula') return { ...step, id: null } as StepToStore;
		const { text, ...rest } = step;
		const { names } = lookAtScript(model, { structure: 0, text, parameters, limits: step.limits });
		return { ...rest, id: null, script: { text, names } } as StepToStore;
	});
}

function stepHere(scene: Scene, runbook: PackedRunbook, packed: unknown, importOf: ReadonlyMap<string, number>): StepDraft {
	const { import: source, ...rest } = packed as { import?: string | null };
	const read = stepSchema.safeParse({
		...rest,
		id: null,
		...(source !== undefined && { import: source === null ? null : (importOf.get(source) ?? null) })
	});
	if (!read.success) throw new Fault(422, 'not understood', `A step of the runbook ${runbook.name} does not keep its format.`);
	// A preset is of the model it comes from; what it said is in the step.
	const { preset: _, ...step } = read.data as StepDraft & { preset?: unknown };
	return renamedStep(step as StepDraft, { member: memberAt(scene, runbook), dimension: dimensionAt(scene, runbook) });
}

async function tieResults(
	scene: Scene,
	packed: PackedRunbook,
	parameters: readonly ParameterDefinition[],
	id: number,
	steps: readonly number[]
): Promise<void> {
	for (const { step, origin, answers } of packed.results) {
		const here = scene.origins.get(origin);
		if (here === undefined) continue;
		// Only members tell results apart; of numbers that older packages name, nothing is left.
		const values = answers.flatMap(({ parameter, value }): [string, number[]][] => {
			const isOther = parameters.some(({ name, kind }) => name === parameter && !kind.startsWith('member'));
			const members = isOther ? null : mapMembers(value, memberAt(scene, packed));
			return members === null ? [] : [[parameter, (Array.isArray(members) ? members : [members]) as number[]]];
		});
		await scene.client.query('UPDATE origin SET runbook_id = $2, step_id = $3, answers = $4 WHERE id = $1', [
			here,
			id,
			steps[step] ?? null,
			namedKey(Object.fromEntries(values))
		]);
	}
}
