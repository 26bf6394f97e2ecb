// The Crew model: its dimensions, terms, forms, and how its costs come into the main model.
import type pg from 'pg';
import type { FormLayout } from '../../src/lib/core';
import { createCellTable } from '../../src/lib/server/database/cells';
import { lockModel, postChangeSet } from '../../src/lib/server/database/change-set';
import type { SeriesChange } from '../../src/lib/server/database/series';
import { PAY_ITEMS, POSTS, TERMS } from '../crew';
import { demoPeople } from '../people.mjs';
import { insertId, type Dimensions, type Ids, type LoadedDimension } from './dimensions';
import { loadAccounts, loadLiveFormulas, loadTree } from './structure';

/** Makes the model of new posts, an import of its costs into the main model, and the runbook that brings them in. */
export async function loadCrew(
	client: pg.PoolClient,
	mainModel: number,
	main: Dimensions,
	periods: LoadedDimension,
	people: Ids
): Promise<number> {
	const items = await loadTree(client, 'pay-item', 'Pay item', 'account', PAY_ITEMS);
	await loadAccounts(client, PAY_ITEMS, items, { route: main.route.id, period: periods.id });
	const posts = await loadTree(client, 'post', 'Post', 'general', POSTS);
	const modelId = await insertId(
		client,
		"INSERT INTO model (code, name, reporting_currency) VALUES ('crew', 'New posts', 'EUR') RETURNING id",
		[]
	);
	const addressed = [items, main.scenario, main.entity, posts, main.version];
	await client.query(
		'INSERT INTO model_dimension (model_id, dimension_id, position) SELECT $1, d, o FROM unnest($2::integer[]) WITH ORDINALITY AS u (d, o)',
		[modelId, [items.id, periods.id, ...addressed.slice(1).map(({ id }) => id)]]
	);
	await client.query("INSERT INTO model_currency (model_id, currency, position) VALUES ($1, 'EUR', 1), ($1, 'GBP', 2), ($1, 'NOK', 3)", [
		modelId
	]);
	await createCellTable(client, modelId, addressed);
	await client.query("INSERT INTO origin (model_id, mode, name) VALUES ($1, 'entry', 'Entry')", [modelId]);
	const agreed = await insertId(client, "INSERT INTO origin (model_id, mode, name) VALUES ($1, 'loads', 'Terms as agreed') RETURNING id", [
		modelId
	]);
	await loadLiveFormulas(client, modelId, PAY_ITEMS, { account: items, scenario: main.scenario }, periods);
	await loadTerms(client, modelId, addressed, periods, agreed, people);
	await loadCrewForms(client, modelId, items, main, posts, periods);
	for (const { email, grants } of demoPeople) {
		// Who plans a line plans its posts; those who see the whole group see all.
		const lines = grants.flatMap(({ entity }) => entity ?? []);
		if (grants.length === 0 || grants.some(({ department }) => department)) continue;
		const grant = await insertId(
			client,
			"INSERT INTO access_grant (model_id, person_id, name, level) VALUES ($1, $2, $3, 'write') RETURNING id",
			[modelId, people.get(email), grants[0]!.name]
		);
		await client.query('INSERT INTO access_grant_member (grant_id, member_id) SELECT $1, unnest($2::integer[])', [
			grant,
			lines.map((code) => main.entity.ids.get(code))
		]);
	}
	await loadCrewImport(client, mainModel, modelId, main, items, periods);
	return modelId;
}

