import fc from 'fast-check';
import { expect, test } from 'vitest';
import { Model } from '../model';
import { buildModel } from '../testing';
import { LockTable, WriteGuard, type Grant, type Lock, type LockState } from '.';

/** Accounts that take entry, group, are computed after totals and at leaves; members that are retired; two scenarios. */
const sketched = buildModel({
	accounts: [
		{ code: 'result' },
		{ code: 'sales', parent: 'result', account: {} },
		{ code: 'cost', parent: 'result', account: {} },
		{ code: 'old', parent: 'result', account: {} },
		{ code: 'yearly', parent: 'result', account: { frequency: 'per year' } },
		{ code: 'bonus', parent: 'result', account: {}, formula: (account) => account('cost'), perLeaf: { scenario: 'plan', from: '2026-06' } },
		{ code: 'margin', account: { consolidation: 'formula' }, formula: (account) => account('result') }
	],
	scenarios: [{ code: 'plan', entry: ['2026-06', '2027-03'] }, { code: 'actual' }],
	entities: [
		{ code: 'group' },
		{ code: 'north', parent: 'group', currency: 'EUR' },
		{ code: 'south', parent: 'group', currency: 'EUR' },
		{ code: 'gone', parent: 'group', currency: 'EUR' }
	]
});
const model = new Model({
	...sketched.definition,
	dimensions: sketched.definition.dimensions.map((dimension) => ({
		...dimension,
		members: dimension.members.map((member) => ({ ...member, retired: ['old', 'gone'].includes(member.code) }))
	}))
});
const axes = [...model.dimensions, model.periods.dimension];
const slice = fc
	.tuple(...axes.map(({ members }) => fc.option(fc.subarray(members.slice(0, 12), { minLength: 1, maxLength: 2 }), { nil: undefined })))
	.map((all) => Object.fromEntries(all.flatMap((named, axis) => (named ? [[axes[axis]!.id, named.map(({ id }) => id)]] : []))));

test('asked about all of a model, a guard says what a new one says of each figure, in the same words', () => {
	const locks = fc
		.array(fc.tuple(fc.constantFrom<LockState>('open', 'held', 'held', 'closed'), slice), { minLength: 1, maxLength: 5 })
		.map((all) => all.map(([state, of], at): Lock => ({ id: at + 1, layer: 'board', state, name: `lock ${at}`, slice: of })));
	// One dimension alone: what bars a part of it bars much.
	const part = fc
		.nat(axes.length - 1)
		.chain((axis) =>
			fc
				.subarray(axes[axis]!.members.slice(0, 12), { minLength: 1, maxLength: 2 })
				.map((named) => ({ [axes[axis]!.id]: named.map(({ id }) => id) }))
		);
	const grants = fc
		.array(fc.tuple(fc.constantFrom<Grant['level']>('read', 'none'), part), { minLength: 1, maxLength: 2 })
		.map((all) => [
			...all.map(([level, of], at): Grant => ({ name: `grant ${at}`, level, slice: of })),
			{ name: 'all', level: 'write' as const, slice: {} }
		]);
	const kinds = new Map<string, number>();
	const periods = [...model.periods.dimension.members.keys()].slice(0, 8);
	fc.assert(
		fc.property(locks, grants, (all, granted) => {
			const table = new LockTable(model, all);
			const rules = { mayEnter: true, grants: granted };
			const guard = new WriteGuard(model, rules, table);
			for (const account of model.accounts.members.keys())
				for (const scenario of model.scenarios.members.keys())
					for (const entity of axes[2]!.members.keys())
						for (const period of periods) {
							const range = model.periods.range(period);
							const said = guard.verdict([account, scenario, entity], range);
							kinds.set(said.kind, (kinds.get(said.kind) ?? 0) + 1);
							expect(said).toEqual(new WriteGuard(model, rules, table).verdict([account, scenario, entity], range));
						}
		}),
		{ numRuns: 60 }
	);
	for (const kind of ['enter', 'spread', 'computed', 'refused', 'closed', 'held']) expect(kinds.get(kind) ?? 0, kind).toBeGreaterThan(10);
});
