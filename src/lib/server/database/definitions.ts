import type {
	AttributeDefinition,
	AttributeValue,
	ModelDefinition,
	NodeDefinition,
	MemberDefinition,
	DimensionDefinition,
	OriginDefinition,
	RateDefinition,
	RateSetDefinition
} from '../../core';
import type { Database } from './pool';

interface DimensionRow {
	id: number;
	code: string;
	name: string;
	kind: DimensionDefinition['kind'];
}

/** A dimension by its code, whether a model has it or not; undefined when there is none. */
export async function readDimensionDefinition(database: Database, code: string): Promise<DimensionDefinition | undefined> {
	const found = await database.query<DimensionRow>('SELECT id, code, name, kind FROM dimension WHERE code = $1', [code]);
	return (await dimensionsOf(database, found.rows))[0];
}

/** Dimensions with their members, trees and attributes. */
async function dimensionsOf(database: Database, dimensions: readonly DimensionRow[]): Promise<DimensionDefinition[]> {
	const ids = dimensions.map((dimension) => dimension.id);
	const members = (
		await database.query<MemberDefinition & { dimension: number }>(
			'SELECT id, code, name, unassigned, retired, dimension_id AS dimension FROM member WHERE dimension_id = ANY ($1) ORDER BY id',
			[ids]
		)
	).rows;
	const nodes = (
		await database.query<NodeDefinition & { dimension: number; hierarchy: string | null }>(
			`SELECT n.member_id AS member, n.parent_id AS parent, n.weight, n.dimension_id AS dimension, CASE WHEN h.main THEN NULL ELSE h.name END AS hierarchy
			FROM hierarchy h JOIN hierarchy_node n ON n.hierarchy_id = h.id
			WHERE h.dimension_id = ANY ($1)
			ORDER BY n.hierarchy_id, n.position`,
			[ids]
		)
	).rows;
	const attributes = (
		await database.query<{ id: number; dimension: number; name: string; type: AttributeDefinition['type'] }>(
			'SELECT id, dimension_id AS dimension, name, type FROM attribute WHERE dimension_id = ANY ($1) ORDER BY id',
			[ids]
		)
	).rows;
	const attributeValues = (
		await database.query<{ attribute: number; member: number; value: AttributeValue }>(
			'SELECT attribute_id AS attribute, member_id AS member, value FROM attribute_value WHERE attribute_id = ANY ($1)',
			[attributes.map(({ id }) => id)]
		)
	).rows;
	return dimensions.map((dimension) => {
		const own = nodes.filter((node) => node.dimension === dimension.id);
		const nodesOf = (name: string | null) =>
			own.filter(({ hierarchy }) => hierarchy === name).map(({ member, parent, weight }) => ({ member, parent, weight }));
		return {
			...dimension,
			members: members
				.filter((member) => member.dimension === dimension.id)
				.map(({ id, code, name, unassigned, retired }) => ({ id, code, name, unassigned, ...(retired && { retired }) })),
			nodes: nodesOf(null),
			alternates: [...new Set(own.map(({ hierarchy }) => hierarchy))]
				.filter((name) => name !== null)
				.map((name) => ({ name, nodes: nodesOf(name) })),
			attributes: attributes
				.filter((attribute) => attribute.dimension === dimension.id)
				.map(({ id, name, type }) => ({
					name,
					type,
					values: attributeValues.filter(({ attribute }) => attribute === id).map(({ member, value }) => ({ member, value }))
				}))
		};
	});
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
	const ids = dimensions.map(({ id }) => id);
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
		dimensions: await dimensionsOf(database, dimensions),
		periods: await list(
			'SELECT p.member_id AS member, p.level, p.start_date AS start, p.end_date AS end, p.fiscal_year AS "fiscalYear" FROM period p JOIN member m ON m.id = p.member_id WHERE m.dimension_id = ANY ($1)',
			[ids]
		),
		accounts: await list(
			`SELECT a.member_id AS member, a.kind, a.value_type AS "valueType", a.time_behaviour AS "timeBehaviour", a.consolidation, a.decimals, a.unit,
				a.weighed_by AS weight, a.frequency, a.rate_kind AS "rateKind", a.favourable, a.entries_adjust AS "entriesAdjust",
				a.watch_from AS "watchFrom", a.act_from AS "actFrom"
			FROM account a JOIN member m ON m.id = a.member_id WHERE m.dimension_id = ANY ($1)`,
			[ids]
		),
		entities: await list(
			'SELECT e.member_id AS member, e.currency FROM entity e JOIN member m ON m.id = e.member_id WHERE m.dimension_id = ANY ($1)',
			[ids]
		),
		balanceRoles: await list(
			'SELECT b.member_id AS member, b.role FROM balance_role b JOIN member m ON m.id = b.member_id WHERE m.dimension_id = ANY ($1)',
			[ids]
		),
		scenarios: await list(
			`SELECT s.member_id AS member, s.span_from AS "spanFrom", s.span_to AS "spanTo", s.entry_from AS "entryFrom", s.entry_to AS "entryTo",
				s.rate_set_id AS "rateSet",
				(SELECT json_agg(json_build_object('from', r.from_period, 'rateSet', r.rate_set_id) ORDER BY p.start_date)
					FROM scenario_rates r JOIN period p ON p.member_id = r.from_period WHERE r.member_id = s.member_id) AS "laterRates",
				s.continues_from AS "continuesFrom", s.compared_with AS "comparedWith"
			FROM scenario s JOIN member m ON m.id = s.member_id WHERE m.dimension_id = ANY ($1)`,
			[ids]
		),
		rateSets: await readRateSets(database),
		variables: await list('SELECT name, member_id AS member, number FROM variable WHERE model_id = $1 ORDER BY name', [modelId]),
		formulas: await list(
			'SELECT account_id AS account, timing, expression, scope, may_be_typed AS "mayBeTyped" FROM formula WHERE model_id = $1 ORDER BY id',
			[modelId]
		),
		origins: await readOrigins(database, modelId)
	};
}

/** Every rate set with its rates. */
export async function readRateSets(database: Database): Promise<RateSetDefinition[]> {
	const sets = await database.query<{ id: number; name: string; pivot: string }>('SELECT id, name, pivot FROM rate_set ORDER BY id');
	const rates = await database.query<RateDefinition & { set: number }>(
		'SELECT rate_set_id AS set, currency, kind, valid_from AS from, valid_to AS to, value FROM rate'
	);
	return sets.rows.map((set) => ({
		...set,
		rates: rates.rows
			.filter((rate) => rate.set === set.id)
			.map(({ currency, kind, from, to, value }) => ({ currency, kind, from, to, value }))
	}));
}

/** The origins of a model's figures; those of results know their place among the steps of their runbook. */
export async function readOrigins(database: Database, modelId: number): Promise<OriginDefinition[]> {
	const found = await database.query<OriginDefinition & { runbook: number | null; step: number | null; rank: number | null }>(
		`SELECT o.id, o.name, o.mode, o.runbook_id AS runbook, o.step_id AS step, s.position AS rank
		FROM origin o LEFT JOIN runbook_step s ON s.id = o.step_id WHERE o.model_id = $1 ORDER BY o.id`,
		[modelId]
	);
	return found.rows.map(({ id, name, mode, runbook, step, rank }) => ({
		id,
		name,
		mode,
		// A step that is gone stood above all that are there.
		...(step !== null && { result: { runbook, step, rank: rank ?? -1 } })
	}));
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
