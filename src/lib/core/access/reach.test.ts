import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing/build-model';
import { ReadGuard, type Grant } from '.';
import { REACH, ReachTable } from './reach';

const model = buildModel({
	accounts: [{ code: 'all' }, { code: 'pay', parent: 'all', account: {} }, { code: 'dues', parent: 'all', account: {} }],
	scenarios: [{ code: 'plan', entry: ['2026-04', '2027-03'] }],
	entities: [
		{ code: 'group' },
		{ code: 'north', parent: 'group', currency: 'EUR' },
		{ code: 'isles', parent: 'group' },
		{ code: 'skerry', parent: 'isles', currency: 'EUR' },
		{ code: 'holm', parent: 'isles', currency: 'EUR' }
	],
	general: { team: [{ code: 'teams' }, { code: 'deck', parent: 'teams' }, { code: 'shop', parent: 'teams' }] }
});
const [, , entity, team] = model.dimensions.map(({ id }) => id) as [number, number, number, number];
const ENTITIES = ['group', 'north', 'isles', 'skerry', 'holm'];
const at = (axis: number, code: string) => model.dimensions[axis]!.members.findIndex((member) => member.code === code);
const id = (axis: number, code: string) => model.dimensions[axis]!.member(at(axis, code)).id;
const grant = (level: Grant['level'], slice: Record<number, number[]>): Grant => ({ name: 'g', level, slice });
/** By entity: – nothing, r read, w write. */
const reach = (grants: Grant[], guarded = [entity, team], axis = 2, codes = ENTITIES) => {
	const levels = new ReachTable(model, axis, guarded).of(grants);
	return codes.map((code) => '–rw'[levels[at(axis, code)]!]).join('');
};

describe('what is reached at the members of a dimension', () => {
	test('of a model that guards nothing all may be read, and what is granted written', () => {
		expect(reach([], [])).toBe('rrrrr');
		expect(reach([grant('write', { [entity]: [id(2, 'isles')] })], [])).toBe('wrwww');
	});
	test('of a guarded one only what is granted, and a parent where something under it is', () => {
		expect(reach([])).toBe('–––––');
		expect(reach([grant('read', { [entity]: [id(2, 'skerry')] })])).toBe('r–rr–');
		expect(
			reach([grant('write', { [entity]: [id(2, 'skerry')], [team]: [id(3, 'deck')] }), grant('read', { [entity]: [id(2, 'north')] })])
		).toBe('wrww–');
	});
	test('keeping out of a member wins; keeping out of a part of it leaves the rest', () => {
		const isles = grant('write', { [entity]: [id(2, 'isles')] });
		expect(reach([isles, grant('none', { [entity]: [id(2, 'holm')] })])).toBe('w–ww–');
		expect(reach([isles, grant('none', { [entity]: [id(2, 'holm')], [team]: [id(3, 'shop')] })])).toBe('w–www');
		// Both parts together leave nothing.
		expect(
			reach([isles, grant('none', { [entity]: [id(2, 'holm')], [team]: [id(3, 'shop')] }), grant('none', { [team]: [id(3, 'deck')] })])
		).toBe('w–ww–');
	});
	test('a grant at members that are gone reaches nothing', () => {
		expect(reach([grant('write', { [entity]: [999_999] }), grant('write', { [entity]: [id(2, 'north')], [team]: [999_999] })])).toBe(
			'–––––'
		);
	});
	test('a member of another dimension than the guarded one is read where anything is', () => {
		const codes = ['teams', 'deck', 'shop'];
		expect(reach([grant('read', { [entity]: [id(2, 'skerry')] })], [entity], 3, codes)).toBe('rrr');
		expect(reach([grant('write', { [entity]: [id(2, 'skerry')], [team]: [id(3, 'deck')] })], [entity], 3, codes)).toBe('wwr');
	});

	test('of any grants it is what a guard over every combination says', () => {
		const slices = fc.record({
			entity: fc.option(fc.subarray(ENTITIES, { minLength: 1 }), { nil: undefined }),
			team: fc.option(fc.subarray(['teams', 'deck', 'shop'], { minLength: 1 }), { nil: undefined }),
			level: fc.constantFrom('read' as const, 'write' as const, 'none' as const)
		});
		fc.assert(
			fc.property(fc.array(slices, { maxLength: 6 }), fc.subarray([entity, team]), fc.constantFrom(2, 3), (asked, guarded, axis) => {
				const grants = asked.map((each) =>
					grant(each.level, {
						...(each.entity && { [entity]: each.entity.map((code) => id(2, code)) }),
						...(each.team && { [team]: each.team.map((code) => id(3, code)) })
					})
				);
				const reads = ReadGuard.of(model, grants, guarded);
				const writes = ReadGuard.of(
					model,
					grants.filter(({ level }) => level !== 'read'),
					model.dimensions.map((dimension) => dimension.id)
				)!;
				const levels = new ReachTable(model, axis, guarded).of(grants);
				model.dimensions[axis]!.members.forEach((_, ordinal) => {
					const expected =
						reads && !reads.reaches(axis, ordinal) ? REACH.nothing : writes.reaches(axis, ordinal) ? REACH.write : REACH.read;
					expect(levels[ordinal]).toBe(expected);
				});
			}),
			{ numRuns: 400 }
		);
	});
});