/** The terms as they were agreed: facts of the budget year, and choices that hold at any time. */
async function loadTerms(
	client: pg.PoolClient,
	modelId: number,
	[items, scenario, line, post, version]: LoadedDimension[],
	periods: LoadedDimension,
	origin: number,
	people: Ids
): Promise<void> {
	const series = TERMS.flatMap((terms) => {
		const at = (item: string, year: number, value: number): SeriesChange => {
			const amounts = new Float64Array(12).fill(Number.NaN);
			amounts[0] = value;
			return {
				origin,
				members: [
					items!.ids.get(item)!,
					scenario!.ids.get('BUD28')!,
					line!.ids.get(terms.line)!,
					post!.ids.get(terms.post)!,
					version!.ids.get('WORK')!
				],
				year,
				amounts,
				before: new Float64Array(12).fill(Number.NaN)
			};
		};
		return [
			at('NUM', 2_028, terms.number),
			at('RATE', 2_028, terms.pay),
			at('CPART', 2_028, 0.14),
			at('FROM', 0, periods.ids.get(terms.from)!),
			...(terms.bonus ? [at('BMON', 0, periods.ids.get(terms.bonus)!), at('BPART', 2_028, 0.5)] : [])
		];
	});
	await lockModel(client, modelId);
	await postChangeSet(
		client,
		{ modelId, person: people.get('osric.hale@brinewater.example')!, kind: 'load', through: 'Terms as agreed', cells: series.length },
		[items!, scenario!, line!, post!, version!].map(({ id }) => id),
		series
	);
	await client.query("UPDATE change_set SET at = timestamptz '2026-11-12 10:05+01' WHERE model_id = $1", [modelId]);
}

async function loadCrewForms(
	client: pg.PoolClient,
	modelId: number,
	items: LoadedDimension,
	main: Dimensions,
	posts: LoadedDimension,
	periods: LoadedDimension
): Promise<void> {
	const selector = (dimension: LoadedDimension, members: string[], initial: string): FormLayout['selectors'][number] => ({
		dimension: dimension.id,
		selection: { kind: 'these', members: members.map((code) => dimension.ids.get(code)!) },
		initial: dimension.ids.get(initial)!
	});
	const shared = {
		line: selector(main.entity, ['NOR', 'SKE', 'AMB'], 'SKE'),
		scenario: selector(main.scenario, ['BUD28', 'STR'], 'BUD28'),
		version: selector(main.version, ['WORK', 'FINAL'], 'WORK'),
		year: selector(periods, ['FY2028', 'FY2029'], 'FY2028')
	};
	const forms: { code: string; name: string; description: string; layout: Omit<FormLayout, 'version' | 'currencies'> }[] = [
		{
			code: 'crew-posts',
			name: 'Crew posts',
			description: 'New posts of a line: how many, their pay, from which month, and in which month a bonus is paid.',
			layout: {
				rows: [{ kind: 'cells', id: 0, parts: [{ dimension: posts.id, selection: { kind: 'leaves', of: posts.ids.get('ALLPOSTS')! } }] }],
				columns: ['NUM', 'RATE', 'FROM', 'BMON', 'BPART', 'CPART'].map((code, id) => ({
					kind: 'cells' as const,
					id,
					width: 120,
					parts: [{ dimension: items.id, selection: { kind: 'these' as const, members: [items.ids.get(code)!] } }]
				})),
				selectors: [shared.line, shared.scenario, shared.version, shared.year],
				pinned: []
			}
		},
		{
			code: 'cost-of-posts',
			name: 'Cost of posts',
			description: 'What the new posts cost month by month, with bonus and employer charges.',
			layout: {
				rows: [{ kind: 'cells', id: 0, parts: [{ dimension: items.id, selection: { kind: 'under', of: items.ids.get('COST')! } }] }],
				columns: [
					{ kind: 'cells', id: 0, parts: [{ dimension: periods.id, selection: { kind: 'leaves', of: 'chosen' } }] },
					{ kind: 'cells', id: 1, parts: [{ dimension: periods.id, selection: { kind: 'these', members: ['chosen'] } }] }
				],
				selectors: [
					shared.line,
					{ dimension: posts.id, selection: { kind: 'under', of: posts.ids.get('ALLPOSTS')! }, initial: posts.ids.get('ALLPOSTS')! },
					shared.scenario,
					shared.version,
					shared.year
				],
				pinned: []
			}
		}
	];
	for (const { code, name, description, layout } of forms)
		await client.query(
			`WITH made AS (
				INSERT INTO form (model_id, code, name, folder, description, instructions, layout) VALUES ($1, $2, $3, 'Planning', $4, '', $5)
				RETURNING id, version, name, folder, description, instructions, roles, layout
			) INSERT INTO form_version (form_id, version, name, folder, description, instructions, roles, layout) SELECT * FROM made`,
			[modelId, code, name, description, JSON.stringify({ version: 2, currencies: ['EUR', 'local'], ...layout } satisfies FormLayout)]
		);
}

