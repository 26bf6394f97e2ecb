// The runbooks of the demo: opening a plan, carrying balances forward, opening the next month of the outlook.
import type pg from 'pg';
import {
	checkScript,
	Model,
	scopeOf,
	ScriptNames,
	type ParameterDefinition,
	type ParameterValue,
	type Selection,
	type Step
} from '../../src/lib/core';
import { readModelDefinition } from '../../src/lib/server/database/definitions';
import { insertId, type Dimensions, type LoadedDimension } from './dimensions';

const VOLUMES = `within Version: Proposal
  -- The last full year of Actual, month by month, by its own season.
  let up = 1 + $growth
  Sailings = Sailings{Scenario: Actual, Version: Agreed, Year - 3} * up
  Passengers = Passengers{Scenario: Actual, Version: Agreed, Year - 3} * up
  Cars = Cars{Scenario: Actual, Version: Agreed, Year - 3} * up
end
`;
const RUNNING = `within Version: Proposal
  -- What runs evenly through the year: a twelfth of the last full year each month.
  "Terminal energy" = "Terminal energy"{Scenario: Actual, Version: Agreed, Year - 3, Year: total} / 12 * (1 + $growth)
  "Terminal cleaning" = "Terminal cleaning"{Scenario: Actual, Version: Agreed, Year - 3, Year: total} / 12 * (1 + $growth)
end
`;

/** Stores the runbooks with the members their names are. */
export async function loadRunbooks(
	client: pg.PoolClient,
	modelId: number,
	dimensions: Dimensions,
	periods: LoadedDimension
): Promise<void> {
	const model = new Model((await readModelDefinition(client, modelId))!);
	const names = new ScriptNames(model);
	const of = (dimension: LoadedDimension, code: string) => dimension.ids.get(code)!;
	const only = (dimension: LoadedDimension, ...codes: string[]): [number, Selection] => [
		dimension.id,
		{ kind: 'these', members: codes.map((code) => of(dimension, code)) }
	];
	const slice = (...parts: [number, Selection][]) => Object.fromEntries(parts);
	const { account, scenario, version } = dimensions;
	const head = { description: '', active: true };
	const growth: ParameterDefinition = {
		name: 'growth',
		label: 'Growth on the last full year',
		kind: 'percent',
		dimension: null,
		choices: null,
		initial: 0.03
	};
	const month: ParameterDefinition = {
		name: 'month',
		label: 'Month that was closed',
		kind: 'member',
		dimension: periods.id,
		choices: { kind: 'leaves', of: of(periods, 'FY2027') },
		initial: of(periods, '2026-09')
	};
	type Draft = Omit<Step, 'id'> & { text?: string };
	const plan = slice(only(scenario, 'STR'), [periods.id, { kind: 'leaves', of: of(periods, 'FY2029') }]);
	const runbooks: { name: string; description: string; parameters: ParameterDefinition[]; steps: Draft[] }[] = [
		{
			name: 'Open the stretch plan',
			description: 'Fills FY2029 from the last full year of Actual, before planners begin. Run again whenever the growth is another one.',
			parameters: [growth],
			steps: [
				{ ...head, kind: 'formula', name: 'Volumes by last year’s season', limits: plan, text: VOLUMES } as unknown as Draft,
				{ ...head, kind: 'formula', name: 'Running costs in twelfths', limits: plan, text: RUNNING } as unknown as Draft,
				{
					...head,
					kind: 'copy',
					name: 'Berth hire as it was',
					limits: plan,
					from: slice(only(scenario, 'ACT'), only(version, 'FINAL'), only(account, '6330')),
					onto: { [scenario.id]: of(scenario, 'STR'), [version.id]: of(version, 'WORK') },
					shift: { level: 'year', by: 3 },
					factor: 1
				} as Draft
			]
		},
		{
			name: 'Open the next outlook month',
			description: 'Puts the month that was closed into the outlook, so that planners look ahead from what happened.',
			parameters: [month],
			steps: [
				{
					...head,
					kind: 'copy',
					name: 'Actual into the outlook',
					limits: {},
					from: {
						...slice(only(scenario, 'ACT'), only(version, 'FINAL')),
						[periods.id]: { kind: 'these', members: [{ variable: 'month' }] }
					},
					onto: { [scenario.id]: of(scenario, 'OUT27'), [version.id]: of(version, 'WORK') },
					shift: null,
					factor: 1
				} as Draft
			]
		},
		{
			name: 'Carry balances forward',
			description: 'What a month ends with begins the next one, through all years of the stretch plan in one run.',
			parameters: [],
			steps: [
				{
					...head,
					kind: 'roll-forward',
					name: 'Month to month',
					limits: slice(only(scenario, 'STR'), only(version, 'WORK')),
					lines: ['1030', '2020'].map((code) => ({ from: of(account, code), to: of(account, code), reverse: false })),
					into: 'every period'
				} as Draft
			]
		}
	];
	for (const { name, description, parameters, steps } of runbooks) {
		const id = await insertId(
			client,
			'INSERT INTO runbook (model_id, name, description, parameters) VALUES ($1, $2, $3, $4) RETURNING id',
			[modelId, name, description, JSON.stringify(parameters)]
		);
		for (const [position, { kind, name: stepName, description: words, active, limits, text, ...rest }] of steps.entries()) {
			const values = new Map<string, ParameterValue>([['growth', { kind: 'number', value: 0 }]]);
			const definition =
				text === undefined
					? rest
					: {
							script: {
								text,
								names: checkScript(model, text, { names, parameters: values, scope: scopeOf(model, limits, new Map()) }).names
							}
						};
			await client.query(
				'INSERT INTO runbook_step (runbook_id, position, kind, name, description, active, limits, definition) VALUES ($1, $2, $3, $4, $5, $6, $7, $8)',
				[id, position, kind, stepName, words, active, JSON.stringify(limits), JSON.stringify(definition)]
			);
		}
	}
	// Planners open their plan by a button on the form.
	await client.query(
		`UPDATE form SET layout = layout || jsonb_build_object('runs', jsonb_build_array(jsonb_build_object(
			'runbook', (SELECT id FROM runbook WHERE name = 'Open the stretch plan'), 'label', 'Open the stretch plan', 'when', 'button')))
		WHERE model_id = $1 AND code = 'route-contribution'`,
		[modelId]
	);
	await client.query(
		'UPDATE form_version v SET layout = f.layout FROM form f WHERE f.id = v.form_id AND f.version = v.version AND f.model_id = $1',
		[modelId]
	);
}
