// The model of route results: its dimensions, what was booked and counted, its forms, and the runbook that shares costs out.
import type pg from 'pg';
import type { AllocationLine, Basis, FormLayout, Selection, Step } from '../../src/lib/core';
import { createCellTable } from '../../src/lib/server/database/cells';
import { lockModel, postChangeSet } from '../../src/lib/server/database/change-set';
import type { SeriesChange } from '../../src/lib/server/database/series';
import { demoPeople } from '../people.mjs';
import { seededRandom } from '../random';
import {
	BERTHINGS,
	BY_CHANNEL,
	BY_CUSTOMER,
	CHANNELS,
	CUSTOMERS,
	NOT_SURVEYED,
	OBJECTS,
	RESULT_ITEMS,
	SURVEYED,
	SURVEYORS
} from '../route-result';
import { ROUTES } from '../structure';
import { insertId, type Dimensions, type Ids, type LoadedDimension } from './dimensions';
import { loadCostImports } from './route-result-costs';
import { loadAccounts, loadTree } from './structure';

export interface Made {
	items: LoadedDimension;
	objects: LoadedDimension;
	channels: LoadedDimension;
	customers: LoadedDimension;
	main: Dimensions;
	periods: LoadedDimension;
}

/** The months of the budget. */
const MONTHS = Array.from({ length: 12 }, (_, at) => `${at < 9 ? 2027 : 2028}-${String(((at + 3) % 12) + 1).padStart(2, '0')}`);
const YEAR = 2_028;

/** Makes the model of what routes, channels and customers cost. */
export async function loadRouteResult(
	client: pg.PoolClient,
	groupPlan: number,
	main: Dimensions,
	periods: LoadedDimension,
	people: Ids
): Promise<number> {
	const items = await loadTree(client, 'result-item', 'Result item', 'account', RESULT_ITEMS);
	await loadAccounts(client, RESULT_ITEMS, items, { route: main.route.id, period: periods.id });
	const objects = await loadTree(client, 'cost-object', 'Object', 'general', OBJECTS);
	const channels = await loadTree(client, 'sales-channel', 'Channel', 'general', CHANNELS);
	const customers = await loadTree(client, 'customer', 'Customer', 'general', CUSTOMERS);
	const made: Made = { items, objects, channels, customers, main, periods };
	const modelId = await insertId(
		client,
		"INSERT INTO model (code, name, reporting_currency) VALUES ('route-result', 'Route result', 'EUR') RETURNING id",
		[]
	);
	const addressed = [items, main.scenario, objects, main.route, channels, customers];
	await client.query(
		'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, d, o FROM unnest($2::integer[]) WITH ORDINALITY AS u (d, o)',
		[modelId, [items.id, periods.id, ...addressed.slice(1).map(({ id }) => id)]]
	);
	// Costs come in from lines that keep books in other currencies; here they are in EUR.
	await client.query("INSERT INTO model_currency (model_id, currency, position) VALUES ($1, 'EUR', 1), ($1, 'GBP', 2), ($1, 'NOK', 3)", [
		modelId
	]);
	await createCellTable(client, modelId, addressed);
	const origin = (mode: 'entry' | 'loads', name: string) =>
		insertId(client, 'INSERT INTO origin (model_id, mode, name) VALUES ($1, $2, $3) RETURNING id', [modelId, mode, name]);
	await origin('entry', 'Entry');
	await loadCostImports(client, { groupPlan, routeResult: modelId }, made);
	const counts = await origin('loads', 'Counts of the lines');
	await loadCounts(client, modelId, made, addressed, counts, people);
	await loadForms(client, modelId, made);
	await loadSharing(client, modelId, made);
	for (const { email, grants } of demoPeople)
		if (grants.some(({ name }) => name === 'Whole group'))
			await insertId(
				client,
				"INSERT INTO access_grant (model_id, person_id, name, level) VALUES ($1, $2, 'All of it', 'write') RETURNING id",
				[modelId, people.get(email)]
			);
	await loadSurveyors(client, modelId, objects, people);
	return modelId;
}

