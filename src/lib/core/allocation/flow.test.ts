import { describe, expect, test } from 'vitest';
import type { Step } from '../runbook';
import { at, dimension, id, model, run, share, to, world } from '../testing/allocation-world';
import { flowOf, type FlowStage } from './flow';
import type { LineTrace } from './trace';

const periodId = (code: string) => model.periods.dimension.members.find((each) => each.code === code)!.id;
/** Runs steps and tells their flows as lines: stage and name, amount, stage and name. */
function flows(
	cells: Parameters<typeof world>[0],
	steps: Step[],
	{ months = ['2026-04'], most = 20, counts = () => 1 }: { months?: string[]; most?: number; counts?: (account: number) => number } = {}
) {
	const made = world(cells);
	const stages: { step: string; traces: { trace: LineTrace; periods: ReadonlySet<number> }[] }[] = [];
	const last = { together: false };
	made.run(
		{ id: 1, steps },
		{},
		{
			traced: (step, trace) => {
				const of = steps.find((each) => each.id === step)!;
				const together = of.kind === 'allocation' && of.together === true;
				if (!(together && last.together) && stages.at(-1)?.step !== of.name) stages.push({ step: of.name, traces: [] });
				last.together = together;
				stages.at(-1)!.traces.push({ trace, periods: new Set(months.map(periodId)) });
			}
		}
	);
	const { nodes, links } = flowOf(
		stages satisfies FlowStage[],
		({ members, dimensions }) => counts(members[dimensions.indexOf(dimension('account').id)]!),
		most
	);
	const name = (node: number) => {
		const { stage, shown, count } = nodes[node]!;
		return `${stage} ${shown.map(({ member }) => dimension('Object').members.find((each) => each.id === member)?.code ?? '?').join() || `${count} others`}`;
	};
	return {
		nodes,
		lines: links.map(({ from, to: receiver, amount }) => `${name(from)} → ${name(receiver)} ${Math.round(amount * 100) / 100}`).sort()
	};
}
const stepDown = [
	share([{ pool: { Object: ['Web'] }, receivers: { Object: ['Pier', 'A', 'B'] }, basis: to({ Pier: 20, A: 30, B: 50 }) }]),
	share([{ pool: { Object: ['Pier'] }, receivers: { Object: ['A', 'B'] }, basis: to({ A: 60, B: 40 }) }], {}, 2)
];

