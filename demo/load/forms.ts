// The forms planners fill in.
import type pg from 'pg';
import type { FormLayout } from '../../src/lib/core';
import { CALENDAR, SCENARIOS } from '../structure';
import type { Dimensions, LoadedDimension } from './dimensions';

export async function loadForms(client: pg.PoolClient, modelId: number, dimensions: Dimensions, periods: LoadedDimension): Promise<void> {
	const account = (code: string) => dimensions.account.ids.get(code)!;
	const selector = (dimension: LoadedDimension, roots: string[], initial: string): FormLayout['selectors'][number] => ({
		dimension: dimension.id,
		selection:
			roots.length === 1
				? { kind: 'under', of: dimension.ids.get(roots[0]!)! }
				: { kind: 'these', members: roots.map((code) => dimension.ids.get(code)!) },
		initial: dimension.ids.get(initial)!
	});
	const shared = {
		line: selector(dimensions.entity, ['GROUP'], 'SKE'),
		route: selector(dimensions.route, ['ALLROUTES'], 'ALLROUTES'),
		department: selector(dimensions.department, ['ALLDEP'], 'ALLDEP'),
		scenario: selector(
			dimensions.scenario,
			SCENARIOS.map(({ code }) => code),
			'BUD28'
		),
		version: selector(dimensions.version, ['WORK', 'FINAL'], 'WORK'),
		year: selector(
			periods,
			[0, 1, 2, 3, 4].map((offset) => `FY${CALENDAR.firstYear + offset}`),
			'FY2028'
		)
	};
	const months: FormLayout['columns'] = [
		{ kind: 'cells', id: 0, parts: [{ dimension: periods.id, selection: { kind: 'leaves', of: 'chosen' } }] },
		{ kind: 'cells', id: 1, parts: [{ dimension: periods.id, selection: { kind: 'these', members: ['chosen'] } }] }
	];
	let blocks = 0;
	const under = (code: string): FormLayout['rows'][number] => ({
		kind: 'cells',
		id: blocks++,
		parts: [{ dimension: dimensions.account.id, selection: { kind: 'under', of: account(code) } }]
	});
	const these = (...codes: string[]): FormLayout['rows'][number] => ({
		kind: 'cells',
		id: blocks++,
		parts: [{ dimension: dimensions.account.id, selection: { kind: 'these', members: codes.map(account) } }]
	});
	const read = (code: string) => ({ kind: 'account' as const, member: account(code) });
	const forms: {
		code: string;
		name: string;
		description: string;
		instructions?: string;
		folder?: string;
		layout: Omit<FormLayout, 'version' | 'columns' | 'currencies'> & Partial<Pick<FormLayout, 'columns'>>;
	}[] = [
		{
			code: 'route-contribution',
			name: 'Route contribution',
			description: 'Loads and running costs of your routes, down to the contribution.',
			instructions: `**What to plan here**

1. Passengers, cars and freight of each route, month by month.
2. Voyage costs follow from them; type them where a contract says something else.
3. Harbour dues are settled centrally and closed.

A total may be typed too: it is spread over the routes beneath in proportion.`,
			layout: {
				rows: [under('OC'), these('MARGIN', 'LOAD', 'PERSAIL', 'PERPAX', 'FUELPRICE'), these('S10', 'S20', 'S30', 'S40', 'S50', 'S60')],
				selectors: [shared.line, shared.route, shared.department, shared.scenario, shared.version, shared.year],
				pinned: []
			}
		},
		{
			code: 'crew-and-terminal-pay',
			name: 'Crew and terminal pay',
			description: 'What people at sea and in the terminals cost, with headcount.',
			layout: {
				rows: [under('CREW'), these('S70')],
				selectors: [shared.line, shared.route, shared.department, shared.scenario, shared.version, shared.year],
				pinned: []
			}
		},
		{
			code: 'net-assets',
			name: 'Net assets',
			description: 'Month-end balances of a line.',
			layout: {
				rows: [under('BS'), these('1011', '1012', '1013')],
				selectors: [shared.line, shared.scenario, shared.version, shared.year],
				checks: [
					{ label: 'Debt stays below assets', left: read('DEBT'), compare: '<=', right: read('ASSETS'), bars: true },
					{ label: 'Cash stays above nothing', left: read('1030'), compare: '>=', right: { kind: 'number', value: 0 }, bars: false }
				],
				pinned: [
					{ dimension: dimensions.department.id, member: dimensions.department.ids.get('NODEP')! },
					{ dimension: dimensions.route.id, member: dimensions.route.ids.get('NOROUTE')! }
				]
			}
		}
	];
	const inYear = (id: number, year: string, scenario: string): FormLayout['columns'][number] => ({
		kind: 'cells',
		id,
		parts: [
			{ dimension: periods.id, selection: { kind: 'these', members: [periods.ids.get(year)!] } },
			{ dimension: dimensions.scenario.id, selection: { kind: 'these', members: [dimensions.scenario.ids.get(scenario)!] } }
		]
	});
	forms.push(
		{
			code: 'budget-against-outlook',
			name: 'Budget against outlook',
			description: 'Next year’s budget beside this year’s outlook, with what is better and what is worse.',
			layout: {
				rows: [under('OC'), these('MARGIN', 'LOAD', 'PERSAIL', 'PERPAX')],
				columns: [
					inYear(0, 'FY2028', 'BUD28'),
					inYear(1, 'FY2027', 'OUT27'),
					{ kind: 'derived', id: 2, label: 'Difference', derivation: { how: 'difference', of: 0, base: 1 } },
					{ kind: 'derived', id: 3, label: 'in %', derivation: { how: '% difference', of: 0, base: 1 } }
				],
				selectors: [shared.line, shared.route, shared.department, shared.version],
				pinned: []
			}
		},
		{
			code: 'contribution-to-date',
			name: 'Contribution to date',
			description: 'The contribution run up since the year began, month by month.',
			layout: {
				rows: [under('OC'), these('MARGIN', 'LOAD')],
				columns: [
					{ kind: 'cells', id: 0, parts: [{ dimension: periods.id, selection: { kind: 'leaves', of: 'chosen' } }], toDate: 'year' }
				],
				selectors: [shared.line, shared.route, shared.department, shared.scenario, shared.version, shared.year],
				pinned: []
			}
		}
	);
	const scenarioYear = (id: number, heading: string, scenario: string, year: string, more: object = {}): FormLayout['columns'][number] => ({
		...(inYear(id, year, scenario) as Extract<FormLayout['columns'][number], { kind: 'cells' }>),
		called: heading,
		...more
	});
	const facts = ['W10', 'W20', 'W30', 'W40', 'W50', 'W60'];
	forms.push(
		{
			code: 'fleet-care',
			name: 'Fleet care',
			folder: 'Vessels',
			description: 'Repairs and docking month by month, beside the outlook, with lines of your own.',
			layout: {
				rows: [
					{
						...(under('CARE') as Extract<FormLayout['rows'][number], { kind: 'cells' }>),
						guidance: { [account('6420')]: 'as agreed with the yard' }
					}
				],
				columns: [
					{
						kind: 'cells',
						id: 0,
						parts: [
							{ dimension: dimensions.scenario.id, selection: { kind: 'these', members: [dimensions.scenario.ids.get('BUD28')!] } },
							{ dimension: periods.id, selection: { kind: 'leaves', of: periods.ids.get('FY2028')! } }
						]
					},
					scenarioYear(1, 'FY2028', 'BUD28', 'FY2028'),
					scenarioYear(2, 'Outlook FY2027', 'OUT27', 'FY2027', { readOnly: true }),
					{
						kind: 'derived',
						id: 3,
						label: 'in %',
						derivation: { how: '% difference', of: 1, base: 2 },
						emphasis: [{ when: 'above', value: 0.1, look: 'strong' }]
					}
				],
				selectors: [shared.line, shared.route, shared.department, shared.version],
				methods: true,
				ownLines: { dimension: dimensions.account.id, parent: account('CARE') },
				pinned: []
			}
		},
		{
			code: 'dry-docking',
			name: 'Dry docking',
			folder: 'Vessels',
			description: 'Which vessel docks when and for what, and whose vessel stands in.',
			layout: {
				rows: [
					{
						kind: 'cells',
						id: 0,
						parts: [{ dimension: dimensions.route.id, selection: { kind: 'leaves', of: dimensions.route.ids.get('ALLROUTES')! } }]
					}
				],
				columns: facts.map((code, id) => ({
					kind: 'cells' as const,
					id,
					width: code === 'W60' ? 220 : code === 'W10' ? 150 : 110,
					parts: [{ dimension: dimensions.account.id, selection: { kind: 'these' as const, members: [account(code)] } }]
				})),
				selectors: [selector(dimensions.entity, ['GROUP'], 'SKE'), shared.scenario, shared.version, shared.year],
				pinned: [{ dimension: dimensions.department.id, member: dimensions.department.ids.get('FC')! }]
			}
		}
	);
	forms.push({
		code: 'bonuses',
		name: 'Bonuses',
		description: 'In which month each line pays its bonus, and what part of a month’s basic pay it is.',
		layout: {
			rows: [
				{
					kind: 'cells',
					id: 0,
					parts: [{ dimension: dimensions.entity.id, selection: { kind: 'leaves', of: dimensions.entity.ids.get('GROUP')! } }]
				}
			],
			columns: ['B10', 'B20'].map((code, id) => ({
				kind: 'cells' as const,
				id,
				width: 150,
				parts: [{ dimension: dimensions.account.id, selection: { kind: 'these' as const, members: [account(code)] } }]
			})),
			selectors: [shared.scenario, shared.version, shared.year],
			pinned: [
				{ dimension: dimensions.department.id, member: dimensions.department.ids.get('NODEP')! },
				{ dimension: dimensions.route.id, member: dimensions.route.ids.get('NOROUTE')! }
			]
		}
	});
	for (const form of forms)
		await client.query(
			`WITH made AS (
				INSERT INTO form (model_id, code, name, folder, description, instructions, layout) VALUES ($1, $2, $3, $4, $5, $6, $7)
				RETURNING id, version, name, folder, description, instructions, roles, layout
			) INSERT INTO form_version (form_id, version, name, folder, description, instructions, roles, layout) SELECT * FROM made`,
			[
				modelId,
				form.code,
				form.name,
				form.folder ?? 'Planning',
				form.description,
				form.instructions ?? '',
				JSON.stringify({ version: 2, columns: months, currencies: ['EUR', 'local'], ...form.layout } satisfies FormLayout)
			]
		);
}