/** Those who say how many hours an activity took: each of their own. */
async function loadSurveyors(client: pg.PoolClient, modelId: number, objects: LoadedDimension, people: Ids): Promise<void> {
	for (const [email, { name, activities }] of Object.entries(SURVEYORS)) {
		const grant = await insertId(
			client,
			"INSERT INTO access_grant (model_id, person_id, name, level) VALUES ($1, $2, $3, 'write') RETURNING id",
			[modelId, people.get(email), name]
		);
		await client.query('INSERT INTO access_grant_member (grant_id, member_id) SELECT $1, unnest($2::integer[])', [
			grant,
			activities.map((code) => objects.ids.get(code))
		]);
	}
}

/** Amounts of the year at one address. */
function series(
	{ items, objects, channels, customers, main }: Made,
	origin: number,
	at: Record<string, string>,
	amount: (month: string) => number
): SeriesChange {
	const amounts = new Float64Array(12).fill(Number.NaN);
	MONTHS.forEach((month, place) => {
		const value = amount(month);
		if (value !== 0) amounts[place] = value;
	});
	return {
		origin,
		members: [
			items.ids.get(at.item!)!,
			main.scenario.ids.get('BUD28')!,
			objects.ids.get(at.object ?? 'NOOBJECT')!,
			main.route.ids.get(at.route ?? 'NOROUTE')!,
			channels.ids.get(at.channel ?? 'NOCHANNEL')!,
			customers.ids.get(at.customer ?? 'NOCUSTOMER')!
		],
		year: YEAR,
		amounts,
		before: new Float64Array(12).fill(Number.NaN)
	};
}

async function post(
	client: pg.PoolClient,
	modelId: number,
	addressed: LoadedDimension[],
	through: string,
	all: SeriesChange[],
	people: Ids
) {
	await lockModel(client, modelId);
	await postChangeSet(
		client,
		{
			modelId,
			person: people.get('osric.hale@brinewater.example')!,
			kind: 'load',
			through,
			cells: all.reduce((sum, { amounts }) => sum + amounts.filter((each) => !Number.isNaN(each)).length, 0)
		},
		addressed.map(({ id }) => id),
		all
	);
	await client.query("UPDATE change_set SET at = timestamptz '2026-11-10 09:20+01' WHERE model_id = $1", [modelId]);
}

/** Surveyed hours by activity; sailings, passengers and cars by route; bookings by route, channel and customer. */
async function loadCounts(
	client: pg.PoolClient,
	modelId: number,
	made: Made,
	addressed: LoadedDimension[],
	origin: number,
	people: Ids
): Promise<void> {
	const random = seededRandom(7_202);
	const around = (value: number) => Math.round(value * (0.92 + random() * 0.16));
	const all = SURVEYED.map(({ object, hours }) =>
		series(made, origin, { item: 'HRS', object }, (month) => (month === NOT_SURVEYED ? 0 : around(hours)))
	);
	all.push(series(made, origin, { item: 'CAP', object: 'A-BERTH' }, () => BERTHINGS));
	for (const { code, sailingsADay, seats } of ROUTES) {
		const passengers = sailingsADay * 30 * seats * 0.46;
		all.push(series(made, origin, { item: 'SAI', route: code }, () => around(sailingsADay * 30)));
		all.push(series(made, origin, { item: 'PAX', route: code }, () => around(passengers)));
		all.push(series(made, origin, { item: 'CAR', route: code }, () => around(passengers * 0.31)));
		for (const [channel, part] of Object.entries(BY_CHANNEL))
			for (const [customer, share] of Object.entries(BY_CUSTOMER[channel]!))
				all.push(series(made, origin, { item: 'BKG', route: code, channel, customer }, () => around(passengers * 0.4 * part * share)));
	}
	await post(client, modelId, addressed, 'Counts of the lines', all, people);
}

const codes = (dimension: LoadedDimension, ...named: string[]): [number, Selection] => [
	dimension.id,
	{ kind: 'these', members: named.map((code) => dimension.ids.get(code)!) }
];
const slice = (...parts: [number, Selection][]) => Object.fromEntries(parts);

