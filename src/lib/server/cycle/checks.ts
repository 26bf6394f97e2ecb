/** The checks of a round’s forms, asked at a unit. */
import { pool } from '../database';
import { layoutSchema } from '../definition/layout-schema';
import { Fault } from '../fault';
import { openForm } from '../form';
import type { SignedIn } from '../session';
import { checkedForms, type RoundSettings } from './settings';

export interface UnitCheck {
	form: string;
	code: string;
	label: string;
	state: 'holds' | 'fails' | 'cannot tell';
	/** Columns in which it does not hold. */
	where: string[];
}

const MOST_WHERE = 4;

/** A form of a round, with what a unit chooses in it. */
export interface UnitForm {
	id: number;
	code: string;
	name: string;
	/** Members (ids) by dimension (id), of the unit and its scenario, for the selectors the form has. */
	choices: Record<number, number>;
}

/** The forms to fill for a unit. A form that has none of the unit’s dimensions to choose shows more than the unit. */
export async function formsOfUnit(
	modelId: number,
	forms: readonly number[],
	scenario: number,
	members: readonly number[]
): Promise<UnitForm[]> {
	const found = await pool().query<{ id: number; code: string; name: string; layout: unknown }>(
		'SELECT id, code, name, layout FROM form WHERE model_id = $1 AND id = ANY ($2) ORDER BY array_position($2, id)',
		[modelId, forms]
	);
	const dimensions = await pool().query<{ id: number; dimension: number }>(
		'SELECT id, dimension_id AS dimension FROM member WHERE id = ANY ($1)',
		[[scenario, ...members]]
	);
	return found.rows.map(({ id, code, name, layout }) => {
		const chosen = new Set(layoutSchema.parse(layout).selectors.map(({ dimension }) => dimension));
		return {
			id,
			code,
			name,
			choices: Object.fromEntries(
				dimensions.rows.flatMap(({ id: member, dimension }) => (chosen.has(dimension) ? [[dimension, member]] : []))
			)
		};
	});
}

/** How the checks of a unit’s forms stand for somebody; what cannot be asked cannot tell, and never passes as held. */
export async function checksOfUnit(
	person: SignedIn,
	modelId: number,
	settings: RoundSettings,
	unit: { scenario: number; members: readonly number[] }
): Promise<UnitCheck[]> {
	const asked = checkedForms(settings);
	const forms = await formsOfUnit(modelId, asked, unit.scenario, unit.members);
	const checks: UnitCheck[] = [];
	if (forms.length < asked.length)
		checks.push({ form: '', code: '', label: 'A form of the round has been deleted, and its checks', state: 'cannot tell', where: [] });
	for (const { code, name, choices } of forms) {
		try {
			const { form } = await openForm(person, modelId, code, { members: choices }, { most: 1 });
			for (const { label, state, where } of form.checks)
				checks.push({ form: name, code, label, state, where: where.slice(0, MOST_WHERE).map(({ column }) => column) });
		} catch (error) {
			if (!(error instanceof Fault)) throw error;
			checks.push({ form: name, code, label: error.message, state: 'cannot tell', where: [] });
		}
	}
	return checks;
}
