import { describe, expect, test } from 'vitest';
import {
	checkRunbook,
	membersNamed,
	namedKey,
	resolveAnswers,
	runSteps,
	type Answers,
	type ParameterDefinition,
	type RunOrder,
	type Step
} from '.';
import { Cube, NOW, type ChangedSeries } from '../cube';
import { Model, type ModelDefinition } from '../model';
import { checkScript, ScriptNames } from '../script';
import { buildModel } from '../testing/build-model';

const sketch = buildModel({
	accounts: [
		{ code: 'Sales', account: {} },
		{ code: 'Costs', account: {} },
		{ code: 'Price', account: { kind: 'rate', valueType: 'price', consolidation: 'average' } },
		{ code: 'Opening', account: { kind: 'asset', timeBehaviour: 'opening' } },
		{ code: 'Additions', account: { kind: 'asset' } },
		{
			code: 'Closing',
			account: { kind: 'asset', timeBehaviour: 'closing' },
			formula: (read) => ({ kind: 'binary', operator: '+', left: read('Opening'), right: read('Additions') }),
			perLeaf: {}
		},
		{ code: 'Debtors', account: { kind: 'asset', timeBehaviour: 'closing' } }
	],
	scenarios: [
		{ code: 'Actual', span: ['2026-04', '2027-03'] },
		{ code: 'Plan', span: ['2027-04', '2028-03'], continues: 'Actual' }
	],
	entities: [
		{ code: 'Isle', currency: 'GBP' },
		{ code: 'Coast', currency: 'EUR' }
	],
	general: { Route: ['North', 'South', 'None'].map((code) => ({ code })) },
	rates: [{ currency: 'GBP', kind: 'average', from: '2026-01-01', to: '2028-12-31', value: 0.8 }]
});
/** Origins 11 and 12 are those of the steps. */
const definition: ModelDefinition = {
	...sketch.definition,
	origins: [
		...sketch.definition.origins,
		{ id: 11, name: 'Step one', mode: 'sets', result: { runbook: 9, step: 1, rank: 0 } },
		{ id: 12, name: 'Step two', mode: 'sets', result: { runbook: 9, step: 2, rank: 1 } },
		{ id: 13, name: 'Step three', mode: 'sets', result: { runbook: 9, step: 3, rank: 2 } }
	]
};
const model = new Model(definition);
const member = (dimension: string, code: string) =>
	model.definition.dimensions.find((each) => each.code === dimension)!.members.find((each) => each.code === code)!.id;
const only = (dimension: string, code: string) => ({ kind: 'these' as const, members: [member(dimension, code)] });
const [ACCOUNT, PERIOD, SCENARIO, ENTITY, ROUTE] = [1, 2, 3, 4, 5];
const address = (account: string, scenario = 'Actual', entity = 'Coast', route = 'North') =>
	Int32Array.from(model.dimensions, ({ code }, axis) =>
		model.dimensions[axis]!.ordinalOfCode({ account, scenario, entity, Route: route }[code]!)!
	);
const month = (code: string) => model.periods.leaf(model.periods.range(model.periods.dimension.ordinalOfCode(code)!).from);

type Entry = [
	account: string,
	month: string,
	value: number,
	more?: { scenario?: string; entity?: string; route?: string; origin?: number }
];
function filled(entries: readonly Entry[]): Cube {
	const cube = new Cube(model);
	for (const [account, code, value, { scenario, entity, route, origin = 2 } = {}] of entries)
		cube.writeCell(origin, address(account, scenario, entity, route), month(code).fiscalYear, month(code).position, value);
	return cube;
}
const order = (steps: Step[], more: Partial<RunOrder> = {}): RunOrder => ({
	steps,
	values: new Map(),
	variables: new Map(),
	originOf: new Map(steps.map(({ id, kind }) => [id, kind === 'roll-forward' ? 12 : 10 + id])),
	results: [1, 2, 3].map((step) => ({ origin: 10 + step, step, named: {} })),
	kindOf: (origin) => (origin === 1 ? 'entries' : origin > 10 ? 'results' : 'loads'),
	whyNot: () => undefined,
	onRefused: 'skip',
	breathe: () => {},
	progress: () => {},
	...more
});
const head = { name: 'A step', description: '', active: true, limits: {} };
const formula = (text: string, id = 1): Step => ({
	...head,
	id,
	kind: 'formula',
	script: {
		text,
		names: checkScript(model, text, { names: new ScriptNames(model), parameters: new Map([['growth', { kind: 'number', value: 1 }]]) })
			.names
	}
});
/** Stores what a run changed, as a server would. */
function apply(cube: Cube, changes: readonly ChangedSeries[]): void {
	revision++;
	for (const { origin, address, year, after, stamps } of changes)
		cube.writeSeries(
			origin,
			address,
			year,
			after,
			stamps.map((stamp) => (stamp === NOW ? revision : stamp))
		);
}
let revision = 0;
const read = (cube: Cube, account: string, code: string, scenario = 'Actual', entity = 'Coast', route = 'North') =>
	cube.read(address(account, scenario, entity, route), month(code).fiscalYear, month(code).position);

