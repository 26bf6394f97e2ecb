import { describe, expect, test } from 'vitest';
import { findMember, readPairs } from './member-pairs';

const members = [
	{ id: 1, code: 'C1', name: 'Costs', leaf: false },
	{ id: 2, code: 'FU', name: 'Fuel', leaf: true },
	{ id: 3, code: 'Fuel', name: 'Fuel tax', leaf: true },
	{ id: 4, code: 'CR', name: 'Crew', leaf: true }
];

describe('a member is found', () => {
	test('by its code before its name, and without minding capitals', () => {
		expect(findMember(members, 'Fuel')?.id).toBe(3);
		expect(findMember(members, ' crew ')?.id).toBe(4);
		expect(findMember(members, 'Crews')).toBeUndefined();
		expect(findMember(members, '')).toBeUndefined();
	});
});

describe('two pasted columns', () => {
	test('become lines, the last one of a member counting; empty rows are nothing', () => {
		expect(readPairs(members, 'Costs\tFU\r\n\r\nCR;Fuel tax\nC1\tCR\n')).toEqual({
			lines: [
				{ from: 1, to: 4, reverse: false },
				{ from: 4, to: 3, reverse: false }
			],
			faults: []
		});
	});
	test('say line by line what cannot be read, and keep the rest', () => {
		const { lines, faults } = readPairs(members, 'FU\tCrewe\nFU\tCosts\nFU\nFU\tCR');
		expect(lines).toHaveLength(1);
		expect(faults).toEqual([
			'Line 1: no member “Crewe”.',
			'Line 2: “Costs” adds up others; figures go to members without any beneath them.',
			'Line 3 has one column; two are wanted, from and to.'
		]);
	});
});
