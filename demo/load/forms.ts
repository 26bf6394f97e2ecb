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
	const forms: {
		code: string;
		name: string;
		description: string;
		layout: Omit<FormLayout, 'version' | 'columns' | 'currencies'> & Partial<Pick<FormLayout, 'columns'>>;
	}[] = [
		{
			code: 'route-contribution',
			name: 'Route contribution',
			description: 'Loads and running costs of your routes, down to the contribution.',
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
				rows: [under('BS')],
				selectors: [shared.line, shared.scenario, shared.version, shared.year],
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
	for (const form of forms)
		await client.query("INSERT INTO form (model_id, code, name, folder, description, layout) VALUES ($1, $2, $3, 'Planning', $4, $5)", [
			modelId,
			form.code,
			form.name,
			form.description,
			JSON.stringify({ version: 2, columns: months, currencies: ['EUR', 'local'], ...form.layout } satisfies FormLayout)
		]);
}