describe('a run', () => {
	const steps = [formula('Costs = Sales * 50%')];

	test('tells what it would change, and leaves the cube as it was', () => {
		const cube = filled([['Sales', '2026-05', 100]]);
		const { changes, cells, log, totals, samples } = runSteps(model, cube, order(steps));
		expect(read(cube, 'Costs', '2026-05')).toBeNaN();
		expect([cells, log[0]!.written, changes.length]).toEqual([1, 1, 1]);
		expect(totals).toMatchObject([{ account: model.accounts.ordinalOfCode('Costs'), before: 0, after: 50, cells: 1, currency: 'EUR' }]);
		expect([samples[0]!.before, samples[0]!.after]).toEqual([Number.NaN, 50]);
	});

	test('twice changes nothing the second time', () => {
		const cube = filled([['Sales', '2026-05', 100]]);
		apply(cube, runSteps(model, cube, order(steps)).changes);
		expect(read(cube, 'Costs', '2026-05')).toBe(50);
		expect(runSteps(model, cube, order(steps)).changes).toEqual([]);
	});

	test('leaves nothing behind, in the periods it reaches, of a step that was narrowed; other periods keep theirs', () => {
		const cube = filled([
			['Sales', '2026-05', 100],
			['Sales', '2026-06', 200],
			['Sales', '2026-06', 300, { route: 'South' }]
		]);
		apply(cube, runSteps(model, cube, order(steps)).changes);
		apply(cube, runSteps(model, cube, order([formula('within Period: "2026-06", Route: North\n  Costs = Sales * 10%\nend')])).changes);
		expect([read(cube, 'Costs', '2026-05'), read(cube, 'Costs', '2026-06')]).toEqual([50, 20]);
		expect(read(cube, 'Costs', '2026-06', 'Actual', 'Coast', 'South')).toBeNaN();
		apply(cube, runSteps(model, cube, order([{ ...steps[0]!, active: false }])).changes);
		expect([read(cube, 'Costs', '2026-05'), read(cube, 'Costs', '2026-06')]).toEqual([Number.NaN, Number.NaN]);
	});

	test('what is typed stays typed, and a step sees what those before it wrote', () => {
		const cube = filled([
			['Sales', '2026-05', 100],
			['Costs', '2026-05', 7, { origin: 1 }]
		]);
		apply(cube, runSteps(model, cube, order([...steps, formula('Additions = Costs + 1', 3)])).changes);
		expect([read(cube, 'Costs', '2026-05'), read(cube, 'Additions', '2026-05')]).toEqual([7, 8]);
	});

	test('skips what may not be written and says so, or stops, as it is set; what was there before stays', () => {
		const cube = filled([
			['Sales', '2026-05', 100],
			['Sales', '2026-06', 100]
		]);
		apply(cube, runSteps(model, cube, order(steps)).changes);
		const closed = { whyNot: (_: Int32Array, leaf: number) => (leaf === month('2026-05').index ? 'May is closed.' : undefined) };
		const again = runSteps(model, cube, order([formula('Costs = Sales')], closed));
		expect(again.log[0]).toMatchObject({ written: 1, skipped: 1, reasons: [{ reason: 'May is closed.', cells: 1 }] });
		apply(cube, again.changes);
		expect([read(cube, 'Costs', '2026-05'), read(cube, 'Costs', '2026-06')]).toEqual([50, 100]);
		expect(() => runSteps(model, cube, order([formula('Costs = Sales')], { ...closed, onRefused: 'stop' }))).toThrow(
			'A step: Costs, 2026-05, cannot be written. May is closed.'
		);
		expect(read(cube, 'Costs', '2026-06')).toBe(100);
	});

	test('ends when it is told to, and has written nothing', () => {
		const cube = filled([['Sales', '2026-05', 100]]);
		const cancelled = {
			breathe: () => {
				throw new Error('cancelled');
			}
		};
		expect(() =>
			runSteps(
				model,
				cube,
				order(
					[{ ...head, id: 1, kind: 'copy', from: {}, onto: { [SCENARIO]: member('scenario', 'Plan') }, shift: null, factor: 1 }],
					cancelled
				)
			)
		).toThrow('cancelled');
		expect(cube.contributions(address('Sales', 'Plan'), month('2026-05').fiscalYear, month('2026-05').position)).toEqual([]);
	});
});

