import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { enter } from '../entry';
import { takeApart } from '../insight';
import { buildModel, sceneOf } from '../testing';
import { BranchLayer, compileQuery, Cube, Overlay, Reader, View } from '.';

/** Rates are kroner a euro: 10 in the first set, 20 in the second; the outlook takes the second one from July on. */
const rate = (value: number, from = '2027-04-01', to = '2029-03-31') =>
	(['average', 'closing'] as const).map((kind) => ({ currency: 'NOK', kind, from, to, value }));
const built = (otherRates = rate(20)) =>
	buildModel({
		accounts: [{ code: 'sales', account: {} }],
		scenarios: [
			{ code: 'plan', entry: ['2027-04', '2027-09'] },
			{ code: 'outlook', laterRates: '2027-07' }
		],
		entities: [{ code: 'fjord', currency: 'NOK' }],
		calendar: { namedBy: 'first year' },
		rates: rate(10),
		otherRates
	});
const [PLAN, OUTLOOK] = [0, 1];
const at = (scenario: number) => [0, scenario, 0] as const;

function branched(model = built()) {
	const cube = new Cube(model);
	const months = model.periods.leaves.slice(0, 6);
	for (const scenario of [PLAN, OUTLOOK])
		for (const { fiscalYear, position } of months) cube.writeCell(1, at(scenario), fiscalYear, position, 200);
	const layer = new BranchLayer(cube);
	layer.ratesInstead = { of: 1, by: 2 };
	return { model, cube, layer, plan: new Reader(cube), branch: new Reader(cube, [layer]) };
}

/** A month (index) of a scenario. */
function shown(
	reader: Reader,
	scenario: number,
	month: number,
	{ currency = 'EUR', rateSet }: { currency?: string; rateSet?: number } = {}
) {
	const { model } = reader;
	const [accounts, scenarios, entities] = model.dimensions;
	const period = model.periods.dimension;
	const view = new View(
		compileQuery(model, {
			slice: { [scenarios!.id]: scenarios!.member(scenario).id, [entities!.id]: entities!.member(0).id },
			rows: [{ [accounts!.id]: accounts!.member(0).id }],
			columns: [{ [period.id]: period.member(model.periods.leaf(month).ordinal).id }],
			currency,
			...(rateSet !== undefined && { rateSet })
		})
	);
	view.fill(reader);
	return { value: view.evaluate().values[0]!, missing: view.missingRates.map((each) => each.rateSet), view };
}

describe('a branch at rates of its own', () => {
	test('reads them in the place of those a scenario names, and the plan goes on at its own', () => {
		const { plan, branch } = branched();
		expect(shown(plan, PLAN, 0).value).toBe(20);
		expect(shown(branch, PLAN, 0).value).toBe(10);
		expect(shown(branch, PLAN, 0, { currency: 'local' }).value).toBe(200);
	});

	test('only where the set it replaces is named: months that are at another set stay', () => {
		const { layer, branch } = branched();
		expect([shown(branch, OUTLOOK, 2).value, shown(branch, OUTLOOK, 3).value]).toEqual([10, 10]);
		layer.ratesInstead = { of: 2, by: 1 };
		expect([shown(branch, OUTLOOK, 2).value, shown(branch, OUTLOOK, 3).value]).toEqual([20, 20]);
		expect(shown(branch, PLAN, 3).value).toBe(20);
	});

	test('what is read at named rates on purpose is read at those', () => {
		const { branch } = branched();
		expect(shown(branch, PLAN, 0, { rateSet: 1 }).value).toBe(20);
	});

	test('a rate it lacks is missing by its own name', () => {
		const { plan, branch } = branched(built(rate(20, '2027-06-01')));
		expect(shown(plan, PLAN, 0).missing).toEqual([]);
		const { value, missing } = shown(branch, PLAN, 0);
		expect(value).toBeNaN();
		expect(missing).toEqual(['Other rates']);
	});

	test('a view that was filled with the plan is right when it is filled with the branch', () => {
		const { plan, branch } = branched();
		const { view } = shown(plan, PLAN, 0);
		view.fill(branch);
		expect(view.evaluate().values[0]).toBe(10);
		view.fill(plan);
		expect(view.evaluate().values[0]).toBe(20);
	});

	test('whatever is in it, and whichever set is read for which, every total is the sum at the rates of its month', () => {
		let atOthers = 0;
		const RATES = { 1: 10, 2: 20 } as const;
		const set = fc.constantFrom(1 as const, 2 as const);
		fc.assert(
			fc.property(
				fc.array(fc.tuple(fc.constantFrom(PLAN, OUTLOOK), fc.integer({ min: 0, max: 5 }), fc.integer({ min: -900, max: 900 })), {
					minLength: 1,
					maxLength: 12
				}),
				set,
				set,
				(cells, of, by) => {
					const { model, cube, layer, branch } = branched();
					layer.ratesInstead = { of, by };
					const held = new Map<string, number>();
					for (const [scenario, month, value] of cells) {
						const { fiscalYear, position } = model.periods.leaf(month);
						// Some of it is of the branch itself.
						if (value % 2 === 0) layer.hold(1, at(scenario), fiscalYear, position, value, 1);
						else if (!held.has(`${scenario} ${month} own`)) cube.writeCell(1, at(scenario), fiscalYear, position, value);
						if (value % 2 === 0) held.set(`${scenario} ${month} own`, value);
						else if (!held.has(`${scenario} ${month} own`)) held.set(`${scenario} ${month}`, value);
					}
					for (const scenario of [PLAN, OUTLOOK])
						for (let month = 0; month < 6; month++) {
							const own = scenario === OUTLOOK && month >= 3 ? 2 : 1;
							const read = own === of ? by : own;
							if (read !== own) atOthers++;
							const stored = held.get(`${scenario} ${month} own`) ?? held.get(`${scenario} ${month}`) ?? 200;
							expect(shown(branch, scenario, month).value).toBeCloseTo(stored / RATES[read], 9);
						}
				}
			),
			{ numRuns: 40 }
		);
		expect(atOthers).toBeGreaterThan(40);
	});

	test('what is typed in euros is kept by the rates it was read at', () => {
		const { model, cube, layer } = branched();
		const { guard } = sceneOf(cube, {
			mayEnter: true,
			grants: [{ name: 'all', level: 'write', slice: {} }]
		});
		const reader = new Reader(cube, [layer, new Overlay(model)]);
		const result = enter(
			{ reader, guard },
			{ members: at(PLAN), range: { from: 0, to: 0 }, shown: 10, currency: 'EUR', input: { kind: 'set', value: 30 } }
		);
		expect(result).toMatchObject({ changes: [{ before: 200, after: 600 }] });
	});

	test('held against the plan, the difference is exchange and nothing else', () => {
		const { model, plan, branch } = branched();
		const figure = { members: Int32Array.from(at(PLAN)), period: model.periods.leaf(0).ordinal };
		const found = takeApart(
			[
				{ reader: plan, figure, currency: 'EUR' },
				{ reader: branch, figure, currency: 'EUR' }
			],
			{ dimension: null, most: 5 }
		);
		expect(found).toMatchObject({ before: 20, after: 10, exchange: -10, addsUp: true });
	});
});
