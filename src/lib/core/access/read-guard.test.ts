import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing/build-model';
import { type AccessRules, explainAccess, type Grant, type Lock, LockTable, ReadGuard, WriteGuard } from '.';
import { readsEverything } from './read-guard';

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
const at = (axis: number, code: string) => model.dimensions[axis]!.members.findIndex((member) => member.code === code);
const id = (axis: number, code: string) => model.dimensions[axis]!.member(at(axis, code)).id;
const grant = (level: Grant['level'], slice: Record<number, number[]>, name = 'g'): Grant => ({ name, level, slice });
const cell = (entityCode: string, teamCode: string, account = 'pay') => [at(0, account), 0, at(2, entityCode), at(3, teamCode)];
const of = (grants: Grant[], guarded = [entity, team]) => ReadGuard.ofRules(model, { grants, guarded });

describe('what may be read', () => {
	test('everything, where nothing is guarded or one grant is for all of what is', () => {
		expect(of([], [])).toBeUndefined();
		expect(of([grant('read', {})])).toBeUndefined();
		// A grant that is limited only on what is not guarded is for all of what is.
		expect(of([grant('read', { [model.accounts.id]: [id(0, 'pay')] })])).toBeUndefined();
		expect(readsEverything({ grants: [grant('read', {}), grant('none', { [team]: [id(3, 'shop')] })], guarded: [team] })).toBe(false);
	});

	test('nothing, where something is guarded and nothing granted', () => {
		const guard = of([])!;
		expect(guard.mayRead(cell('north', 'deck'))).toBe(false);
		expect([guard.reachesCell(cell('group', 'teams')), guard.readsCell(cell('group', 'teams')), guard.reaches(2, at(2, 'group'))]).toEqual([
			false,
			false,
			false
		]);
	});

	test('two grants over two dimensions do not give their union', () => {
		const guard = of([
			grant('write', { [entity]: [id(2, 'skerry')], [team]: [id(3, 'deck')] }),
			grant('read', { [entity]: [id(2, 'north')], [team]: [id(3, 'shop')] })
		])!;
		expect(guard.mayRead(cell('skerry', 'deck'))).toBe(true);
		expect(guard.mayRead(cell('skerry', 'shop'))).toBe(false);
		// Each member alone is reached, the two together are not.
		expect([guard.reaches(2, at(2, 'skerry')), guard.reaches(3, at(3, 'shop'))]).toEqual([true, true]);
		expect([guard.reachesCell(cell('skerry', 'shop')), guard.reachesCell(cell('isles', 'teams'))]).toEqual([false, true]);
		expect([guard.readsCell(cell('isles', 'teams')), guard.readsCell(cell('skerry', 'deck'))]).toEqual([false, true]);
		expect(guard.reaches(2, at(2, 'holm'))).toBe(false);
	});

	test('a grant for a group of members holds for what is under it, and one that keeps out wins', () => {
		const guard = of([
			grant('read', { [entity]: [id(2, 'isles')] }),
			grant('none', { [entity]: [id(2, 'holm')], [team]: [id(3, 'shop')] })
		])!;
		expect([guard.mayRead(cell('holm', 'deck')), guard.mayRead(cell('holm', 'shop')), guard.mayRead(cell('north', 'deck'))]).toEqual([
			true,
			false,
			false
		]);
		expect([guard.readsCell(cell('holm', 'teams')), guard.readsCell(cell('skerry', 'teams'))]).toEqual([false, true]);
	});

	test('of any grants it is what each leaf says by itself', () => {
		const slices = fc.record({
			entity: fc.option(fc.subarray(['group', 'north', 'isles', 'skerry', 'holm'], { minLength: 1 }), { nil: undefined }),
			team: fc.option(fc.subarray(['teams', 'deck', 'shop'], { minLength: 1 }), { nil: undefined }),
			level: fc.constantFrom('read' as const, 'write' as const, 'none' as const)
		});
		const under = (axis: number, code: string, named: string[]) =>
			named.some((above) => model.dimensions[axis]!.tree.isUnder(at(axis, code), at(axis, above)));
		fc.assert(
			fc.property(fc.array(slices, { maxLength: 4 }), fc.constantFrom<number[]>([entity], [team], [entity, team]), (asked, guarded) => {
				const grants = asked.map(({ entity: lines, team: teams, level }) =>
					grant(level, {
						...(lines && { [entity]: lines.map((code) => id(2, code)) }),
						...(teams && { [team]: teams.map((code) => id(3, code)) })
					})
				);
				/** By the words of the rule, without classes: a grant covers a leaf on the guarded dimensions; keeping out wins. */
				const reads = (line: string, crew: string) => {
					const here = asked.filter(
						({ entity: lines, team: teams }) =>
							(!lines || !guarded.includes(entity) || under(2, line, lines)) && (!teams || !guarded.includes(team) || under(3, crew, teams))
					);
					return here.some(({ level }) => level !== 'none') && !here.some(({ level }) => level === 'none');
				};
				const guard = of(grants, guarded);
				for (const line of ['group', 'north', 'isles', 'skerry', 'holm'])
					for (const crew of ['teams', 'deck', 'shop']) {
						const leaves = ['north', 'skerry', 'holm']
							.filter((leaf) => under(2, leaf, [line]))
							.flatMap((leaf) => ['deck', 'shop'].filter((each) => under(3, each, [crew])).map((each) => reads(leaf, each)));
						const members = cell(line, crew);
						if (leaves.length === 1) expect(guard?.mayRead(members) ?? true).toBe(leaves[0]);
						expect(guard?.reachesCell(members) ?? true).toBe(leaves.includes(true));
						expect(guard?.readsCell(members) ?? true).toBe(!leaves.includes(false));
					}
			}),
			{ numRuns: 300 }
		);
	});
});