/** Costs of the posts come into the main model by an import, which a runbook carries out. */
async function loadCrewImport(
	client: pg.PoolClient,
	mainModel: number,
	crewModel: number,
	main: Dimensions,
	items: LoadedDimension,
	periods: LoadedDimension
): Promise<void> {
	const origin = await insertId(
		client,
		"INSERT INTO origin (model_id, mode, name) VALUES ($1, 'loads', 'Costs of new posts') RETURNING id",
		[mainModel]
	);
	const importId = await insertId(
		client,
		"INSERT INTO import (model_id, origin_id, code, name, description, source) VALUES ($1, $2, 'new-posts', 'Costs of new posts', $3, $4) RETURNING id",
		[
			mainModel,
			origin,
			'What the posts of the model New posts cost by month, onto the departments that have them.',
			JSON.stringify({
				place: {
					kind: 'model',
					model: crewModel,
					slice: {
						[items.id]: [items.ids.get('COST')],
						[main.scenario.id]: [main.scenario.ids.get('BUD28')],
						[main.version.id]: [main.version.ids.get('WORK')]
					}
				},
				delimiter: ',',
				encoding: 'utf-8',
				amountColumns: ['Amount'],
				decimal: '.',
				group: ''
			})
		]
	);
	const map = async (name: string, dimension: LoadedDimension, lines: { kind: string; member: string; terms: object }[]) => {
		const id = await insertId(client, 'INSERT INTO map (dimension_id, name) VALUES ($1, $2) RETURNING id', [dimension.id, name]);
		for (const [index, { kind, member, terms }] of lines.entries())
			await client.query(
				'INSERT INTO map_line (map_id, position, member_id, reverse_sign, kind, terms) VALUES ($1, $2, $3, false, $4, $5)',
				[id, index + 1, dimension.ids.get(member), kind, JSON.stringify(terms)]
			);
		return id;
	};
	const rule = (
		dimension: LoadedDimension,
		from: string,
		columns: string[],
		map: number | null,
		member: number | null,
		format: string | null
	) =>
		client.query(
			'INSERT INTO import_rule (import_id, dimension_id, come_from, source_columns, map_id, member_id, date_format) VALUES ($1, $2, $3, $4, $5, $6, $7)',
			[importId, dimension.id, from, columns, map, member, format]
		);
	const single = (value: string, member: string) => ({ kind: 'single', member, terms: { value } });
	await rule(
		main.account,
		'column',
		['Pay item'],
		await map('Pay items of new posts', main.account, [single('PAY', '6196'), single('BON', '6197'), single('CHG', '6198')]),
		null,
		null
	);
	await rule(
		main.department,
		'column',
		['Post'],
		await map(
			'Departments of new posts',
			main.department,
			['DK', 'EN', 'SH', 'TM'].map((code) => ({ kind: 'pattern', member: code, terms: { pattern: `${code}-*` } }))
		),
		null,
		null
	);
	await rule(
		main.entity,
		'column',
		['Line'],
		await map(
			'Lines by their own codes',
			main.entity,
			['NOR', 'SKE', 'AMB'].map((code) => single(code, code))
		),
		null,
		null
	);
	await rule(main.route, 'fixed', [], null, main.route.ids.get('NOROUTE')!, null);
	await rule(periods, 'date', ['Period'], null, null, 'YYYY-MM-DD');
	await rule(main.scenario, 'fixed', [], null, main.scenario.ids.get('BUD28')!, null);
	await rule(main.version, 'fixed', [], null, main.version.ids.get('WORK')!, null);
	const runbook = await insertId(
		client,
		'INSERT INTO runbook (model_id, name, description, parameters) VALUES ($1, $2, $3, $4) RETURNING id',
		[
			mainModel,
			'Bring crew costs in',
			'Loads what the new posts cost from the model New posts. Run again whenever posts were changed: what it loaded before is replaced.',
			'[]'
		]
	);
	await client.query(
		"INSERT INTO runbook_step (runbook_id, position, kind, name, description, active, limits, definition) VALUES ($1, 0, 'import', 'Costs of new posts', '', true, '{}', $2)",
		[runbook, JSON.stringify({ import: importId })]
	);
}
