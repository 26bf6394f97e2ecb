import { expect, test } from 'vitest';
import { figureByName, type NamedMember } from './figure-by-name';

const member = (dimension: number, name: string, code = name): NamedMember => ({ id: 0, dimension, name, code });
const MEMBERS = [
	member(1, 'Fuel', '6010'),
	member(1, 'Fuel price a litre', 'FUELPRICE'),
	member(1, 'Fuel litres', 'S60'),
	member(2, 'Skerry Line', 'SKE'),
	member(3, 'Skerrivik – Holmness', 'R01'),
	member(4, 'May 2027', '2027-05'),
	member(4, 'May 2026', '2026-05')
];
const named = (text: string) => {
	const { members, left } = figureByName(text, MEMBERS);
	return { members: [...members.values()].map(({ name }) => name), left };
};

test('words name an account, a line and a month', () => {
	expect(named('fuel skerry may')).toEqual({ members: ['Fuel', 'Skerry Line', 'May 2027'], left: [] });
});
test('more words take the longer name; the order does not matter', () => {
	expect(named('2026 may price fuel').members.sort()).toEqual(['Fuel price a litre', 'May 2026']);
});
test('a code is a name, accents and case are not', () => {
	expect(named('6010 SKERRÝ').members).toEqual(['Fuel', 'Skerry Line']);
});
test('words nobody has are left', () => {
	expect(named('fuel mars')).toEqual({ members: ['Fuel'], left: ['mars'] });
});
test('nothing asked is nothing found', () => {
	expect(named('  ')).toEqual({ members: [], left: [] });
});