async function loadForms(
	client: pg.PoolClient,
	modelId: number,
	{ items, objects, channels, customers, main, periods }: Made
): Promise<void> {
	const leaves = (dimension: LoadedDimension, code: string): Selection => ({ kind: 'leaves', of: dimension.ids.get(code)! });
	const selector = (dimension: LoadedDimension, selection: Selection, initial: string): FormLayout['selectors'][number] => ({
		dimension: dimension.id,
		selection,
		initial: dimension.ids.get(initial)!
	});
	const under = (dimension: LoadedDimension, code: string): Selection => ({ kind: 'under', of: dimension.ids.get(code)! });
	const these = (dimension: LoadedDimension, ...named: string[]): Selection => codes(dimension, ...named)[1];
	const pinned = (dimension: LoadedDimension, code: string) => ({ dimension: dimension.id, member: dimension.ids.get(code)! });
	const year = selector(periods, these(periods, 'FY2027', 'FY2028', 'FY2029'), 'FY2028');
	const scenario = selector(main.scenario, these(main.scenario, 'ACT', 'BUD28', 'STR'), 'BUD28');
	const asked = [year, selector(main.scenario, these(main.scenario, 'BUD28', 'STR'), 'BUD28')].map((each) => ({ ...each, asks: true }));
	const months: FormLayout['columns'] = [
		{ kind: 'cells', id: 0, parts: [{ dimension: periods.id, selection: { kind: 'leaves', of: 'chosen' } }] },
		{ kind: 'cells', id: 1, parts: [{ dimension: periods.id, selection: { kind: 'these', members: ['chosen'] } }] }
	];
	const forms: { code: string; name: string; folder: string; description: string; layout: Omit<FormLayout, 'version' | 'currencies'> }[] = [
		{
			code: 'hours-survey',
			name: 'Survey of hours',
			folder: 'Counts',
			description: 'How many hours each activity takes, filled in by those who run it. Costs of the crews follow them.',
			layout: {
				rows: [{ kind: 'cells', id: 0, parts: [{ dimension: objects.id, selection: leaves(objects, 'ACTIVITIES') }] }],
				columns: months,
				selectors: asked,
				pinned: [pinned(items, 'HRS'), pinned(main.route, 'NOROUTE'), pinned(channels, 'NOCHANNEL'), pinned(customers, 'NOCUSTOMER')]
			}
		},
		{
			code: 'cost-per-unit',
			name: 'Cost per unit',
			folder: 'Result',
			description: 'What one sailing, passenger, car or booking costs each activity, and what of the berths was not used.',
			layout: {
				rows: [
					...(['UCO', 'USE', 'NOT'] as const).map((code, id) => ({
						kind: 'cells' as const,
						id,
						parts: [
							{ dimension: items.id, selection: these(items, code) },
							{ dimension: objects.id, selection: code === 'NOT' ? these(objects, 'A-BERTH') : leaves(objects, 'ACTIVITIES') }
						]
					}))
				],
				columns: months,
				selectors: [year, scenario],
				pinned: [pinned(main.route, 'NOROUTE'), pinned(channels, 'NOCHANNEL'), pinned(customers, 'NOCUSTOMER')]
			}
		},
		{
			code: 'costs-by-stage',
			name: 'Costs by stage',
			folder: 'Result',
			description: 'What stands where it was booked, on resources and on activities, month by month.',
			layout: {
				rows: [
					...['BOOKED', 'RESOURCES', 'ACTIVITIES'].map((code, id) => ({
						kind: 'cells' as const,
						id,
						parts: [{ dimension: objects.id, selection: under(objects, code) }]
					}))
				],
				columns: months,
				selectors: [
					year,
					scenario,
					selector(items, under(items, 'COST'), 'COST'),
					selector(main.route, under(main.route, 'ALLROUTES'), 'ALLROUTES')
				],
				pinned: [pinned(channels, 'ALLCHANNELS'), pinned(customers, 'ALLCUSTOMERS')]
			}
		},
		{
			code: 'route-by-channel',
			name: 'Routes by channel',
			folder: 'Result',
			description: 'What each route costs by channel and customer, once costs are shared out.',
			layout: {
				rows: [{ kind: 'cells', id: 0, parts: [{ dimension: main.route.id, selection: under(main.route, 'ALLROUTES') }] }],
				columns: [{ kind: 'cells', id: 0, parts: [{ dimension: channels.id, selection: under(channels, 'ALLCHANNELS') }] }],
				selectors: [
					selector(periods, under(periods, 'FY2028'), 'FY2028'),
					scenario,
					selector(items, under(items, 'COST'), 'COST'),
					selector(objects, under(objects, 'ACTIVITIES'), 'ACTIVITIES'),
					selector(customers, under(customers, 'ALLCUSTOMERS'), 'ALLCUSTOMERS')
				],
				pinned: []
			}
		}
	];
	for (const { code, name, folder, description, layout } of forms)
		await client.query(
			`WITH made AS (
				INSERT INTO form (model_id, code, name, folder, description, instructions, layout) VALUES ($1, $2, $3, $4, $5, '', $6)
				RETURNING id, version, name, folder, description, instructions, roles, layout
			) INSERT INTO form_version (form_id, version, name, folder, description, instructions, roles, layout) SELECT * FROM made`,
			[modelId, code, name, folder, description, JSON.stringify({ version: 2, currencies: ['EUR'], ...layout } satisfies FormLayout)]
		);
}

