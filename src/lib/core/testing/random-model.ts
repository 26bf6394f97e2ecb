import fc from 'fast-check';
import { NOTHING } from '../cube';
import type { AccountRead } from '../formula';
import type { AccountDefinition, Model } from '../model';
import { buildModel, type MemberSketch } from './build-model';
import type { StoredCell } from './naive-cell';

export interface RandomCase {
	model: Model;
	cells: StoredCell[];
}

const BUSY = ['litres', 'price', 'dearness', 'mood', 'tariff', 'litres', 'gauge', 'grip'];

/**
 * Most cells of a real model lie close together, so that what weighs, drives and looks back has something to meet: the
 * first two leaves of every breakdown, in the six months around where the plan takes other rates.
 */
function busyPlace(model: Model, address: readonly number[], period: number): Pick<StoredCell, 'address' | 'period'> {
	return {
		address: address.map((ordinal, axis) => {
			// Every other of them an account that weighs, is weighed, or drives.
			if (axis === model.accountAxis) return period % 2 === 0 ? ordinal : model.accounts.ordinalOfCode(BUSY[ordinal % BUSY.length]!)!;
			const leaves = model.dimensions[axis]!.members.flatMap((_, each) => (model.dimensions[axis]!.tree.isLeaf(each) ? [each] : []));
			return axis === model.scenarioAxis ? leaves[ordinal % leaves.length]! : leaves[ordinal % Math.min(2, leaves.length)]!;
		}),
		period: 6 + (period % 6)
	};
}

/** A tree of 2 to `most` members: every member but the first may hang under an earlier one. */
const tree = (prefix: string, most: number): fc.Arbitrary<MemberSketch[]> =>
	fc
		.array(fc.record({ above: fc.integer({ min: -1, max: 5 }), weight: fc.constantFrom(1, 1, 1, -1, 0) }), {
			minLength: 2,
			maxLength: most
		})
		.map((shapes) =>
			shapes.map(({ above, weight }, index): MemberSketch => {
				const parent = above >= 0 && above < index ? `${prefix}${above}` : undefined;
				return parent === undefined ? { code: `${prefix}${index}` } : { code: `${prefix}${index}`, parent, weight };
			})
		);

const isParent = (members: readonly MemberSketch[], code: string) => members.some(({ parent }) => parent === code);

const facts: fc.Arbitrary<Partial<AccountDefinition>> = fc.record({
	kind: fc.constantFrom('revenue', 'revenue', 'equity'),
	timeBehaviour: fc.constantFrom('flow', 'closing', 'opening', 'average', 'latest'),
	valueType: fc.constantFrom('money', 'quantity')
});

