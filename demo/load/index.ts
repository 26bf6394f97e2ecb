// Loads the demo into an empty, migrated database.
import type pg from 'pg';
import { createCellTable } from '../../src/lib/server/database/cells';
import { transaction } from '../../src/lib/server/database/pool';
import { DEPARTMENTS, ACCOUNTS, ENTITIES, ROUTE_TREE, SCENARIOS, VERSIONS } from '../structure';
import { loadAccess } from './access';
import { loadBalances } from './balances';
import { loadBranches } from './branches';
import { loadCrew } from './crew';
import { insertId } from './dimensions';
import { loadOwners, loadRound } from './cycle';
import { loadFigures, loadOrigins } from './figures';
import { loadForms } from './forms';
import { loadGroups } from './groups';
import { loadInsight } from './insight';
import { loadImports } from './imports';
import { loadNotes } from './notes';
import { loadPeople } from './people';
import { loadRouteResult } from './route-result';
import { fetchCosts } from './route-result-costs';
import { loadRunbooks } from './runbooks';
import { loadCurrencies, loadFacts, loadFormulas, loadLiveFormulas, loadPeriods, loadTree } from './structure';

/**
 * Writes people, structure, figures, imports, forms, grants and locks, and loads what comes by import. DATABASE_URL names
 * the same database.
 * @returns how many cells and people there are
 */
export async function loadDemo(database: pg.Pool): Promise<{ cells: number; people: number }> {
	const made = await transaction(async (client) => {
		const people = await loadPeople(client);
		const periods = await loadPeriods(client);
		const entities = await loadTree(client, 'line', 'Line', 'entity', ENTITIES);
		const dimensions = {
			account: await loadTree(client, 'account', 'Account', 'account', ACCOUNTS),
			scenario: await loadTree(
				client,
				'scenario',
				'Scenario',
				'scenario',
				SCENARIOS.map(({ code, name }) => ({ code, name }))
			),
			entity: entities,
			department: await loadTree(client, 'department', 'Department', 'general', DEPARTMENTS),
			route: await loadTree(client, 'route', 'Route', 'general', ROUTE_TREE),
			version: await loadTree(client, 'version', 'Version', 'general', VERSIONS)
		};
		await loadCurrencies(client);
		await loadFacts(client, dimensions, periods);
		const modelId = await insertId(
			client,
			"INSERT INTO model (code, name, reporting_currency) VALUES ('group', 'Group plan', 'EUR') RETURNING id",
			[]
		);
		const ordered = [
			dimensions.account,
			dimensions.scenario,
			dimensions.entity,
			dimensions.department,
			dimensions.route,
			dimensions.version
		];
		await client.query(
			'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, d, o FROM unnest($2::integer[]) WITH ORDINALITY AS u (d, o)',
			[modelId, [ordered[0]!.id, periods.id, ...ordered.slice(1).map(({ id }) => id)]]
		);
		await client.query("INSERT INTO model_currency (model_id, currency, position) VALUES ($1, 'EUR', 1), ($1, 'GBP', 2), ($1, 'NOK', 3)", [
			modelId
		]);
		await loadFormulas(client, modelId, dimensions.account.ids);
		await createCellTable(
			client,
			modelId,
			ordered.map(({ id, code }) => ({ id, code }))
		);
		const origins = await loadOrigins(client, modelId);
		await loadImports(client, modelId, dimensions, periods, origins);
		const cells = await loadFigures(client, modelId, ordered, dimensions, periods.ids, origins, people);
		await loadLiveFormulas(client, modelId, ACCOUNTS, dimensions, periods);
		await loadForms(client, modelId, dimensions, periods);
		await loadRunbooks(client, modelId, dimensions, periods);
		await loadAccess(client, modelId, dimensions, periods, people);
		const posts = await loadCrew(client, modelId, dimensions, periods, people);
		await loadGroups(client, people, { model: posts, lines: entities });
		await loadBalances(client, dimensions, periods, people);
		const routeResult = await loadRouteResult(client, modelId, dimensions, periods, people);
		await loadNotes(client, modelId, dimensions, periods, people);
		await client.query("INSERT INTO setting (key, value) VALUES ('demo', 'Brinewater Crossings')");
		await loadOwners(client, entities.ids, people);
		return {
			cells,
			people,
			groupPlan: modelId,
			routeResult,
			all: dimensions,
			dimensions: { entity: entities, department: dimensions.department, scenario: dimensions.scenario, periods }
		};
	}, database);
	await fetchCosts(made.groupPlan, made.routeResult, made.people.get('osric.hale@brinewater.example')!);
	await loadRound(database, made.groupPlan, made.people, made.dimensions);
	await loadBranches(database, made.groupPlan, made.people);
	await loadInsight(database, { model: made.groupPlan, people: made.people, dimensions: made.all, periods: made.dimensions.periods });
	return { cells: made.cells, people: made.people.size };
}
