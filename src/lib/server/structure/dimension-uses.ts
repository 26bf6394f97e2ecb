import {
	checkRunbook,
	membersOfParameter,
	membersOfStep,
	Model,
	type FormLayout,
	type ModelDefinition,
	type ParameterDefinition
} from '../../core';
import type { Database } from '../database';
import { formsOf } from '../definition/forms';
import { stepsOf } from '../definition/steps';
import { Fault } from '../fault';

/** Every form without the dimension. @throws Fault naming a form that is laid out by it alone */
export async function narrowLayouts(
	database: Database,
	modelId: number,
	dimension: number
): Promise<{ id: number; name: string; was: FormLayout; becomes: FormLayout }[]> {
	const others = <Part extends { dimension: number }>(parts: readonly Part[]) => parts.filter((part) => part.dimension !== dimension);
	return (await formsOf(database, modelId, 'all')).map(({ id, name, isView, layout }) => {
		const block = (each: FormLayout['rows'][number]): FormLayout['rows'][number] => {
			if (each.kind !== 'cells') return each;
			const parts = others(each.parts);
			// Somebody's view stops nobody: what it was laid out by is gone.
			if (!isView && (parts.length === 0 || layout.ownLines?.dimension === dimension))
				throw new Fault(409, 'still used', `The form “${name}” is laid out by this dimension. Change it first.`);
			return { ...each, parts };
		};
		const becomes: FormLayout = {
			...layout,
			rows: layout.rows.map(block).filter(holdsLines),
			columns: layout.columns.map(block).filter(holdsLines),
			selectors: others(layout.selectors),
			pinned: others(layout.pinned)
		};
		return { id, name, was: layout, becomes };
	});
}

const holdsLines = (block: FormLayout['rows'][number]): boolean => block.kind !== 'cells' || block.parts.length > 0;

/** @throws Fault naming what says something about the dimension, or would not hold without it */
export async function refuseNamed(database: Database, definition: ModelDefinition, dimension: number): Promise<void> {
	const used = (what: string) => new Fault(409, 'still used', `${what} Change that first.`);
	const { id: modelId } = definition;
	const members = new Set(definition.dimensions.find(({ id }) => id === dimension)!.members.map(({ id }) => id));
	if (definition.balanceRoles?.some(({ member }) => members.has(member))) throw used('Its members say what balances are made of.');
	const model = new Model(definition);
	const axis = model.dimensions.findIndex(({ id }) => id === dimension);
	for (const { account, operands, tests } of model.live.ordered)
		if (
			operands.some(({ fixed }) => fixed.some((place) => place.axis === axis)) ||
			[...tests.keys()].some((test) => test.dimension === dimension)
		)
			throw used(`The formula of ${model.accounts.member(account).name} reads at members of it.`);
	const rights = await database.query<{ what: string }>(
		`SELECT 'The grant “' || g.name || '” is for members of it.' AS what FROM access_grant g
			WHERE g.model_id = $1 AND EXISTS (SELECT FROM access_grant_member m WHERE m.grant_id = g.id AND m.member_id = ANY ($2))
		UNION ALL SELECT 'Reading is guarded on it, and would be open without it.' FROM guarded_dimension g WHERE g.model_id = $1 AND g.dimension_id = $3
		UNION ALL SELECT 'A grant by attribute is given at its members.' FROM attribute_grant g WHERE g.model_id = $1 AND g.dimension_id = $3
		UNION ALL SELECT 'The lock “' || l.name || '” is on members of it.' FROM access_lock l
			WHERE l.model_id = $1 AND EXISTS (SELECT FROM access_lock_member m WHERE m.lock_id = l.id AND m.member_id = ANY ($2))
		UNION ALL SELECT 'The variable “' || v.name || '” is a member of it.' FROM variable v WHERE v.model_id = $1 AND v.member_id = ANY ($2)
		LIMIT 1`,
		[modelId, [...members], dimension]
	);
	if (rights.rows[0]) throw used(rights.rows[0].what);
	const narrow = narrowModel(definition, dimension);
	const runbooks = await database.query<{ id: number; name: string; parameters: ParameterDefinition[] }>(
		'SELECT id, name, parameters FROM runbook WHERE model_id = $1',
		[modelId]
	);
	for (const { id, name, parameters } of runbooks.rows) {
		const steps = (await stepsOf(database, 'to read', id)).map(({ step }) => step);
		const named = [...parameters.flatMap((each) => [...membersOfParameter(each)]), ...steps.flatMap((step) => [...membersOfStep(step)])];
		if (named.some((member) => members.has(member)) || parameters.some((each) => 'dimension' in each && each.dimension === dimension))
			throw used(`The runbook “${name}” names members of it.`);
		const faults = (of: Model) => checkRunbook(of, steps, parameters).filter(({ severity }) => severity === 'error');
		const before = new Set(faults(model).map(({ message }) => message));
		const fault = narrow && faults(narrow).find(({ message }) => !before.has(message));
		if (fault) throw used(`The runbook “${name}” would have a fault without it: ${fault.message}`);
	}
}

/** The model without the dimension; undefined where it is none, which is told when it is taken out. */
function narrowModel(definition: ModelDefinition, dimension: number): Model | undefined {
	try {
		return new Model({ ...definition, dimensions: definition.dimensions.filter(({ id }) => id !== dimension) });
	} catch {
		return undefined;
	}
}