describe('why', () => {
	const rules = (grants: Grant[], more: Partial<AccessRules> = {}): AccessRules => ({
		mayEnter: true,
		grants,
		guarded: [entity],
		...more
	});
	const why = (given: AccessRules, members: number[], locks: Lock[] = []) =>
		explainAccess(model, given, new LockTable(model, locks), members, { from: 0, to: 0 });

	test('names the grant that lets one read and write', () => {
		const { read, write } = why(rules([grant('write', { [entity]: [id(2, 'isles')] }, 'Isles')]), cell('holm', 'deck'));
		expect(read).toEqual([{ words: expect.stringContaining('“Isles”') as string, holds: true }]);
		expect(write).toEqual([{ words: expect.stringMatching(/granted by “Isles”/) as string, holds: true }]);
	});

	test('names what keeps one out, and what a total is made of for who reads a part', () => {
		const partly = rules([
			grant('read', { [entity]: [id(2, 'isles')] }, 'Isles'),
			grant('none', { [entity]: [id(2, 'holm')] }, 'Not Holm')
		]);
		expect(why(partly, cell('holm', 'deck')).read).toEqual([{ words: '“Not Holm” keeps out here.', holds: false }]);
		expect(why(partly, cell('north', 'deck')).read[0]).toMatchObject({ holds: false });
		expect(why(partly, cell('group', 'deck')).read[0]).toMatchObject({ holds: true, words: expect.stringMatching(/^A part/) as string });
		expect(why(partly, cell('skerry', 'deck')).write).toEqual([{ words: 'You have no grant to write in this model.', holds: false }]);
	});

	test('says what a lock says', () => {
		const open = rules([grant('write', {}, 'All')]);
		const locks: Lock[] = [{ id: 1, layer: 'board', state: 'closed', name: 'The budget', slice: { [entity]: [id(2, 'north')] } }];
		expect(why(open, cell('north', 'deck'), locks).write).toEqual([{ words: 'The budget is closed.', holds: false }]);
		const guard = new WriteGuard(model, open, new LockTable(model, locks));
		expect(guard.verdict(cell('holm', 'deck'), { from: 0, to: 0 }).kind).toBe('enter');
		expect(why(open, cell('group', 'deck'), locks).write[0]).toMatchObject({
			holds: true,
			words: expect.stringMatching(/spread/) as string
		});
	});
});
