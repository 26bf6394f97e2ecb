import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { Model, type ModelDefinition } from '../model';
import { buildModel, fillCube, randomModel, type StoredCell } from '../testing';
import { Cube } from '.';

/** The same cells where another model has their members; those of members it lacks are left out. */
function atHome(from: Model, to: Model, cells: readonly StoredCell[]): StoredCell[] {
	return cells.flatMap((cell) => {
		const address = cell.address.map((ordinal, axis) => to.dimensions[axis]!.ordinal(from.dimensions[axis]!.member(ordinal).id) ?? -1);
		return address.includes(-1) ? [] : [{ ...cell, address }];
	});
}

function expectSame(cube: Cube, fresh: Cube, cells: readonly StoredCell[], model: Model): void {
	expect(cube.cells).toBe(fresh.cells);
	for (const { address, period } of cells) {
		const { fiscalYear, position } = model.periods.leaf(period);
		expect(cube.read(address, fiscalYear, position)).toBe(fresh.read(address, fiscalYear, position));
		expect(cube.contributions(address, fiscalYear, position)).toEqual(fresh.contributions(address, fiscalYear, position));
	}
}

const withDimensions = (
	definition: ModelDefinition,
	change: (dimension: ModelDefinition['dimensions'][number]) => ModelDefinition['dimensions'][number]
): Model => new Model({ ...definition, dimensions: definition.dimensions.map(change) });

describe('a cube that moves to a changed model', () => {
	test('is the cube of that model filled anew: members in another order, one gone, origins of another kind', () => {
		fc.assert(
			fc.property(
				randomModel,
				fc.boolean(),
				fc.boolean(),
				fc.constantFrom('adds', 'sets', 'loads'),
				({ model, cells }, turns, loses, mode) => {
					const route = model.dimensions.find(({ code }) => code === 'route')!;
					// The last one is read by formulas.
					const lost = route.members.slice(0, -1).find(({ id }) => route.tree.isLeaf(route.ordinal(id)!));
					const next = withDimensions(
						{
							...model.definition,
							balanceRoles: (model.definition.balanceRoles ?? []).filter(({ member }) => !loses || member !== lost?.id),
							origins: model.definition.origins.map((each) => (each.mode === 'loads' ? { ...each, mode } : each))
						},
						(dimension) => {
							const isLost = (id: number) => loses && dimension.code === 'route' && id === lost?.id;
							const members = dimension.members.filter(({ id }) => !isLost(id));
							return {
								...dimension,
								members: turns && dimension.kind !== 'period' ? members.toReversed() : members,
								nodes: dimension.nodes.filter(({ member }) => !isLost(member))
							};
						}
					);
					const cube = fillCube(model, cells);
					expect(cube.moveTo(next)).toBe(true);
					const moved = atHome(model, next, cells);
					expectSame(cube, fillCube(next, moved), moved, next);
					// What is written afterwards finds its place.
					const more = moved.map((cell) => ({ ...cell, value: cell.value + 1 }));
					const both = fillCube(next, [...moved, ...more]);
					for (const { origin, address, period, value, stamp } of more) {
						const leaf = next.periods.leaf(period);
						cube.writeCell(origin, address, leaf.fiscalYear, leaf.position, value, stamp);
					}
					expectSame(cube, both, moved, next);
				}
			),
			{ numRuns: 60 }
		);
	});

	const small = (extra: { years?: number; second?: boolean } = {}) =>
		buildModel({
			accounts: [{ code: 'sales' }],
			scenarios: [{ code: 'plan', span: ['2026-04', '2028-03'], entry: ['2026-04', '2028-03'] }],
			general: { route: [{ code: 'north' }, { code: 'south' }], ...(extra.second && { ship: [{ code: 'any' }] }) },
			calendar: { years: extra.years ?? 2 }
		});
	const cell = (model: Model, value: number): StoredCell => ({
		origin: 1,
		address: model.dimensions.map(() => 0),
		period: 0,
		value,
		stamp: 1
	});

	test('further years keep what is there', () => {
		const [model, longer] = [small(), small({ years: 3 })];
		// Ids are given in one sequence: the same ones for the same members.
		const next = new Model({
			...model.definition,
			dimensions: model.definition.dimensions.map((each) =>
				each.kind === 'period'
					? longer.definition.dimensions.find(({ kind }) => kind === 'period')!
					: {
							...each,
							members: each.members.map((member) => ({ ...member, id: member.id + 10_000 })),
							nodes: each.nodes.map((node) => ({ ...node, member: node.member + 10_000 }))
						}
			),
			accounts: model.definition.accounts.map((each) => ({ ...each, member: each.member + 10_000 })),
			scenarios: [],
			periods: longer.definition.periods
		});
		const cube = fillCube(model, [cell(model, 7)]);
		expect(cube.moveTo(next)).toBe(true);
		// None of its members is there any more.
		expect(cube.cells).toBe(0);
	});

	test('another dimension, or months elsewhere in their years, must be read anew, and nothing has moved', () => {
		const model = small();
		const cube = fillCube(model, [cell(model, 7)]);
		expect(cube.moveTo(small({ second: true }))).toBe(false);
		const shifted = new Model({
			...model.definition,
			periods: model.definition.periods.map((each) => ({ ...each, fiscalYear: each.fiscalYear + 1 }))
		});
		expect(cube.moveTo(shifted)).toBe(false);
		expect(cube.read([0, 0, 0], model.periods.leaf(0).fiscalYear, 0)).toBe(7);
	});

	test('rates and origins are exchanged in place, and whether standing figures change is told', () => {
		const model = small();
		const [first, ...others] = model.definition.origins;
		expect(model.replaceOrigins([...model.definition.origins, { id: 99, name: 'New', mode: 'adds' }])).toBe(false);
		expect(model.origin(99)?.mode).toBe('adds');
		expect(model.hasAdditions).toBe(true);
		expect(model.replaceOrigins([{ ...first!, mode: first!.mode === 'adds' ? 'loads' : 'adds' }, ...others])).toBe(true);
		expect(model.origin(99)).toBeUndefined();
		model.replaceRates([
			{
				id: 1,
				name: 'Other',
				pivot: 'EUR',
				rates: [{ currency: 'GBP', kind: 'average', from: '2026-04-01', to: '2026-04-30', value: 0.5 }]
			}
		]);
		expect(model.rates(1)?.factor('EUR', 'GBP', 'average', '2026-04-01', '2026-04-30')).toBe(0.5);
		expect(model.definition.rateSets).toHaveLength(1);
	});
});
