// Runbooks in memory: balances through sixty months, copies and formulas of a million cells, and checking scripts.
import { checkRunbook, checkScript, Cube, runSteps, ScriptNames, type Model, type RunOrder, type Step } from '../src/lib/core';
import { buildModel } from '../src/lib/core/testing';
import { addresses, tree } from './data';
import { measure, medianOf, type Measure } from './timing';

const LINES = 20_000;
const CELLS = 1_000_000;

/** Each stands against the time we allow; storing is not included. */
export async function runbooks(): Promise<Measure[]> {
	return [
		measure('roll-forward over 60 months of 20,000 lines, ms (aim 1,000)', await rollForward('roll-forward'), 1_000, 1),
		measure('the same as a formula step that stores both balances, ms (aim 1,000)', await rollForward('formula'), 1_000, 1),
		measure('copy of 1M cells, worked out and compared, ms (aim 2,000)', await million('copy'), 2_000, 1),
		measure('formula step over 1M cells, ms (aim 2,000)', await million('formula'), 2_000, 1),
		measure('checking a runbook of 2,000 formulas, ms (aim 1,000)', await checking(2_000), 1_000, 1),
		measure('a 500-line script, from text to faults, ms (aim 30)', await checking(500), 30, 1)
	];
}

const order = (steps: Step[]): RunOrder => ({
	steps,
	values: new Map(),
	variables: new Map(),
	originOf: new Map(steps.map(({ id }) => [id, id])),
	results: [],
	kindOf: () => 'loads',
	whyNot: () => undefined,
	onRefused: 'skip',
	breathe: () => {},
	progress: () => {}
});
const head = { id: 3, name: 'A step', description: '', active: true, limits: {} };
const member = (model: Model, dimension: string, code: string) =>
	model.definition.dimensions.find((each) => each.code === dimension)!.members.find((each) => each.code === code)!.id;

/** As a step of its own kind over a live formula, or as two statements that store what they come to. */
async function rollForward(as: 'roll-forward' | 'formula'): Promise<number> {
	const balance = { kind: 'asset' as const };
	const model = buildModel({
		calendar: { years: 5 },
		accounts: [
			{ code: 'Opening', account: { ...balance, timeBehaviour: 'opening' } },
			{ code: 'Additions', account: balance },
			{
				code: 'Closing',
				account: { ...balance, timeBehaviour: 'closing' },
				...(as === 'roll-forward' && {
					perLeaf: {},
					formula: (read) => ({ kind: 'binary', operator: '+', left: read('Opening'), right: read('Additions') })
				})
			}
		],
		scenarios: [{ code: 'plan' }],
		general: { line: tree('l', 100, LINES / 100) }
	});
	const cube = new Cube(model);
	const values = new Float64Array(model.periods.width).fill(1);
	for (const line of model.dimensions[2]!.tree.leaves(0))
		for (const year of model.periods.years) cube.writeSeries(2, Int32Array.of(1, 0, line), year, values);
	const text = 'Opening = Closing{Month - 1}\nClosing = Opening + Additions';
	const step: Step =
		as === 'roll-forward'
			? {
					...head,
					kind: 'roll-forward',
					lines: [{ from: member(model, 'account', 'Closing'), to: member(model, 'account', 'Opening'), reverse: false }],
					into: 'every period'
				}
			: {
					...head,
					kind: 'formula',
					script: { text, names: checkScript(model, text, { names: new ScriptNames(model), parameters: new Map() }).names }
				};
	return medianOf(3, () => {
		const { log } = runSteps(model, cube, order([step]));
		if (log[0]!.written < LINES * 50) throw new Error(`Only ${log[0]!.written} cells were carried.`);
	});
}

async function million(kind: 'copy' | 'formula'): Promise<number> {
	const model = buildModel({
		accounts: [
			{ code: 'Litres', account: { valueType: 'quantity' } },
			{ code: 'Price', account: { valueType: 'quantity' } },
			{ code: 'Fuel', account: {} }
		],
		scenarios: [{ code: 'plan' }, { code: 'actual' }],
		entities: tree('e', 8, 6).map((entity) => ({ ...entity, currency: 'EUR' })),
		general: { product: tree('p', 20, 25), route: tree('r', 4, 6), channel: tree('c', 1, 5) }
	});
	const cube = new Cube(model);
	const { random, draw } = addresses(model, 7);
	const address = new Int32Array(model.dimensions.length);
	const values = new Float64Array(model.periods.width);
	for (let written = 0; written < CELLS;) {
		const year = draw(address);
		address[model.accountAxis] = 0;
		address[model.scenarioAxis] = 1;
		if (!Number.isNaN(cube.read(address, year, 0))) continue;
		for (const account of kind === 'copy' ? [0] : [0, 1]) {
			address[model.accountAxis] = account;
			for (let position = 0; position < values.length; position++) values[position] = 1 + Math.round(random() * 1_000) / 10;
			cube.writeSeries(2, address, year, values);
		}
		written += values.length;
	}
	const text = 'Fuel = Litres * Price';
	const names = new ScriptNames(model);
	const step: Step =
		kind === 'copy'
			? { ...head, kind: 'copy', from: {}, onto: { [model.scenarios.id]: member(model, 'scenario', 'plan') }, shift: null, factor: 1.1 }
			: { ...head, kind: 'formula', script: { text, names: checkScript(model, text, { names, parameters: new Map() }).names } };
	return medianOf(3, () => {
		const { log } = runSteps(model, cube, order([step]));
		if (log[0]!.written < CELLS) throw new Error(`Only ${log[0]!.written} cells were written.`);
	});
}

async function checking(statements: number): Promise<number> {
	const model = buildModel({
		accounts: tree('a', 40, 50, { valueType: 'quantity' }),
		scenarios: [{ code: 'plan' }],
		general: { route: tree('r', 4, 6) }
	});
	const leaves = model.accounts.members.filter((_, ordinal) => model.accounts.isLeaf(ordinal)).map(({ code }) => `"${code}"`);
	const lines = Array.from(
		{ length: statements },
		(_, index) =>
			`${leaves[index % leaves.length]} = ${leaves[(index + 7) % leaves.length]} * 2 + ${leaves[(index + 13) % leaves.length]}{Month - 1}`
	);
	if (statements < 1_000) {
		const names = new ScriptNames(model);
		return medianOf(9, () => checkScript(model, lines.join('\n'), { names, parameters: new Map() }));
	}
	const steps = lines.map((text, index): Step => ({ ...head, id: index + 1, kind: 'formula', script: { text, names: [] } }));
	return medianOf(3, () => checkRunbook(model, steps, []));
}