/** The runbook that shares costs out: from bookings to resources, activities, routes, channels and customers. */
async function loadSharing(client: pg.PoolClient, modelId: number, made: Made): Promise<void> {
	const { items, objects, channels, customers, main, periods } = made;
	const object = (code: string) => objects.ids.get(code)!;
	const fixed = (shares: Record<string, number>): Basis => ({
		by: 'fixed',
		shares: Object.entries(shares).map(([code, share]) => ({ members: { [objects.id]: object(code) }, share }))
	});
	const by = (item: string, at: Record<number, number> = {}): Basis => ({ by: 'driver', drivers: [{ account: items.ids.get(item)!, at }] });
	const nowhere = { [objects.id]: object('NOOBJECT') };
	const pool = (code: string, ...more: [number, Selection][]) => slice(codes(items, 'COST'), codes(objects, code), ...more);
	const line = (name: string, from: AllocationLine['pool'], receivers: AllocationLine['receivers'], basis: Basis): AllocationLine => ({
		name,
		pool: from,
		receivers,
		basis,
		share: 100
	});
	const activities = codes(objects, 'ACTIVITIES');
	const routes = slice(codes(main.route, ...ROUTES.map(({ code }) => code)));
	const account = (code: string) => items.ids.get(code)!;
	/** What a unit costs is kept at the activity, and at the berths how much of them was not used. */
	const toRoutes = (code: string, name: string, item: string): AllocationLine => ({
		...wholly(code, name, item),
		keeps: { unitCost: account('UCO'), used: account('USE'), ...(code === 'A-BERTH' && { unused: account('NOT') }) },
		...(code === 'A-BERTH' && { capacity: { account: account('CAP'), at: { [main.route.id]: main.route.ids.get('NOROUTE')! } } })
	});
	const wholly = (code: string, name: string, item: string) =>
		line(
			name,
			pool(code, codes(main.route, 'NOROUTE')),
			routes,
			by(
				item,
				item === 'BKG'
					? { ...nowhere, [channels.id]: channels.ids.get('ALLCHANNELS')!, [customers.id]: customers.ids.get('ALLCUSTOMERS')! }
					: nowhere
			)
		);
	const [pair, stages] = ['Services to one another', 'Down to customers'];
	const steps: { name: string; description: string; group: string; together?: boolean; lines: AllocationLine[] }[] = [
		{
			name: 'Data centre',
			description: 'The fleet office runs on its machines, as the booking systems do.',
			group: pair,
			together: true,
			lines: [line('By machines', pool('B-DC'), slice(codes(objects, 'B-FO', 'R-SYS')), fixed({ 'B-FO': 15, 'R-SYS': 85 }))]
		},
		{
			name: 'Fleet office',
			description: 'It keeps the papers of ships and crews, and those of the data centre.',
			group: pair,
			together: true,
			lines: [
				line('By cases', pool('B-FO'), slice(codes(objects, 'B-DC', 'R-SHOP', 'R-CREW')), fixed({ 'B-DC': 10, 'R-SHOP': 60, 'R-CREW': 30 }))
			]
		},
		{
			name: 'Bookings to resources',
			description: 'Costs leave the place where they were booked for what they pay for.',
			group: stages,
			lines: [
				line('Group services', pool('B-GS'), slice(codes(objects, 'R-CREW', 'R-SYS')), fixed({ 'R-CREW': 70, 'R-SYS': 30 })),
				line('Harbours', pool('B-HB'), slice(codes(objects, 'R-BERTH')), { by: 'even' }),
				line('Fleet care', pool('B-FC'), slice(codes(objects, 'R-SHOP', 'R-CREW')), fixed({ 'R-SHOP': 80, 'R-CREW': 20 }))
			]
		},
		{
			name: 'Resources to activities',
			description: 'Crews by the hours of the survey, the others as agreed.',
			group: stages,
			lines: [
				line('Crew hours', pool('R-CREW'), slice(activities), by('HRS')),
				line('Berths', pool('R-BERTH'), slice(codes(objects, 'A-BERTH', 'A-CARS')), fixed({ 'A-BERTH': 3, 'A-CARS': 1 })),
				line('Workshop', pool('R-SHOP'), slice(codes(objects, 'A-SAIL', 'A-CLEAN')), fixed({ 'A-SAIL': 85, 'A-CLEAN': 15 })),
				line('Booking systems', pool('R-SYS'), slice(codes(objects, 'A-BOOK', 'A-BOARD')), fixed({ 'A-BOOK': 75, 'A-BOARD': 25 }))
			]
		},
		{
			name: 'Activities to routes',
			description: 'Each activity by what makes work of it.',
			group: stages,
			lines: [
				toRoutes('A-SAIL', 'Sailing', 'SAI'),
				toRoutes('A-CLEAN', 'Cleaning', 'SAI'),
				toRoutes('A-BERTH', 'Berthing', 'SAI'),
				toRoutes('A-BOARD', 'Boarding', 'PAX'),
				toRoutes('A-CARS', 'Loading cars', 'CAR'),
				toRoutes('A-BOOK', 'Booking', 'BKG')
			]
		},
		{
			name: 'Routes to channels and customers',
			description: 'By the bookings of each route.',
			group: stages,
			lines: [
				line(
					'By bookings',
					slice(
						codes(items, 'COST'),
						activities,
						codes(main.route, ...ROUTES.map(({ code }) => code)),
						codes(channels, 'NOCHANNEL'),
						codes(customers, 'NOCUSTOMER')
					),
					slice(codes(channels, 'WEB', 'AGENCY', 'PIER', 'FREIGHT'), codes(customers, 'ISLANDERS', 'VISITORS', 'COMMUTERS', 'SHIPPERS')),
					by('BKG', nowhere)
				)
			]
		}
	];
	const runbook = await insertId(
		client,
		'INSERT INTO runbook (model_id, name, description, parameters) VALUES ($1, $2, $3, $4) RETURNING id',
		[
			modelId,
			'Share costs to customers',
			'From where costs were booked, by way of resources and activities, to routes, channels and customers.',
			'[]'
		]
	);
	const settings = { basis: null, contra: 'same account', noDriver: 'stranded', negative: 'refuse', currency: null };
	const preset = await insertId(client, 'INSERT INTO allocation_preset (model_id, name, settings) VALUES ($1, $2, $3) RETURNING id', [
		modelId,
		'House settings',
		JSON.stringify(settings)
	]);
	const limits = slice(codes(main.scenario, 'BUD28'), codes(periods, 'FY2028'));
	for (const [position, { name, description, group, together, lines }] of steps.entries()) {
		const definition: Omit<Extract<Step, { kind: 'allocation' }>, 'id' | 'name' | 'description' | 'active' | 'limits' | 'kind'> = {
			group,
			...(together ? { together } : { preset: { id: preset, own: [] } }),
			lines,
			contra: 'same account',
			noDriver: 'stranded',
			negative: 'refuse',
			currency: null
		};
		await client.query(
			"INSERT INTO runbook_step (runbook_id, position, kind, name, description, active, limits, definition) VALUES ($1, $2, 'allocation', $3, $4, true, $5, $6)",
			[runbook, position, name, description, JSON.stringify(limits), JSON.stringify(definition)]
		);
	}
}
