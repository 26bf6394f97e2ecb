import type pg from 'pg';
import { Model, namedKey, renamedParameter, renamedStep, type ParameterDefinition } from '../../core';
import { readModelDefinition } from '../database/definitions';
import { lookAtScript } from '../engine/requests/script';
import { Fault } from '../fault';
import { parameterSchema, stepSchema, type StepDraft } from '../runbook/schema';
import type { ModelPackage, PackedRunbook } from '../definition/package-format';
import type { Made, MemberOf } from './made';
import { mapMembers } from './pack-runbooks';

interface Making {
	made: ReadonlyMap<string, Made>;
	origins: ReadonlyMap<string, number>;
	memberOf: MemberOf;
}

/**
 * Makes the runbooks of a package, and ties what their steps have written to them again: running one anew then replaces its
 * results here as it would have there.
 * @returns their ids by name
 * @throws Fault 422 naming the runbook that does not keep its format
 */
export async function createRunbooks(
	client: pg.PoolClient,
	modelId: number,
	{ runbooks }: ModelPackage,
	{ made, origins, memberOf }: Making
): Promise<Map<string, number>> {
	const ids = new Map<string, number>();
	if (runbooks.length === 0) return ids;
	const model = new Model((await readModelDefinition(client, modelId))!);
	const found = await client.query<{ id: number; code: string }>('SELECT id, code FROM import WHERE model_id = $1', [modelId]);
	const importOf = new Map(found.rows.map(({ id, code }) => [code, id]));
	for (const packed of runbooks) {
		const member = (place: number) => memberOf(packed.members[place] ?? { dimension: '', member: String(place) });
		const dimension = (place: number) => made.get(packed.dimensions[place] ?? '')?.id ?? -1;
		const parameters = packed.parameters.map((each) => parameterHere(packed, each, member, dimension));
		const steps = packed.steps.map((each) => stepHere(packed, each, member, dimension, (code) => importOf.get(code) ?? null));
		const inserted = await client.query<{ id: number }>(
			'INSERT INTO runbook (model_id, name, description, parameters, on_refused, when_busy) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
			[modelId, packed.name, packed.description, JSON.stringify(parameters), packed.onRefused, packed.whenBusy]
		);
		const id = inserted.rows[0]!.id;
		ids.set(packed.name, id);
		const stepIds: number[] = [];
		for (const [position, { id: _, kind, name, description, active, limits, ...definition }] of steps.entries()) {
			const stored =
				'text' in definition
					? {
							script: {
								text: definition.text,
								names: lookAtScript(model, { structure: 0, text: definition.text, parameters, limits }).names
							}
						}
					: definition;
			const step = await client.query<{ id: number }>(
				`INSERT INTO runbook_step (runbook_id, position, kind, name, description, active, limits, definition)
				VALUES ($1, $2, $3, $4, $5, $6, $7, $8) RETURNING id`,
				[id, position, kind, name, description, active, JSON.stringify(limits), JSON.stringify(stored)]
			);
			stepIds.push(step.rows[0]!.id);
		}
		for (const { step, origin, answers } of packed.results) {
			// Only members tell results apart; of numbers that older packages name, nothing is left.
			const values = answers.flatMap(({ parameter, value }): [string, number[]][] => {
				const isOther = parameters.some(({ name, kind }) => name === parameter && !kind.startsWith('member'));
				const members = isOther ? null : mapMembers(value, member);
				return members === null ? [] : [[parameter, (Array.isArray(members) ? members : [members]) as number[]]];
			});
			await client.query('UPDATE origin SET runbook_id = $2, step_id = $3, answers = $4 WHERE id = $1', [
				origins.get(origin) ?? null,
				id,
				stepIds[step] ?? null,
				namedKey(Object.fromEntries(values))
			]);
		}
	}
	return ids;
}

function parameterHere(
	{ name }: PackedRunbook,
	packed: unknown,
	member: (place: number) => number,
	dimension: (place: number) => number
): ParameterDefinition {
	const read = parameterSchema.safeParse(packed);
	if (!read.success) throw new Fault(422, 'not understood', `What the runbook ${name} asks for does not keep its format.`);
	const here = renamedParameter(read.data, member);
	return { ...here, dimension: here.dimension === null ? null : dimension(here.dimension) };
}

function stepHere(
	{ name }: PackedRunbook,
	packed: unknown,
	member: (place: number) => number,
	dimension: (place: number) => number,
	importOf: (code: string) => number | null
): StepDraft {
	const { import: source, ...rest } = packed as { import?: string | null };
	const read = stepSchema.safeParse({
		...rest,
		id: null,
		...(source !== undefined && { import: source === null ? null : importOf(source) })
	});
	if (!read.success) throw new Fault(422, 'not understood', `A step of the runbook ${name} does not keep its format.`);
	return renamedStep(read.data, { member, dimension });
}