describe('a copy', () => {
	const copy = (more: object): Step =>
		({
			...head,
			id: 1,
			kind: 'copy',
			from: { [SCENARIO]: only('scenario', 'Actual') },
			onto: { [SCENARIO]: member('scenario', 'Plan') },
			shift: null,
			factor: 1,
			...more
		}) as Step;

	test('shifts periods over the border of the year, multiplies, and adds up what collapses', () => {
		const cube = filled([
			['Sales', '2026-05', 100],
			['Sales', '2026-05', 40, { route: 'South' }],
			['Costs', '2026-05', 9]
		]);
		const step = copy({
			onto: { [SCENARIO]: member('scenario', 'Plan'), [ROUTE]: member('Route', 'None') },
			shift: { level: 'year', by: 1 },
			factor: 1.1,
			limits: { [ACCOUNT]: only('account', 'Sales') }
		});
		apply(cube, runSteps(model, cube, order([step])).changes);
		expect(read(cube, 'Sales', '2027-05', 'Plan', 'Coast', 'None')).toBeCloseTo(154);
		expect(read(cube, 'Costs', '2027-05', 'Plan', 'Coast', 'None')).toBeNaN();
	});

	test('translates onto an entity of another currency, leaves prices unmultiplied, and refuses to add them', () => {
		const cube = filled([
			['Sales', '2026-05', 80, { entity: 'Isle' }],
			['Price', '2026-05', 4, { route: 'North' }],
			['Price', '2026-05', 5, { route: 'South' }]
		]);
		const step = copy({
			onto: { [SCENARIO]: member('scenario', 'Plan'), [ENTITY]: member('entity', 'Coast'), [ROUTE]: member('Route', 'None') },
			shift: { level: 'year', by: 1 },
			factor: 2
		});
		const { changes, log } = runSteps(model, cube, order([step]));
		apply(cube, changes);
		expect(read(cube, 'Sales', '2027-05', 'Plan', 'Coast', 'None')).toBeCloseTo(200);
		expect(log[0]!.reasons[0]!.reason).toContain('Several prices');
		expect(read(cube, 'Price', '2027-05', 'Plan', 'Coast', 'None')).toBeNaN();
		// Without the shift the plan has no such month.
		const beside = runSteps(model, filled([['Sales', '2026-05', 80]]), order([copy({ onto: { [SCENARIO]: member('scenario', 'Plan') } })]));
		expect(beside.log[0]!.reasons[0]!.reason).toBe('“Plan” has no such period.');
	});
});

describe('a roll-forward', () => {
	test('goes from the last month of one scenario through all months of the next, with what moves in between', () => {
		const cube = filled([
			['Opening', '2027-03', 100],
			['Additions', '2027-04', 10, { scenario: 'Plan' }],
			['Additions', '2027-06', 5, { scenario: 'Plan' }]
		]);
		const step: Step = {
			...head,
			id: 2,
			kind: 'roll-forward',
			lines: [{ from: member('account', 'Closing'), to: member('account', 'Opening'), reverse: false }],
			into: 'every period',
			limits: { [SCENARIO]: only('scenario', 'Plan') }
		};
		apply(cube, runSteps(model, cube, order([step])).changes);
		expect(['2027-04', '2027-05', '2027-07', '2028-03'].map((code) => read(cube, 'Opening', code, 'Plan'))).toEqual([100, 110, 115, 115]);
		expect(runSteps(model, cube, order([step])).changes).toEqual([]);
	});

	test('into the first period of a year only, with the sign turned', () => {
		const cube = filled([['Debtors', '2027-03', 30]]);
		const step: Step = {
			...head,
			id: 2,
			kind: 'roll-forward',
			lines: [{ from: member('account', 'Debtors'), to: member('account', 'Additions'), reverse: true }],
			into: 'first period of the year',
			limits: { [SCENARIO]: only('scenario', 'Plan') }
		};
		apply(cube, runSteps(model, cube, order([step])).changes);
		expect([read(cube, 'Additions', '2027-04', 'Plan'), read(cube, 'Additions', '2027-05', 'Plan')]).toEqual([-30, Number.NaN]);
	});
});