describe('flows', () => {
	test('of a step-down: what came goes on from where it came to, what a pool had of its own with it', () => {
		const { lines, nodes } = flows(
			[
				[at('Web'), 60_000],
				[at('Pier'), 40_000]
			],
			stepDown
		);
		expect(lines).toEqual(['0 Web → 1 Pier 12000', '0 Web → 2 A 18000', '0 Web → 2 B 30000', '1 Pier → 2 A 31200', '1 Pier → 2 B 20800']);
		const pier = nodes.find(({ stage, shown }) => stage === 1 && shown[0]!.member === id('Object', 'Pier'))!;
		expect([pier.in, pier.out]).toEqual([12_000, 52_000]);
	});
	test('only of the periods asked for, added up; what is not looked at counts nothing', () => {
		const cells: Parameters<typeof world>[0] = [
			[at('Web'), 100],
			[at('Web'), 10, '2026-05'],
			[at('Web'), 1, '2026-06'],
			[at('Web', 'Other'), 50]
		];
		const step = share([{ pool: { account: ['Costs'], Object: ['Web'] }, receivers: { Object: ['A'] } }]);
		expect(flows(cells, [step], { months: ['2026-04', '2026-05'] }).lines).toEqual(['0 Web → 1 A 160']);
		const dues = (account: number) => (account === id('account', 'Dues') ? 1 : 0);
		expect(flows(cells, [step], { counts: dues }).lines).toEqual(['0 Web → 1 A 100']);
	});
	test('of a pool of several cells: each gave as it is of the pool, also where one counts against the others', () => {
		const step = share([{ pool: { Object: ['Net'] }, receivers: { Object: ['A', 'B'] } }]);
		expect(
			flows(
				[
					[at('M1'), 100],
					[at('Minus'), 30]
				],
				[step]
			).lines
		).toEqual(['0 M1 → 1 A 50', '0 M1 → 1 B 50', '0 Minus → 1 A -15', '0 Minus → 1 B -15']);
	});
	test('of pools solved together is one stage, by first pools', () => {
		const [web, pier] = [
			share([{ pool: { Object: ['Web'] }, receivers: { Object: ['Pier', 'A', 'B'] }, basis: to({ Pier: 20, A: 30, B: 50 }) }], {
				together: true
			}),
			share(
				[{ pool: { Object: ['Pier'] }, receivers: { Object: ['Web', 'A', 'B'] }, basis: to({ Web: 10, A: 50, B: 40 }) }],
				{ together: true },
				2
			)
		];
		const { nodes } = flows(
			[
				[at('Web'), 60_000],
				[at('Pier'), 40_000]
			],
			[web, pier]
		);
		expect(nodes.map(({ stage, in: came, out }) => [stage, Math.round(came), Math.round(out)])).toEqual([
			[0, 0, 60_000],
			[0, 0, 40_000],
			[1, 53_878, 0],
			[1, 46_122, 0]
		]);
	});
	test('the smallest of a stage stand together, and nothing is lost', () => {
		const seven = share([{ receivers: { Object: ['More'] } }]);
		const { lines, nodes } = flows([[at('Pool'), 700]], [seven], { most: 3 });
		expect(lines).toEqual(['0 Pool → 1 5 others 500', '0 Pool → 1 M1 100', '0 Pool → 1 M2 100']);
		expect(nodes.find(({ count }) => count === 5)!.members.get(dimension('Object').id)!.size).toBe(5);
	});
	test('what comes to one place by several stages stands there once, and goes on from there whole', () => {
		// Web gives A 100, then Pier gives A 50; A has 7 of its own, and gives all of it to B.
		const steps = [
			share([{ pool: { Object: ['Web'] }, receivers: { Object: ['A'] } }]),
			share([{ pool: { Object: ['Pier'] }, receivers: { Object: ['A'] } }], {}, 2),
			share([{ pool: { Object: ['A'] }, receivers: { Object: ['B'] } }], {}, 3)
		];
		const { lines, nodes } = flows(
			[
				[at('Web'), 100],
				[at('Pier'), 50],
				[at('A'), 7]
			],
			steps
		);
		expect(lines).toEqual(['0 Pier → 2 A 50', '0 Web → 2 A 100', '2 A → 3 B 157']);
		expect(nodes.find(({ stage }) => stage === 2)).toMatchObject({ in: 150, out: 157 });
	});
	test('what comes back to a place that has given already stands in another one: nothing flows in circles', () => {
		const { lines } = flows(
			[
				[at('Web'), 100],
				[at('Pier'), 10]
			],
			[
				share([{ pool: { Object: ['Web'] }, receivers: { Object: ['Pier'] } }]),
				share([{ pool: { Object: ['Pier'] }, receivers: { Object: ['Web', 'A'] } }], {}, 2),
				share([{ pool: { Object: ['Web'] }, receivers: { Object: ['B'] } }], {}, 3)
			]
		);
		expect(lines).toEqual(['0 Web → 1 Pier 100', '1 Pier → 2 A 55', '1 Pier → 2 Web 55', '2 Web → 3 B 55']);
		const ownReceiver = flows([[at('A'), 99]], [share([{ pool: { Object: ['A'] }, receivers: { Object: ['Few'] } }])]);
		expect(ownReceiver.lines).toEqual(['0 A → 1 A 33', '0 A → 1 B 33', '0 A → 1 C 33']);
	});
	test('what came to one cell in two places goes on from each as it came', () => {
		// M1 and M2 are one place by channel; X gives on before M2 gets more.
		const steps = [
			share([{ pool: { Object: ['Web'] }, receivers: { Object: ['A', 'B'] } }]),
			share([{ pool: { Object: ['B'] }, receivers: { Channel: ['X'] } }], {}, 2),
			share([{ pool: { Object: ['A'] }, receivers: { Channel: ['X'] } }], {}, 3),
			share([{ pool: { Object: ['Few'], Channel: ['X'] }, receivers: { Object: ['C'] } }], {}, 4)
		];
		const { lines } = flows([[at('Web'), 100]], steps);
		expect(lines).toEqual(['0 Web → 1 A 50', '0 Web → 1 B 50', '1 A → 3 ? 50', '1 B → 3 ? 50', '3 ? → 4 C 100']);
	});
	test('of nothing is nothing', () => {
		expect(flows([], [stepDown[0]!])).toEqual({ nodes: [], lines: [] });
		expect(run(world([]), stepDown[0]!).cells).toBe(0);
	});
});
