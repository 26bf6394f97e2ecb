import type { WiringNode } from '$lib/server/structure';
import { describe, expect, test } from 'vitest';
import { BOX, drawWiring, lit } from './wiring-layout';

const node = (id: string, kind: WiringNode['kind']): WiringNode => ({ id, kind, name: id, note: '', trouble: null, path: '/' });
const wiring = {
	nodes: [
		node('i1', 'import'),
		node('d1', 'dimension'),
		node('d2', 'dimension'),
		node('f1', 'form'),
		node('f2', 'form'),
		node('r1', 'runbook')
	],
	edges: [{ from: 'i1', to: 'd1' }, ...['d1', 'd2'].flatMap((from) => ['f1', 'f2'].map((to) => ({ from, to })))]
};

describe('the wiring', () => {
	test('stands in columns without two boxes in one place', () => {
		const { boxes } = drawWiring(wiring);
		expect(boxes.get('i1')).toEqual({ x: 0, y: 0 });
		expect(boxes.get('d2')!.y).toBeGreaterThanOrEqual(boxes.get('d1')!.y + BOX.height);
		expect(boxes.get('r1')!.x).toBeLessThan(boxes.get('f1')!.x);
		expect(new Set([...boxes.values()].map(({ x, y }) => `${x} ${y}`)).size).toBe(wiring.nodes.length);
	});
	test('bundles the lines between two columns: each box has one line to the joint', () => {
		const { joints, bundles } = drawWiring(wiring);
		expect([...joints.keys()]).toEqual(['joint 1 to 3']);
		expect(bundles).toHaveLength(5);
		expect(bundles).toContainEqual({ from: 'i1', to: 'd1' });
		expect(bundles.filter(({ to }) => to === 'joint 1 to 3').map(({ from }) => from)).toEqual(['d1', 'd2']);
	});
	test('a chosen box lights what it feeds and is fed by', () => {
		expect([...lit(wiring, 'd1')].sort()).toEqual(['d1', 'f1', 'f2', 'i1']);
		expect([...lit(wiring, 'r1')]).toEqual(['r1']);
	});
});