/** Random models with weights, all time behaviours, currencies, a cut span, a ratio, and cells of several origins. */
export const randomModel: fc.Arbitrary<RandomCase> = fc
	.record({
		accounts: tree('a', 8),
		facts: fc.array(facts, { minLength: 8, maxLength: 8 }),
		entities: tree('e', 6),
		currencies: fc.array(fc.constantFrom('EUR', 'GBP', 'NOK'), { minLength: 6, maxLength: 6 }),
		routes: tree('r', 6),
		balances: fc.option(fc.array(fc.constantFrom(undefined, 'opening', 'movement', 'closing'), { minLength: 6, maxLength: 6 }), {
			nil: []
		}),
		missing: fc.boolean(),
		within: fc.constantFrom(undefined, 'first period of the year' as const, 'later periods of the year' as const)
	})
	.chain((shape) => {
		const fixedRoute = shape.routes.at(-1)!.code;
		const accounts: MemberSketch[] = shape.accounts.map((account, index) =>
			isParent(shape.accounts, account.code) ? account : { ...account, account: shape.facts[index]! }
		);
		accounts.push({
			code: 'ratio',
			account: { valueType: 'percent', timeBehaviour: 'none', consolidation: 'formula' },
			formula: (account) => ({ kind: 'binary', operator: '/', left: account('a0'), right: account('a1') })
		});
		// One account of every kind that is not simply added up.
		accounts.push(
			{ code: 'costs' },
			{ code: 'litres', parent: 'costs', account: { valueType: 'quantity' } },
			{ code: 'price', weigher: 'litres', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'weighted by' } },
			{ code: 'share', account: { valueType: 'percent', timeBehaviour: 'none', consolidation: 'average' } },
			{ code: 'tariff', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'none' } },
			{ code: 'grade', account: { valueType: 'choice', timeBehaviour: 'none', consolidation: 'none' } },
			// Fuel is computed in the plan from June on and an ordinary leaf elsewhere; what follows from it stands everywhere.
			{
				code: 'fuel',
				parent: shape.accounts.some(({ parent }) => parent === 'a0') ? 'a0' : undefined,
				account: { valueType: 'money' },
				perLeaf: { scenario: 'plan', from: '2026-06' },
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('litres'), right: account('price') })
			},
			{
				code: 'extra',
				account: { valueType: 'money', timeBehaviour: 'average' },
				perLeaf: {},
				formula: (account) => ({
					kind: 'binary',
					operator: '+',
					left: account('fuel'),
					right: { kind: 'binary', operator: '/', left: account('litres'), right: { kind: 'number', value: 4 } }
				})
			},
			// Read at a fixed place: a stored price, a computed result; and a fact of the year.
			{
				code: 'levy',
				parent: 'costs',
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('litres'), right: account('tariff', { route: fixedRoute }) })
			},
			{
				code: 'echo',
				parent: 'costs',
				weight: -1,
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'binary', operator: '-', left: account('levy'), right: account('fuel', { route: fixedRoute }) })
			},
			{
				code: 'charge',
				account: {},
				perLeaf: { mayBeTyped: true },
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('start'), right: account('litres') })
			},
			// Weighed by what a formula computes; and the last value of each leaf, weighed over the same stretch.
			{ code: 'dearness', weigher: 'levy', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'weighted by' } },
			{ code: 'mood', weigher: 'litres', account: { valueType: 'percent', timeBehaviour: 'latest', consolidation: 'weighted by' } },
			{
				code: 'gauge',
				account: { valueType: 'quantity', timeBehaviour: 'latest' },
				perLeaf: shape.within ? { within: shape.within } : {},
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('litres'), right: { kind: 'number', value: 2 } })
			},
			{ code: 'grip', account: { valueType: 'percent', timeBehaviour: 'latest', consolidation: 'average' } },
			{ code: 'start', account: { valueType: 'quantity', timeBehaviour: 'none', consolidation: 'none', frequency: 'per year' } },
			// What looks back at its own results, through years and into the scenario that the plan continues from.
			{
				code: 'opening',
				account: { timeBehaviour: 'opening' },
				perLeaf: { scenario: 'plan' },
				formula: (account) => ({ ...(account('closing') as AccountRead), shift: { level: 'month', by: -1 } })
			},
			{
				code: 'closing',
				account: { timeBehaviour: 'closing' },
				perLeaf: { scenario: 'plan', from: '2026-05', mayBeTyped: true },
				formula: (account) => ({ kind: 'binary', operator: '+', left: account('opening'), right: account('extra') })
			},
			{
				code: 'season',
				account: {},
				perLeaf: shape.within ? { within: shape.within } : {},
				formula: (account) => ({
					kind: 'binary',
					operator: '*',
					left: { ...(account('fuel') as AccountRead), shift: { level: 'year', by: -1 } },
					right: account('tariff', { route: fixedRoute })
				})
			},
			// Conditions: on values, on members, on what is chosen; and functions.
			{
				code: 'bonus',
				account: {},
				perLeaf: {},
				formula: (account) => ({
					kind: 'when',
					cases: [
						{
							condition: {
								kind: 'or',
								left: { kind: 'member is choice', dimension: 2, read: account('grade') as AccountRead },
								right: { kind: 'compare', operator: '>', left: account('litres'), right: { kind: 'number', value: 100 } }
							},
							value: { kind: 'call', name: 'round', args: [account('litres')] }
						}
					],
					otherwise: {
						kind: 'binary',
						operator: '*',
						left: account('closing'),
						right: {
							kind: 'not',
							of: {
								kind: 'member in',
								dimension: 5,
								selections: [{ kind: 'these', members: Object.values((account('tariff', { route: fixedRoute }) as AccountRead).at!) }]
							}
						}
					}
				})
			}
		);
		const month = (year: number, number: number) => `${year}-${String(number).padStart(2, '0')}`;
		const model = buildModel({
			accounts,
			scenarios: [
				{
					code: 'plan',
					span: [month(2026, 7), month(2028, 3)],
					entry: [month(2026, 5), month(2028, 3)],
					continues: 'actual',
					laterRates: month(2027, 1)
				},
				{ code: 'actual', span: [month(2026, 4), month(2027, 6)] }
			],
			entities: shape.entities.map((entity, index) => ({ ...entity, currency: shape.currencies[index]! })),
			general: {
				route: shape.routes.map((route, index) => {
					const balance = isParent(shape.routes, route.code) ? undefined : shape.balances[index];
					return balance ? { ...route, balance } : route;
				})
			},
			otherRates: ['GBP', 'NOK'].flatMap((currency, at) =>
				(['average', 'closing'] as const).map((kind, place) => ({
					currency,
					kind,
					from: '2026-03-01',
					to: '2028-12-31',
					value: 0.9 + at * 11 + place * 0.03
				}))
			),
			rates: ['GBP', 'NOK'].flatMap((currency, at) =>
				(['average', 'closing'] as const).map((kind, place) => ({
					currency,
					kind,
					// A missing stretch at the end: such figures must say that they are incomplete.
					from: '2026-03-01',
					to: shape.missing && currency === 'NOK' ? '2027-01-31' : '2028-12-31',
					value: 0.8 + at * 10 + place * 0.05
				}))
			)
		});
		const leafOf = (axis: number) =>
			fc.constantFrom(
				...model.dimensions[axis]!.members.flatMap((_, ordinal) =>
					model.dimensions[axis]!.tree.isLeaf(ordinal) &&
					!(axis === model.accountAxis && (model.formula(ordinal) || !model.account(ordinal)))
						? [ordinal]
						: []
				)
			);
		const cell: fc.Arbitrary<StoredCell> = fc
			.record({
				origin: fc.constantFrom(1, 2, 2, 2, 3, 4, 5, 6, 7),
				stamp: fc.integer({ min: 1, max: 9 }),
				address: fc.tuple(...model.dimensions.map((_, axis) => leafOf(axis))).map((ordinals) => [...ordinals]),
				period: fc.integer({ min: 0, max: model.periods.leaves.length - 1 }),
				value: fc.integer({ min: -100_000, max: 100_000 }).map((cents) => cents / 100),
				isNothing: fc.constantFrom(true, false, false, false),
				isBusy: fc.constantFrom(true, true, false)
			})
			.map(({ isNothing, isBusy, ...each }) => ({
				...each,
				...(isBusy && busyPlace(model, each.address, each.period)),
				value: isNothing && each.origin > 4 ? NOTHING : each.value
			}));
		return fc.array(cell, { maxLength: 70 }).map((cells) => {
			for (const each of cells) {
				// Nothing is added on top of what does not add up.
				const type = model.account(each.address[model.accountAxis]!)!.valueType;
				if (each.origin === 4 && type !== 'money' && type !== 'quantity') each.origin = 3;
				const code = model.accounts.member(each.address[model.accountAxis]!).code;
				// A fact of the year has one cell a year; choices are few; prices agree often enough to matter.
				if (code === 'start') each.period -= each.period % model.periods.width;
				if ((code === 'grade' || code === 'start' || code === 'price') && each.value !== NOTHING)
					each.value = Math.round(Math.abs(each.value)) % 3;
			}
			// An origin holds one value a cell: the later one replaces the earlier.
			const unique = new Map(cells.map((each) => [`${each.origin} ${each.address.join()} ${each.period}`, each]));
			return { model, cells: [...unique.values()] };
		});
	});