test('a clear takes away what it names in its slice, and nothing else', () => {
	const cube = filled([
		['Sales', '2026-05', 1, { origin: 1 }],
		['Sales', '2026-06', 2],
		['Sales', '2026-07', 3, { origin: 1 }],
		['Costs', '2026-05', 4, { origin: 1 }]
	]);
	const limits = {
		[ACCOUNT]: only('account', 'Sales'),
		[PERIOD]: { kind: 'range' as const, from: member('period', '2026-05'), to: member('period', '2026-06') }
	};
	apply(cube, runSteps(model, cube, order([{ ...head, id: 3, kind: 'clear', what: ['entries'], limits }])).changes);
	expect([
		read(cube, 'Sales', '2026-05'),
		read(cube, 'Sales', '2026-06'),
		read(cube, 'Sales', '2026-07'),
		read(cube, 'Costs', '2026-05')
	]).toEqual([Number.NaN, 2, 3, 4]);
});

describe('before a run', () => {
	const parameters: ParameterDefinition[] = [
		{ name: 'growth', label: 'Growth', kind: 'percent', dimension: null, choices: null, initial: null },
		{ name: 'into', label: 'Scenario', kind: 'member', dimension: SCENARIO, choices: null, initial: null }
	];

	test('a choice left empty, and one that is gone, are said by name', () => {
		const { faults, values } = resolveAnswers(model, parameters, { growth: 0.1, into: null });
		expect([...faults]).toEqual([['into', 'Choose Scenario: nothing runs without it.']]);
		expect(values.get('growth')).toEqual({ kind: 'number', value: 0.1 });
		expect(resolveAnswers(model, parameters, { growth: 0.1, into: 999_999 }).faults.get('into')).toContain('not there any more');
		// Another percent is the same run; another member is not.
		const key = (answers: Answers) => namedKey(membersNamed(parameters, answers, new Map(), new Set()));
		expect(key({ into: 3, growth: 1 })).toBe(key({ growth: 2, into: 3 }));
		expect(key({ into: 3, growth: 1 })).not.toBe(key({ growth: 1, into: 4 }));
	});

	test('the check finds what is gone, empty, computed, or cleared by a later step', () => {
		const gone = formula('Costs = Sales * 2');
		const script = (gone as Extract<Step, { kind: 'formula' }>).script;
		const names = script.names.map((use) => (script.text.slice(use.from, use.to) === 'Sales' ? { ...use, member: 999_999 } : use));
		const findings = checkRunbook(
			model,
			[
				{ ...gone, script: { ...script, names } } as Step,
				formula('Closing = Sales', 2),
				{ ...head, id: 3, kind: 'copy', from: { [SCENARIO]: { kind: 'these', members: [999_999] } }, onto: {}, shift: null, factor: 1 },
				{ ...formula('Costs = Sales', 4), limits: { [SCENARIO]: only('scenario', 'Plan') } },
				{ ...head, id: 5, name: 'Sweep', kind: 'clear', what: ['results'], limits: { [SCENARIO]: only('scenario', 'Plan') } },
				{ ...head, id: 6, kind: 'clear', what: ['entries'] }
			],
			parameters
		);
		const of = (step: number) => findings.filter((each) => each.step === step).map(({ message }) => message);
		expect(of(1)[0]).toBe('“Sales” is not there any more.');
		expect(of(2).join()).toContain('has a live formula');
		expect(of(3).join()).toContain('selection of scenario is empty');
		expect(of(3).join()).toContain('write where it reads');
		expect(of(4)).toEqual(['What this step writes is cleared by “Sweep” after it.']);
		expect(of(6)[0]).toContain('would empty the whole model');
	});
});

