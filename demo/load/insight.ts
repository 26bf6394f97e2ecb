// Boards people look at in the morning, and views somebody kept.
import type pg from 'pg';
import { askedLayout, selectorOf, type BoardContent, type FormLayout, type Selection, type Tile, type ViewAxis } from '../../src/lib/core';
import { transaction } from '../../src/lib/server/database';
import { boardContentSchema } from '../../src/lib/server/insight/board-schema';
import type { Dimensions, LoadedDimension } from './dimensions';

export interface InsightOf {
	model: number;
	people: Map<string, number>;
	dimensions: Dimensions;
	periods: LoadedDimension;
}

type NewTile = Tile extends infer Each ? (Each extends Tile ? Omit<Each, 'id'> : never) : never;

export async function loadInsight(database: pg.Pool, { model, people, dimensions, periods }: InsightOf): Promise<void> {
	const id = (dimension: LoadedDimension, code: string) => dimension.ids.get(code)!;
	const account = (code: string) => id(dimensions.account, code);
	const these = (...members: number[]): Selection => ({ kind: 'these', members });
	const months: Selection = { kind: 'leaves', of: 'chosen' };
	const ACCOUNT = dimensions.account.id;
	const person = (name: string) => people.get(`${name}@brinewater.example`)!;

	const figure = (title: string, code: string): NewTile => ({
		kind: 'figure',
		title,
		width: 3,
		height: 2,
		source: { rows: { dimension: ACCOUNT, selection: these(account(code)) }, at: {}, compare: true }
	});
	const board = (tabs: { name: string; tiles: NewTile[] }[], more: Omit<BoardContent, 'version' | 'tabs'>): BoardContent => {
		let tile = 0;
		return boardContentSchema.parse({
			version: 1,
			...more,
			tabs: tabs.map(({ name, tiles }) => ({ name, tiles: tiles.map((each) => ({ ...each, id: ++tile })) }))
		});
	};
	const chosen = (line: string) => [
		{ dimension: dimensions.entity.id, initial: id(dimensions.entity, line) },
		{ dimension: dimensions.scenario.id, initial: id(dimensions.scenario, 'BUD28') },
		{ dimension: periods.id, initial: id(periods, 'FY2028') }
	];
	const group = board(
		[
			{
				name: 'Result',
				tiles: [
					figure('Operating contribution', 'OC'),
					figure('Contribution margin', 'MARGIN'),
					figure('Load factor', 'LOAD'),
					figure('Voyage cost a sailing', 'PERSAIL'),
					{
						kind: 'chart',
						chart: 'column',
						title: 'Operating contribution by month',
						width: 7,
						height: 4,
						source: {
							rows: { dimension: ACCOUNT, selection: these(account('OC')) },
							columns: { dimension: periods.id, selection: months },
							at: {},
							compare: true
						}
					},
					{
						kind: 'chart',
						chart: 'bullet',
						title: 'Operating contribution by route, the mark is what it is held against',
						width: 5,
						height: 4,
						source: {
							rows: { dimension: dimensions.route.id, selection: { kind: 'leaves', of: id(dimensions.route, 'ALLROUTES') } },
							at: { [ACCOUNT]: account('OC') },
							compare: true
						}
					},
					{ kind: 'waterfall', title: 'What leads there', width: 7, height: 4, account: account('OC'), by: ACCOUNT, at: {} },
					{ kind: 'progress', title: 'Planning', width: 5, height: 2 },
					{ kind: 'out of date', title: 'Runs out of date', width: 5, height: 2 }
				]
			},
			{
				name: 'Fuel and load',
				tiles: [
					figure('Fuel price a litre', 'FUELPRICE'),
					figure('Fuel', '6010'),
					figure('Sailings', 'S10'),
					figure('Revenue a passenger', 'PERPAX'),
					{
						kind: 'chart',
						chart: 'combined',
						title: 'Fuel and litres',
						width: 6,
						height: 4,
						source: {
							rows: { dimension: ACCOUNT, selection: these(account('6010'), account('S60')) },
							columns: { dimension: periods.id, selection: months },
							at: {},
							compare: false
						}
					},
					{
						kind: 'chart',
						chart: 'line',
						title: 'Load factor by month',
						width: 6,
						height: 4,
						source: {
							rows: { dimension: ACCOUNT, selection: these(account('LOAD')) },
							columns: { dimension: periods.id, selection: months },
							at: {},
							compare: true
						}
					},
					{
						kind: 'chart',
						chart: 'heat map',
						title: 'Passengers, route by month',
						width: 7,
						height: 4,
						source: {
							rows: { dimension: dimensions.route.id, selection: { kind: 'leaves', of: id(dimensions.route, 'ALLROUTES') } },
							columns: { dimension: periods.id, selection: months },
							at: { [ACCOUNT]: account('S30') },
							compare: false
						}
					},
					{
						kind: 'table',
						title: 'Voyage costs by line',
						width: 5,
						height: 4,
						source: {
							rows: { dimension: ACCOUNT, selection: { kind: 'under', of: account('VOYAGE') } },
							columns: { dimension: dimensions.entity.id, selection: { kind: 'children', of: id(dimensions.entity, 'GROUP') } },
							at: {},
							compare: false
						}
					}
				]
			}
		],
		{ selectors: chosen('GROUP'), against: { scenario: id(dimensions.scenario, 'OUT27') }, currencies: ['EUR', 'local'], scale: 1_000 }
	);
	const skerry = board(
		[
			{
				name: 'Plan',
				tiles: [
					figure('Operating contribution', 'OC'),
					figure('Contribution margin', 'MARGIN'),
					figure('Voyage cost a sailing', 'PERSAIL'),
					figure('Load factor', 'LOAD'),
					{ kind: 'form', title: 'Route contribution', width: 8, height: 5, code: 'route-contribution' },
					{ kind: 'waterfall', title: 'What leads there', width: 4, height: 5, account: account('OC'), by: ACCOUNT, at: {} },
					{
						kind: 'chart',
						chart: 'bar',
						title: 'Contribution by route',
						width: 6,
						height: 4,
						source: {
							rows: { dimension: dimensions.route.id, selection: { kind: 'leaves', of: id(dimensions.route, 'ALLROUTES') } },
							at: { [ACCOUNT]: account('OC') },
							compare: false
						}
					},
					{ kind: 'progress', title: 'Planning', width: 6, height: 2 },
					{
						kind: 'note',
						title: 'Note',
						width: 6,
						height: 2,
						text: 'Winter timetable agreed: **two sailings fewer a week** on the northern routes, none elsewhere.'
					}
				]
			}
		],
		{
			selectors: [...chosen('SKE'), { dimension: dimensions.route.id, initial: id(dimensions.route, 'ALLROUTES') }],
			against: { scenario: id(dimensions.scenario, 'OUT27') },
			currencies: ['EUR', 'local'],
			scale: 1_000
		}
	);
	const axes = axesFrom(dimensions, periods);
	const views = viewsOf(axes, dimensions, periods);
	await transaction(async (client) => {
		for (const [name, description, owner, content] of [
			['Group, in the morning', 'Where the result stands against the outlook, and why.', 'osric.hale', group],
			['Skerry Line, the planner’s board', 'Type in the form: every tile follows, before anything is saved.', 'tove.brandal', skerry]
		] as const)
			await client.query(
				`WITH made AS (INSERT INTO board (model_id, owner_id, name, description, shared, content) VALUES ($1, $2, $3, $4, true, $5) RETURNING id, version, name, content, owner_id)
				INSERT INTO board_version (board_id, version, name, content, person_id) SELECT id, version, name, content, owner_id FROM made`,
				[model, person(owner), name, description, JSON.stringify(content)]
			);
		for (const { code, name, description, owner, layout } of views)
			await client.query(
				`INSERT INTO form (model_id, code, name, folder, description, layout, owner_id, kept, shared) VALUES ($1, $2, $3, '', $4, $5, $6, true, true)`,
				[model, code, name, description, JSON.stringify(layout), person(owner)]
			);
	}, database);
}

