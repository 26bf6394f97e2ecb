// How costs get into the model of route results: two imports, from the group plan and from the ledger, and what they loaded.
import type pg from 'pg';
import { Model } from '../../src/lib/core';
import { readAccessRules } from '../../src/lib/server/access/rules';
import { pool } from '../../src/lib/server/database';
import { readModelDefinition } from '../../src/lib/server/database/definitions';
import { sourceSchema } from '../../src/lib/server/definition/source-schema';
import type { LeafCellsAnswer } from '../../src/lib/server/engine/requests/leaf-cells';
import { readRules, readStoredImport } from '../../src/lib/server/import/recipe';
import { LEDGER_HEADINGS, postingRows } from '../../src/lib/server/import/sources/ledger';
import { leafRows } from '../../src/lib/server/import/sources/model-rows';
import { beginFile, completeFile, keepBytes, keptFile } from '../../src/lib/server/import/file/keep';
import { loadKept } from '../../src/lib/server/import/work/load';
import { personById } from '../../src/lib/server/session';
import { ledgerPage, type Posting } from '../../src/lib/server/simulated/ledger';
import { figures } from '../figures';
import { monthFacts } from '../months';
import { FETCHED_MONTHS, ITEM_OF_ACCOUNT, ITEM_OF_POSTING, OBJECT_OF_BOOKING, OBJECT_OF_POSTING, SHARED_OUT } from '../route-result';
import { insertId, type LoadedDimension } from './dimensions';
import type { Made } from './route-result';
import { addImport, addMap, addRule, patterns } from './recipes';

const FROM_PLAN = 'group-plan';
const FROM_LEDGER = 'ledger-costs';

/** The two imports, before anything was loaded through them. */
export async function loadCostImports(
	client: pg.PoolClient,
	{ groupPlan, routeResult }: { groupPlan: number; routeResult: number },
	receiving: Made
): Promise<void> {
	const { items, objects, channels, customers, main, periods } = receiving;
	const written = { delimiter: ',', encoding: 'utf-8', amountColumns: ['Amount'], decimal: '.', group: '', currencyColumn: 'Currency' };
	const made = async (code: string, name: string, description: string, source: object) => {
		const origin = await insertId(client, "INSERT INTO origin (model_id, mode, name) VALUES ($1, 'loads', $2) RETURNING id", [
			routeResult,
			name
		]);
		const id = await addImport(client, { modelId: routeResult, origin, code, name, description, source: { ...written, ...source } });
		// Nothing of where it will go is known yet: that is what sharing out is for.
		for (const [dimension, nowhere] of [
			[main.route, 'NOROUTE'],
			[channels, 'NOCHANNEL'],
			[customers, 'NOCUSTOMER']
		] as const)
			await addRule(client, id, dimension, { member: dimension.ids.get(nowhere)! });
		return id;
	};
	const ids = (dimension: LoadedDimension, ...codes: string[]) => codes.map((code) => dimension.ids.get(code)!);

	const plan = await made(
		FROM_PLAN,
		'Costs of the group plan',
		'What the budget of all lines holds for harbours, fleet care and administration, in EUR. Fetch it again when the plan has moved.',
		{
			place: {
				kind: 'model',
				model: groupPlan,
				slice: {
					[main.account.id]: ids(main.account, ...SHARED_OUT),
					[main.scenario.id]: ids(main.scenario, 'BUD28'),
					[main.version.id]: ids(main.version, 'WORK'),
					[periods.id]: ids(periods, 'FY2028')
				}
			}
		}
	);
	await addRule(client, plan, items, {
		columns: ['Account'],
		map: await addMap(client, 'Accounts of the plan to items', items, patterns({ ...ITEM_OF_ACCOUNT, '*': 'SVC' }))
	});
	await addRule(client, plan, objects, {
		columns: ['Account', 'Department'],
		separator: '/',
		map: await addMap(client, 'Bookings of the plan to objects', objects, patterns(OBJECT_OF_BOOKING))
	});
	await addRule(client, plan, main.scenario, {
		columns: ['Scenario'],
		map: await addMap(client, 'Scenarios of the plan', main.scenario, patterns({ BUD28: 'BUD28' }))
	});
	await addRule(client, plan, periods, { columns: ['Period'], format: 'YYYY-MM-DD' });

	const ledger = await made(
		FROM_LEDGER,
		'Costs of the ledger',
		'The same costs as they were booked, by month, in EUR. What crews, fuel and sales are is left out.',
		{ place: { kind: 'ledger', company: '', from: FETCHED_MONTHS[0], to: FETCHED_MONTHS[1] } }
	);
	await addRule(client, ledger, items, {
		columns: ['Account'],
		label: 'Text',
		map: await addMap(client, 'Ledger accounts to items', items, patterns(ITEM_OF_POSTING))
	});
	await addRule(client, ledger, objects, {
		columns: ['Account', 'Unit'],
		separator: '/',
		map: await addMap(client, 'Postings to objects', objects, patterns(OBJECT_OF_POSTING))
	});
	await addRule(client, ledger, main.scenario, { member: main.scenario.ids.get('ACT')! });
	await addRule(client, ledger, periods, { columns: ['Posting date'], format: 'YYYY-MM-DD' });
}