/** Each of these went wrong somewhere before, quietly. */
describe('what people run into', () => {
	const run = (cube: Cube, steps: Step[], more: Partial<RunOrder> = {}) => {
		const result = runSteps(model, cube, order(steps, more));
		apply(cube, result.changes);
		return result;
	};

	test('a choice left empty: nothing runs, and it says which', () => {
		const asked: ParameterDefinition[] = [
			{ name: 'into', label: 'Month', kind: 'member', dimension: PERIOD, choices: null, initial: null }
		];
		for (const answer of [null, '', []] as const)
			expect(resolveAnswers(model, asked, { into: answer }).faults.get('into')).toContain('Choose Month');
	});

	test('another month chosen: what was written for the month before stays', () => {
		const cube = filled([['Sales', '2026-05', 100]]);
		const into = (code: string) =>
			formula(
				`within Period: "${model.periods.dimension.member(model.periods.dimension.ordinalOfCode(code)!).name}"\n  Costs = Sales{Month - 1} + Sales\nend`
			);
		run(cube, [into('2026-05')]);
		expect(read(cube, 'Costs', '2026-05')).toBe(100);
		run(cube, [into('2026-06')]);
		expect([read(cube, 'Costs', '2026-05'), read(cube, 'Costs', '2026-06')]).toEqual([100, 100]);
	});

	test('an index out of range: before the first period, and after the last, nothing is read and nothing is written', () => {
		const cube = filled([
			['Sales', '2026-04', 7],
			['Sales', '2028-03', 9, { scenario: 'Plan' }]
		]);
		const { log } = run(cube, [formula('Costs = Sales{Month - 1}'), { ...formula('Price = Sales{Month + 1}', 3), id: 3 }]);
		expect(log.map(({ written }) => written)).toEqual([1, 1]);
		expect([read(cube, 'Costs', '2026-05'), read(cube, 'Costs', '2026-04')]).toEqual([7, Number.NaN]);
		expect(run(filled([['Sales', '2026-04', 7]]), [formula('Costs = Sales{Year - 9}')]).cells).toBe(0);
	});

	test('the boundary of the year: April reads March, in the scenario that came before', () => {
		const cube = filled([['Sales', '2027-03', 50]]);
		run(cube, [formula('within scenario: Plan\n  Costs = Sales{Month - 1}\nend')]);
		expect(read(cube, 'Costs', '2027-04', 'Plan')).toBe(50);
	});

	test('division by zero, and by nothing: empty, and the rest is computed', () => {
		const cube = filled([
			['Sales', '2026-04', 10],
			['Additions', '2026-04', 0],
			['Sales', '2026-05', 10],
			['Sales', '2026-06', 10],
			['Additions', '2026-06', 4]
		]);
		run(cube, [formula('Costs = Sales / Additions')]);
		expect(['2026-04', '2026-05', '2026-06'].map((code) => read(cube, 'Costs', code))).toEqual([Number.NaN, Number.NaN, 2.5]);
	});

	test('a deleted member: the check names it, and a run ends with a sentence and writes nothing', () => {
		const step = formula('Costs = Sales * 2') as Extract<Step, { kind: 'formula' }>;
		const gone = {
			...step,
			script: {
				text: step.script.text.replace('Sales', 'Turnover'),
				names: step.script.names.map((use) => ({ ...use, member: use.from > 0 ? 999_999 : use.member }))
			}
		} as Step;
		expect(
			checkRunbook(model, [gone], [])
				.map(({ message }) => message)
				.join()
		).toContain('is not there any more');
		const cube = filled([['Sales', '2026-04', 10]]);
		expect(() => runSteps(model, cube, order([gone]))).toThrow('No member “Turnover”');
		expect(read(cube, 'Costs', '2026-04')).toBeNaN();
	});

	test('running twice: the amounts stand once, whatever kind of step wrote them', () => {
		const cube = filled([
			['Sales', '2026-04', 10],
			['Debtors', '2026-04', 5]
		]);
		const steps: Step[] = [
			formula('Costs = Sales * 2'),
			{
				...head,
				id: 3,
				kind: 'copy',
				from: { [ACCOUNT]: only('account', 'Sales') },
				onto: { [ROUTE]: member('Route', 'South') },
				shift: null,
				factor: 3
			}
		];
		const first = run(cube, steps);
		const again = run(cube, steps);
		expect([first.cells, again.cells]).toEqual([2, 0]);
		expect([read(cube, 'Costs', '2026-04'), read(cube, 'Sales', '2026-04', 'Actual', 'Coast', 'South')]).toEqual([20, 30]);
	});
});