/** The dimensions of the demo as views begin with them. */
function axesFrom(dimensions: Dimensions, periods: LoadedDimension): ViewAxis[] {
	const axis = (dimension: LoadedDimension, kind: ViewAxis['kind'], top: string, members = dimension.ids.size): ViewAxis => ({
		id: dimension.id,
		kind,
		top: dimension.ids.get(top)!,
		tops: [dimension.ids.get(top)!],
		members,
		currency: 'EUR'
	});
	return [
		axis(dimensions.account, 'account', 'OC'),
		axis(dimensions.scenario, 'scenario', 'BUD28'),
		axis(dimensions.entity, 'entity', 'GROUP'),
		axis(dimensions.department, 'general', 'ALLDEP'),
		axis(dimensions.route, 'general', 'ALLROUTES'),
		axis(dimensions.version, 'general', 'WORK'),
		{ ...axis(periods, 'period', 'FY2028'), tops: ['FY2025', 'FY2026', 'FY2027', 'FY2028', 'FY2029'].map((code) => periods.ids.get(code)!) }
	];
}

interface KeptView {
	code: string;
	name: string;
	description: string;
	owner: string;
	layout: FormLayout;
}

/** Five views, each turned another way. */
function viewsOf(axes: ViewAxis[], dimensions: Dimensions, periods: LoadedDimension): KeptView[] {
	const id = (dimension: LoadedDimension, code: string) => dimension.ids.get(code)!;
	const whole: Selection = { kind: 'these', members: ['chosen'] };
	const view = (rows: FormLayout['rows'], columns: FormLayout['columns'], at: Record<number, number> = {}): FormLayout => {
		const used = new Set(
			[...rows, ...columns].flatMap((block) => (block.kind === 'cells' ? block.parts.map(({ dimension }) => dimension) : []))
		);
		const keeps = (dimension: number) => !used.has(dimension) || dimension === periods.id || dimension === dimensions.scenario.id;
		return {
			...askedLayout(axes),
			rows,
			columns,
			selectors: axes.filter((axis) => keeps(axis.id)).map((axis) => selectorOf(axis, at[axis.id]))
		};
	};
	const rows = (dimension: LoadedDimension, of: string, kind: 'under' | 'leaves' = 'under'): FormLayout['rows'] => [
		{ kind: 'cells', id: 0, parts: [{ dimension: dimension.id, selection: { kind, of: id(dimension, of) } }] }
	];
	const months: FormLayout['columns'] = askedLayout(axes).columns;
	const years = (of: 'this' | 'before', block: number, heading: string): FormLayout['columns'][number] => ({
		kind: 'cells',
		id: block,
		heading,
		...(of === 'before' && { readOnly: true }),
		parts: [{ dimension: periods.id, selection: of === 'this' ? whole : { kind: 'relative', of: 'chosen', by: -1, take: 'this' } }]
	});
	return [
		{
			code: 'view.result-by-line',
			name: 'Result by line',
			description: 'Every account, the lines side by side.',
			owner: 'osric.hale',
			layout: view(rows(dimensions.account, 'OC'), [
				{
					kind: 'cells',
					id: 0,
					parts: [{ dimension: dimensions.entity.id, selection: { kind: 'children', of: id(dimensions.entity, 'GROUP') } }]
				},
				{
					kind: 'cells',
					id: 1,
					parts: [{ dimension: dimensions.entity.id, selection: { kind: 'these', members: [id(dimensions.entity, 'GROUP')] } }]
				}
			])
		},
		{
			code: 'view.routes-by-month',
			name: 'Contribution of the routes',
			description: 'Route by month, the year at the end.',
			owner: 'osric.hale',
			layout: view(rows(dimensions.route, 'ALLROUTES'), months)
		},
		{
			code: 'view.year-on-year',
			name: 'Year on year',
			description: 'Actual beside the year before, with the difference.',
			owner: 'maren.kvist',
			layout: view(
				rows(dimensions.account, 'OC'),
				[
					years('this', 0, 'This year'),
					years('before', 1, 'The year before'),
					{ kind: 'derived', id: 2, label: 'Difference', derivation: { how: 'difference', of: 0, base: 1 } },
					{ kind: 'derived', id: 3, label: 'in %', derivation: { how: '% difference', of: 0, base: 1 } }
				],
				{
					[dimensions.scenario.id]: id(dimensions.scenario, 'ACT'),
					[dimensions.version.id]: id(dimensions.version, 'FINAL'),
					[periods.id]: id(periods, 'FY2026')
				}
			)
		},
		{
			code: 'view.sailings',
			name: 'Sailings, passengers and litres',
			description: 'What the costs follow, by route.',
			owner: 'tove.brandal',
			layout: view(rows(dimensions.route, 'ALLROUTES', 'leaves'), [
				{
					kind: 'cells',
					id: 0,
					parts: [
						{
							dimension: dimensions.account.id,
							selection: { kind: 'these', members: ['S10', 'S30', 'S60', 'LOAD', 'PERSAIL'].map((code) => id(dimensions.account, code)) }
						}
					]
				}
			])
		},
		{
			code: 'view.pay-by-department',
			name: 'Pay by department',
			description: 'Crew and terminal pay, department by month.',
			owner: 'imke.solberg',
			layout: view(rows(dimensions.department, 'ALLDEP'), months, {})
		}
	].map((kept) =>
		kept.code === 'view.pay-by-department' ? { ...kept, layout: atAccount(kept.layout, axes, id(dimensions.account, 'CREW')) } : kept
	);
}

/** The same at another account than the result. */
const atAccount = (layout: FormLayout, axes: readonly ViewAxis[], account: number): FormLayout => {
	const axis = axes.find(({ kind }) => kind === 'account')!;
	return { ...layout, selectors: layout.selectors.map((part) => (part.dimension === axis.id ? selectorOf(axis, account) : part)) };
};
