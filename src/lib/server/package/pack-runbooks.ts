import {
	printScript,
	renamedParameter,
	renamedStep,
	type Model,
	type ParameterDefinition,
	type Step,
	type StepDraftLike
} from '../../core';
import type { Database } from '../database';
import { readStored } from '../runbook/read';
import type { PackedRunbook } from '../definition/package-format';
import type { PackedReference } from './made';
import { Places } from './places';

/**
 * The runbooks of a model by name: steps in their order, scripts as text with today's names, and the origins their results
 * stand under. Who they run as and when they start by themselves belongs to this installation and stays behind.
 */
export async function packRunbooks(
	database: Database,
	model: Model,
	keyOf: ReadonlyMap<number, string>,
	members: ReadonlyMap<number, PackedReference>
): Promise<{ id: number; packed: PackedRunbook }[]> {
	const modelId = model.definition.id;
	const found = await database.query<{ id: number }>('SELECT id FROM runbook WHERE model_id = $1 ORDER BY name', [modelId]);
	const imports = await database.query<{ id: number; code: string }>('SELECT id, code FROM import WHERE model_id = $1', [modelId]);
	const importCode = new Map(imports.rows.map(({ id, code }) => [id, code]));
	const packed: { id: number; packed: PackedRunbook }[] = [];
	for (const { id } of found.rows) {
		const places = new RunbookPlaces(keyOf, members);
		const { name, description, onRefused, whenBusy, parameters, steps } = await readStored(database, modelId, id);
		const origins = await database.query<{ name: string; step: number; answers: string }>(
			'SELECT name, step_id AS step, answers FROM origin WHERE runbook_id = $1 AND step_id IS NOT NULL ORDER BY name',
			[id]
		);
		const order = new Map(steps.map((step, place) => [step.id, place]));
		packed.push({
			id,
			packed: {
				name,
				description,
				onRefused,
				whenBusy,
				parameters: parameters.map((parameter) => places.parameter(parameter)),
				steps: steps.map((step) => {
					const { id: _, ...rest } = step;
					// Scripts travel as text, imports by their code.
					if (rest.kind === 'import') return { ...rest, import: rest.import === null ? null : (importCode.get(rest.import) ?? null) };
					const placed = renamedStep(rest.kind === 'formula' ? draftOf(model, { ...rest, id: 0 }) : { ...rest, id: 0 }, places.renaming);
					const { id: __, preset: ___, ...packedStep } = placed as typeof placed & { preset?: unknown };
					return packedStep;
				}),
				results: origins.rows.flatMap(({ name, step, answers }) => {
					const place = order.get(step);
					// What a step that is gone has written is an origin like others.
					return place === undefined ? [] : [{ step: place, origin: name, answers: places.answers(parameters, answers) }];
				}),
				dimensions: places.dimensions,
				members: places.named
			}
		});
	}
	return packed;
}

/** A formula step with its script as text, in today's names. */
function draftOf(model: Model, { script, ...head }: Extract<Step, { kind: 'formula' }>): StepDraftLike {
	return { ...head, text: printScript(model, script) };
}

class RunbookPlaces extends Places {
	parameter(parameter: ParameterDefinition): ParameterDefinition {
		const placed = renamedParameter(parameter, this.member);
		return { ...placed, dimension: placed.dimension === null ? null : this.dimension(placed.dimension) };
	}
	/** Answers as results are known by, with members by their place. */
	answers(parameters: readonly ParameterDefinition[], key: string): PackedRunbook['results'][number]['answers'] {
		const answers = JSON.parse(key) as [string, number | string | number[] | null][];
		return answers.map(([parameter, value]) => {
			const isMember = parameters.find(({ name }) => name === parameter)?.kind.startsWith('member') ?? false;
			return { parameter, value: isMember ? mapMembers(value, this.member) : value };
		});
	}
}

/** A member, or a list of them, replaced; anything else as it is. */
export const mapMembers = <Value>(value: Value, map: (member: number) => number): Value =>
	(Array.isArray(value) ? (value as number[]).map(map) : typeof value === 'number' ? map(value) : value) as Value;
