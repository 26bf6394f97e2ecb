import type { ModelDefinition, NodeDefinition, MemberDefinition, DimensionDefinition } from '../../core';
import type { Database } from './pool';

interface DimensionRow {
	id: number;
	code: string;
	name: string;
	kind: DimensionDefinition['kind'];
}

/**
 * All definitions of a model as plain data. Members come in order of their id, so that ordinals of members that exist
 * already stay as they are when new ones appear.
 * @returns undefined when there is no such model
 */
export async function readModelDefinition(database: Database, modelId: number): Promise<ModelDefinition | undefined> {
	const model = (
		await database.query<{ id: number; code: string; name: string; reporting_currency: string }>(
			'SELECT id, code, name, reporting_currency FROM model WHERE id = $1',
			[modelId]
		)
	).rows[0];
	if (!model) return undefined;
	const dimensions = (
		await database.query<DimensionRow>(
			'SELECT d.id, d.code, d.name, d.kind FROM model_dimension m JOIN dimension d ON d.id = m.dimension_id WHERE m.model_id = $1 ORDER BY m.position',
			[modelId]
		)
	).rows;
	const ids = dimensions.map((dimension) => dimension.id);
	const members = (
		await database.query<MemberDefinition & { dimension: number }>(
			'SELECT id, code, name, unassigned, dimension_id AS dimension FROM member WHERE dimension_id = ANY ($1) ORDER BY id',
			[ids]
		)
	).rows;
	const nodes = (
		await database.query<NodeDefinition & { dimension: number }>(
			`SELECT n.member_id AS member, n.parent_id AS parent, n.weight, n.dimension_id AS dimension
			FROM hierarchy h JOIN hierarchy_node n ON n.hierarchy_id = h.id
			WHERE h.main AND h.dimension_id = ANY ($1)
			ORDER BY n.position`,
			[ids]
		)
	).rows;
	const rateSets = (await database.query<{ id: number; name: string; pivot: string }>('SELECT id, name, pivot FROM rate_set ORDER BY id'))
		.rows;
	const rates = (
		await database.query<{ set: number; currency: string; kind: 'average' | 'closing'; from: string; to: string; value: number }>(
			'SELECT rate_set_id AS set, currency, kind, valid_from AS from, valid_to AS to, value FROM rate'
		)
	).rows;
	const list = async <Row extends object>(text: string, values: unknown[]): Promise<Row[]> =>
		(await database.query<Row>(text, values)).rows;
	return {
		id: model.id,
		code: model.code,
		name: model.name,
		reportingCurrency: model.reporting_currency,
		currencies: await list(
			'SELECT c.code, c.decimals FROM model_currency m JOIN currency c ON c.code = m.currency WHERE m.model_id = $1 ORDER BY m.position',
			[modelId]
		),
		dimensions: dimensions.map((dimension) => ({
			...dimension,
			members: members
				.filter((member) => member.dimension === dimension.id)
				.map(({ id, code, name, unassigned }) => ({ id, code, name, unassigned })),
			nodes: nodes.filter((node) => node.dimension === dimension.id).map(({ member, parent, weight }) => ({ member, parent, weight }))
		})),
		periods: await list(
			'SELECT p.member_id AS member, p.level, p.start_date AS start, p.end_date AS end, p.fiscal_year AS "fiscalYear" FROM period p JOIN member m ON m.id = p.member_id WHERE m.dimension_id = ANY ($1)',
			[ids]
		),
		accounts: await list(
			`SELECT a.member_id AS member, a.kind, a.value_type AS "valueType", a.time_behaviour AS "timeBehaviour", a.consolidation, a.decimals, a.unit
			FROM account a JOIN member m ON m.id = a.member_id WHERE m.dimension_id = ANY ($1)`,
			[ids]
		),
		entities: await list(
			'SELECT e.member_id AS member, e.currency FROM entity e JOIN member m ON m.id = e.member_id WHERE m.dimension_id = ANY ($1)',
			[ids]
		),
		scenarios: await list(
			`SELECT s.member_id AS member, s.span_from AS "spanFrom", s.span_to AS "spanTo", s.entry_from AS "entryFrom", s.entry_to AS "entryTo",
				s.rate_set_id AS "rateSet", s.continues_from AS "continuesFrom", s.compared_with AS "comparedWith"
			FROM scenario s JOIN member m ON m.id = s.member_id WHERE m.dimension_id = ANY ($1)`,
			[ids]
		),
		rateSets: rateSets.map((set) => ({
			...set,
			rates: rates.filter((rate) => rate.set === set.id).map(({ currency, kind, from, to, value }) => ({ currency, kind, from, to, value }))
		})),
		formulas: await list('SELECT account_id AS account, timing, expression FROM formula WHERE model_id = $1', [modelId]),
		origins: await list('SELECT id, name, mode FROM origin WHERE model_id = $1 ORDER BY id', [modelId])
	};
}

/** The models there are, for the switcher. */
export async function listModels(database: Database): Promise<{ id: number; code: string; name: string }[]> {
	return (await database.query<{ id: number; code: string; name: string }>('SELECT id, code, name FROM model ORDER BY id')).rows;
}

/** A model's dimensions in address order, the period left out: what the columns of its cell table stand for. */
export async function addressDimensions(database: Database, modelId: number): Promise<number[]> {
	const found = await database.query<{ id: number }>(
		"SELECT d.id FROM model_dimension m JOIN dimension d ON d.id = m.dimension_id WHERE m.model_id = $1 AND d.kind <> 'period' ORDER BY m.position",
		[modelId]
	);
	return found.rows.map(({ id }) => id);
}
