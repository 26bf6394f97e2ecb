import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing';
import { lockSlices } from './lock-slices';

const model = buildModel({
	accounts: [{ code: 'pay', account: {} }],
	scenarios: [{ code: 'budget' }, { code: 'outlook' }],
	entities: [
		{ code: 'group' },
		{ code: 'skerry', parent: 'group', currency: 'EUR' },
		{ code: 'amber', parent: 'group', currency: 'EUR' },
		{ code: 'north', parent: 'group', currency: 'EUR' }
	]
});
const dimension = (axis: number) => (axis < 0 ? model.periods.dimension : model.dimensions[axis]!);
const member = (axis: number, code: string) => dimension(axis).members.find((each) => each.code === code)!.id;
const [SCENARIO, ENTITY, PERIOD] = [1, 2, -1];
const only = (axis: number, ...codes: string[]) => ({
	[dimension(axis).id]: { kind: 'these' as const, members: codes.map((code) => member(axis, code)) }
});
const slices = (limits: Record<number, unknown>) =>
	lockSlices(model, limits as never, new Map())?.map((slice) =>
		slice.map((id) => [...model.dimensions, model.periods.dimension].flatMap(({ members }) => members).find((each) => each.id === id)!.code)
	);

describe('what a limit locks', () => {
	test('one member of each dimension that is named', () =>
		expect(slices({ ...only(SCENARIO, 'budget'), ...only(ENTITY, 'skerry') })).toEqual([['budget', 'skerry']]));
	test('all children are their parent', () => expect(slices(only(ENTITY, 'skerry', 'amber', 'north'))).toEqual([['group']]));
	test('some of them are themselves, in the order of the tree', () =>
		expect(slices(only(ENTITY, 'north', 'skerry'))).toEqual([['skerry'], ['north']]));
	test('a run of months is the quarters it fills and the months that are left', () => {
		const months = model.periods.leaves.slice(0, 4).map(({ ordinal }) => model.periods.dimension.member(ordinal).code);
		const found = slices(only(PERIOD, ...months))!;
		expect(found).toHaveLength(2);
		expect(found[1]).toEqual([months[3]]);
	});
	test('several of several are every combination; too many are none', () => {
		expect(slices({ ...only(SCENARIO, 'budget', 'outlook'), ...only(ENTITY, 'skerry', 'amber') })).toEqual([
			['budget', 'skerry'],
			['budget', 'amber'],
			['outlook', 'skerry'],
			['outlook', 'amber']
		]);
	});
});