/**
 * Loads what the imports' sources hold, as a person would who fetches and loads them: the files are kept, so that a
 * figure is followed down to its rows. Everything else of the demo is committed before.
 */
export async function fetchCosts(groupPlan: number, routeResult: number, person: number): Promise<void> {
	const group = new Model((await readModelDefinition(pool(), groupPlan))!);
	await fetchOne(routeResult, FROM_PLAN, person, leafRows(group, plannedCosts(group)));
	await fetchOne(routeResult, FROM_LEDGER, person, [
		Buffer.from(`${LEDGER_HEADINGS.join(',')}\n`),
		postingRows([...postings(FETCHED_MONTHS[0], FETCHED_MONTHS[1])])
	]);
	// As if it had happened in the weeks before the demo's today.
	await pool().query(
		"UPDATE batch SET at = timestamptz '2026-11-10 09:40+01' WHERE import_id IN (SELECT id FROM import WHERE model_id = $1)",
		[routeResult]
	);
	await pool().query("UPDATE change_set SET at = timestamptz '2026-11-10 09:40+01' WHERE model_id = $1 AND at > '2026-11-10 09:40+01'", [
		routeResult
	]);
}

async function fetchOne(modelId: number, code: string, person: number, bytes: Iterable<Buffer>): Promise<void> {
	const stored = await readStoredImport(pool(), modelId, code);
	const id = await beginFile(modelId, stored.id, person, `${code}.csv`);
	await keepBytes(id, asStream(bytes));
	await completeFile(id);
	const file = await keptFile(modelId, id);
	const rules = await readRules(pool(), modelId, stored.id);
	const made = await pool().query<{ id: number }>(
		`INSERT INTO batch (import_id, person_id, file_id, file_name, file_hash, state, way, recipe, rows_read, rows_loaded, rows_skipped, rows_rejected,
			amount_read, amount_loaded, amount_rejected, extent)
		VALUES ($1, $2, $3, $4, $5, 'running', 'replace', $6, 0, 0, 0, 0, 0, 0, 0, 'nothing') RETURNING id`,
		[stored.id, person, id, file.name, Buffer.from(file.hash, 'hex'), JSON.stringify({ source: stored.source, rules })]
	);
	await loadKept(
		{
			modelId,
			batchId: made.rows[0]!.id,
			person,
			acting: null,
			import: { id: stored.id, origin: stored.origin, name: stored.name },
			file,
			source: sourceSchema.parse(stored.source),
			rules,
			corrections: [],
			chosen: {},
			access: { rules: { ...(await readAccessRules(await personById(person, modelId), modelId)), mayEnter: true }, locks: [] },
			way: 'replace',
			rejects: 'stop'
		},
		() => {}
	);
}

async function* asStream(bytes: Iterable<Buffer>): AsyncGenerator<Buffer> {
	yield* bytes;
}

/** The costs of the group plan in the order in which its engine hands them out, so that fetching them again finds nothing new. */
function plannedCosts(group: Model): LeafCellsAnswer {
	const accounts = group.dimensions[group.accountAxis]!;
	const shared = new Set(SHARED_OUT.flatMap((code) => [...accounts.leavesOf(ordinalOf(accounts, code))]));
	const [scenario, version] = ['BUD28', 'WORK'];
	const cells = figures().flatMap((figure) => {
		if (!shared.has(ordinalOf(accounts, figure.account))) return [];
		const { account, entity: line, department, route } = figure;
		const codes: Record<string, string> = { account, line, department, route, scenario, version };
		const address = group.dimensions.map((dimension) => ordinalOf(dimension, codes[dimension.code]!));
		return group.periods.leaves
			.filter(({ fiscalYear }) => fiscalYear === 2_028)
			.map(({ index, start }) => ({ address, leaf: index, amount: figure.amount(monthFacts(start.slice(0, 7), scenario, version)) }));
	});
	cells.sort((one, other) => {
		const axis = one.address.findIndex((ordinal, at) => ordinal !== other.address[at]);
		return axis < 0 ? one.leaf - other.leaf : one.address[axis]! - other.address[axis]!;
	});
	return {
		members: group.dimensions.map((dimension, axis) => Int32Array.from(cells, ({ address }) => dimension.member(address[axis]!).id)),
		periods: Int32Array.from(cells, ({ leaf }) => leaf),
		amounts: Float64Array.from(cells, ({ amount }) => amount)
	};
}

const ordinalOf = (dimension: Model['dimensions'][number], code: string): number =>
	dimension.members.findIndex((member) => member.code === code);

function* postings(from: string, to: string): Generator<Posting> {
	for (let page: string | null = '0'; page !== null;) {
		const { postings: found, next } = ledgerPage('', from, to, Number(page));
		yield* found;
		page = next;
	}
}
