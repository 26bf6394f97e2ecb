import { describe, expect, test } from 'vitest';
import { Model } from '../model';
import { buildModel, fillCube } from '../testing';
import { eachMovedFigure, type MovedFigure } from '.';

const now = buildModel({
	accounts: [
		{ code: 'result' },
		{ code: 'sales', parent: 'result', account: {} },
		{ code: 'cost', parent: 'result', weight: -1, account: { kind: 'expense' } }
	],
	scenarios: [{ code: 'plan' }, { code: 'actual' }],
	entities: [
		{ code: 'group' },
		{ code: 'north', parent: 'group' },
		{ code: 'south', parent: 'group' },
		{ code: 'a', parent: 'north' },
		{ code: 'b', parent: 'south' },
		{ code: 'c', parent: 'south' }
	],
	general: { version: [{ code: 'work' }, { code: 'final' }] }
});
const id = (code: string) => {
	for (const dimension of [...now.dimensions, now.periods.dimension]) {
		const ordinal = dimension.ordinalOfCode(code);
		if (ordinal !== undefined) return dimension.member(ordinal).id;
	}
	throw new Error(code);
};
const cube = fillCube(
	now,
	(
		[
			['sales', 'actual', 'a', 'final', 100],
			['sales', 'actual', 'b', 'final', 40],
			['cost', 'actual', 'c', 'final', 30],
			['sales', 'plan', 'b', 'work', 7]
		] as const
	).map(([account, scenario, entity, version, value]) => ({
		origin: 1,
		address: now.dimensions.map((dimension) =>
			[account, scenario, entity, version].map((code) => dimension.ordinalOfCode(code)).find((ordinal) => ordinal !== undefined)!
		),
		period: 0,
		value
	}))
);
/** The model with another parent, or another weight, of a member. */
const changed = (code: string, change: { parent?: string; weight?: number }) =>
	new Model({
		...now.definition,
		dimensions: now.definition.dimensions.map((dimension) => ({
			...dimension,
			nodes: dimension.nodes.map((node) =>
				node.member === id(code)
					? { ...node, ...(change.parent && { parent: id(change.parent) }), ...(change.weight !== undefined && { weight: change.weight }) }
					: node
			)
		}))
	});
function moved(after: Model, slice: Record<number, number[]>) {
	const found: string[] = [];
	const nameOf = (member: number) =>
		[...now.dimensions, now.periods.dimension].flatMap((dimension) => dimension.members.filter((each) => each.id === member))[0]!.code;
	const tell = ({ account, scenario, period, place, before, after: is }: MovedFigure) =>
		found.push([nameOf(account), nameOf(scenario), nameOf(period), ...Object.values(place).map(nameOf), before, is].join(' '));
	const { isCut } = eachMovedFigure(cube, now, after, slice, tell);
	return { found: found.sort(), isCut };
}
const dimensionId = (code: string) => now.dimensions.find((dimension) => dimension.code === code)!.id;
const closed = (codes: string[]) => ({
	[dimensionId('scenario')]: [id('actual')],
	[dimensionId('version')]: [id('final')],
	[now.periods.dimension.id]: codes.map(id)
});

describe('closed figures that another definition moves', () => {
	test('nothing, where nothing is another', () => {
		expect(moved(changed('cost', {}), {})).toEqual({ found: [], isCut: false });
	});

	test('a weight moves the total above it, in the periods that are named', () => {
		// 140 − 30 becomes 140 − 0.
		expect(moved(changed('cost', { weight: 0 }), closed(['2026-04'])).found).toEqual(['result actual 2026-04 group final 110 140']);
		expect(moved(changed('cost', { weight: 0 }), closed(['2026-05'])).found).toEqual([]);
	});

	test('a parent moves the groups between which something moves, and their total not at all', () => {
		const { found } = moved(changed('b', { parent: 'north' }), closed(['2026-04']));
		expect(found).toEqual([
			'result actual 2026-04 north final 100 140',
			'result actual 2026-04 south final 10 -30',
			'sales actual 2026-04 north final 100 140',
			'sales actual 2026-04 south final 40 NaN'
		]);
	});

	test('within what a slice names alone: what moves elsewhere is not closed', () => {
		const entity = dimensionId('entity');
		expect(moved(changed('b', { parent: 'north' }), { ...closed(['2026-04']), [entity]: [id('north')] }).found).toEqual([
			'result actual 2026-04 north final 100 140',
			'sales actual 2026-04 north final 100 140'
		]);
		expect(moved(changed('b', { parent: 'north' }), { ...closed(['2026-04']), [entity]: [id('a')] }).found).toEqual([]);
	});

	test('at every member at the top where none is named, and in whole years', () => {
		// Of two versions neither stands above the other: both are looked at.
		expect(moved(changed('b', { parent: 'north' }), { [dimensionId('scenario')]: [id('plan')] }).found).toEqual([
			'result plan FY2027 north work NaN 7',
			'result plan FY2027 south work 7 NaN',
			'sales plan FY2027 north work NaN 7',
			'sales plan FY2027 south work 7 NaN'
		]);
	});

	test('beneath what a slice names: in months of a closed year, and in accounts of a closed group', () => {
		const till = buildModel({
			accounts: [
				{ code: 'assets' },
				{ code: 'liquid', parent: 'assets' },
				{ code: 'other', parent: 'assets' },
				{ code: 'till', parent: 'liquid', account: { timeBehaviour: 'closing', kind: 'asset' } },
				{ code: 'bank', parent: 'liquid', account: { timeBehaviour: 'closing', kind: 'asset' } }
			],
			scenarios: [{ code: 'actual' }]
		});
		const idOf = (code: string) => till.accounts.member(till.accounts.ordinalOfCode(code)!).id;
		const held = fillCube(
			till,
			(
				[
					['till', 0, 30],
					['bank', 0, 5],
					['bank', 11, 5]
				] as const
			).map(([code, period, value]) => ({ origin: 1, address: [till.accounts.ordinalOfCode(code)!, 0], period, value }))
		);
		const other = (node: { member: number; weight: number; parent: number | null }, change: object) =>
			node.member === idOf('till') ? { ...node, ...change } : node;
		const withTill = (change: object) =>
			new Model({
				...till.definition,
				dimensions: till.definition.dimensions.map((dimension) => ({
					...dimension,
					nodes: dimension.nodes.map((node) => other(node, change))
				}))
			});
		const movedAt = (change: object, slice: Record<number, number[]>) => {
			const found: string[] = [];
			eachMovedFigure(held, till, withTill(change), slice, ({ account, period, before, after }) => {
				const { dimension } = till.periods;
				found.push(
					`${till.accounts.member(till.accounts.ordinal(account)!).code} ${dimension.member(dimension.ordinal(period)!).code} ${before} ${after}`
				);
			});
			return found.sort();
		};
		const year = { [till.periods.dimension.id]: [till.periods.dimension.member(till.periods.dimension.ordinalOfCode('FY2027')!).id] };
		// The year ends as it did, with the bank alone: April and its quarter do not… the quarter ends in June, with nothing.
		expect(movedAt({ weight: 0 }, year)).toEqual(['assets 2026-04 35 5', 'liquid 2026-04 35 5']);
		// All assets come to the same; two groups of them do not.
		expect(movedAt({ parent: idOf('other') }, { ...year, [till.accounts.id]: [idOf('assets')] })).toEqual([
			'liquid 2026-04 35 5',
			'other 2026-04 NaN 30'
		]);
	});
});
