import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
	conditionPart,
	addSelection,
	dissolveScope,
	dropSide,
	insertStatement,
	joinPart,
	printSelection,
	readCards,
	removeSelection,
	removeStatement,
	replaceSpan,
	swapStatements,
	type Card,
	type PartCard
} from '.';

const SCRIPT = `-- Carried forward
within Scenario: Budget, Period: "Apr-2027" to "Mar-2028", -- this year only
       Account: leaves of "Balance sheet" where kind in (asset, liability)
  let uplift = $growth -- as answered
  -- what was there before
  Opening = Closing{Month - 1} -- crosses years
  Closing = Opening + (Additions - Disposals) * 2

  within Route: $routes except Route:Central
    Fuel = when Month is "Bonus month" then max(Litres, 1_000) * "Fuel price"{Route: "No route", Entity: parent}
           -- and otherwise
           else share(Fuel over Route) ^ 2 everywhere
  end
end
`;
const cardsOf = (text: string): Card[] => {
	const read = readCards(text);
	if ('fault' in read) throw new Error(read.fault.message);
	return read.cards;
};
const scopeOf = (text: string) => cardsOf(text).find(({ kind }) => kind === 'scope') as Card & { kind: 'scope' };
const comments = (text: string) => [...text.matchAll(/--[^\n]*/g)].map(([found]) => found.trim()).sort();
const valueOf = (text: string): PartCard => (cardsOf(text)[0] as Card & { kind: 'assignment' }).value;

describe('reading', () => {
	test('a script is cards in the order of its lines, with the comments where they belong', () => {
		const [comment, scope] = cardsOf(SCRIPT);
		expect(comment).toMatchObject({ kind: 'comment', text: 'Carried forward' });
		expect(scope).toMatchObject({ kind: 'scope', notes: ['this year only'] });
		const inside = (scope as Card & { kind: 'scope' }).cards;
		expect(inside.map(({ kind }) => kind)).toEqual(['let', 'comment', 'assignment', 'assignment', 'scope']);
		expect(inside[0]).toMatchObject({ name: 'uplift', value: { kind: 'parameter', name: 'growth' }, notes: ['as answered'] });
		expect(inside[2]).toMatchObject({
			target: { name: { word: 'Opening' }, places: [] },
			value: { kind: 'read', name: { word: 'Closing' }, places: [{ kind: 'shift', level: 'Month', by: -1 }] },
			notes: ['crosses years']
		});
		const fuel = (inside[4] as Card & { kind: 'scope' }).cards[0]!;
		expect(fuel).toMatchObject({
			kind: 'assignment',
			notes: ['and otherwise'],
			value: {
				kind: 'when',
				cases: [{ condition: { kind: 'is', member: { name: { word: 'Bonus month' } } }, value: { kind: 'operation', operator: '*' } }],
				otherwise: { kind: 'operation', operator: '^', left: { kind: 'share' } }
			}
		});
	});

	test('selections are read as they are written, and written as they are read', () => {
		const { selections } = scopeOf(SCRIPT);
		expect(selections).toMatchObject([
			{ how: 'member', dimension: 'Scenario', word: 'Budget' },
			{ how: 'range', dimension: 'Period', word: 'Apr-2027', last: 'Mar-2028' },
			{ how: 'leaves', dimension: 'Account', word: 'Balance sheet', rest: 'where kind in (asset, liability)' }
		]);
		for (const written of [
			'Route: $routes',
			'Route: leaves of $top',
			'level Quarter',
			'first of level Year',
			'last of level Quarter except leaves of FY2026',
			'Route: children of All except Route:Central',
			'Sailings'
		]) {
			const text = `within ${written}\n  A = B\nend`;
			expect(printSelection(scopeOf(text).selections[0]!)).toBe(written);
		}
	});

	test('what the grammar cannot read is said, with its place', () =>
		expect(readCards('A = B +')).toMatchObject({ fault: { message: 'The script ends where more was expected.' } }));
});

describe('changing', () => {
	test('nothing else changes, and no comment is lost', () => {
		const read = scopeOf(SCRIPT).cards[2] as Card & { kind: 'assignment' };
		const changed = replaceSpan(SCRIPT, read.value, '"Old closing"');
		expect(changed).toBe(SCRIPT.replace('Closing{Month - 1}', '"Old closing"'));
		for (const edited of [
			removeSelection(SCRIPT, scopeOf(SCRIPT).selections, 0),
			removeSelection(SCRIPT, scopeOf(SCRIPT).selections, 2),
			addSelection(SCRIPT, scopeOf(SCRIPT).selections, 'Version: Working'),
			dissolveScope(SCRIPT, scopeOf(SCRIPT)),
			insertStatement(SCRIPT, scopeOf(SCRIPT).cards[2], 0, 'Rent = Rent{Month - 1}'),
			swapStatements(SCRIPT, scopeOf(SCRIPT).cards[2]!, scopeOf(SCRIPT).cards[3]!)
		]) {
			expect(comments(edited)).toEqual(comments(SCRIPT));
			expect(readCards(edited)).toHaveProperty('cards');
		}
	});

	test('a selection goes with its comma', () => {
		const text = 'within A, B, -- note\n  C\n  X = Y\nend';
		const left = (at: number) => scopeOf(removeSelection(text, scopeOf(text).selections, at)).selections.map(({ word }) => word);
		expect([left(0), left(1), left(2)]).toEqual([
			['B', 'C'],
			['A', 'C'],
			['A', 'B']
		]);
	});

	test('statements are put in, moved and taken away by lines, with the note on their line', () => {
		const text = 'within A\n  X = Y -- one\n  Z = W\nend\n';
		const { cards } = scopeOf(text);
		expect(insertStatement(text, cards[0], 0, 'N = 1')).toBe('within A\n  X = Y -- one\n  N = 1\n  Z = W\nend');
		expect(swapStatements(text, cards[0]!, cards[1]!)).toBe('within A\n  Z = W\n  X = Y -- one\nend');
		expect(removeStatement(text, cards[0]!)).toBe('within A\n  Z = W\nend');
		expect(dissolveScope(text, scopeOf(text))).toBe('X = Y -- one\nZ = W');
		expect(insertStatement('', undefined, 0, 'X = Y')).toBe('X = Y');
		// Two strokes within a name are no comment.
		const named = 'within "A -- B" -- why\n  X = Y\nend';
		expect(dissolveScope(named, scopeOf(named))).toBe('-- why\nX = Y');
		// Two on one line stay two.
		const together = 'X = Y Z = W';
		expect(removeStatement(together, cardsOf(together)[0]!).trim()).toBe('Z = W');
		expect(cardsOf(insertStatement(together, cardsOf(together)[1], 0, 'A = B'))).toHaveLength(3);
	});

	test('a condition goes before the whole value, or into brackets', () => {
		const text = 'A = B + C';
		const whole = valueOf(text);
		expect(conditionPart(text, whole, 'B > 0', true)).toBe('A = when B > 0 then B + C');
		expect(conditionPart(text, (whole as PartCard & { kind: 'operation' }).left, 'B > 0', false)).toBe('A = (when B > 0 then B) + C');
	});
});

/** What an expression of numbers comes to. */
function worth(part: PartCard): number {
	if (part.kind === 'number') return Number(part.text);
	if (part.kind === 'group') return worth(part.of);
	if (part.kind === 'negative') return -worth(part.of);
	if (part.kind !== 'operation') throw new Error(part.kind);
	return OPERATIONS[part.operator]!(worth(part.left), worth(part.right));
}
const OPERATIONS: Record<string, (left: number, right: number) => number> = {
	'+': (left, right) => left + right,
	'-': (left, right) => left - right,
	'*': (left, right) => left * right,
	'/': (left, right) => left / right,
	'^': (left, right) => left ** right
};
/** All parts with what they are a side of. */
function partsOf(part: PartCard, around?: PartCard): { part: PartCard; around: PartCard | undefined }[] {
	const inside = part.kind === 'operation' ? [part.left, part.right] : 'of' in part ? [part.of] : [];
	return [{ part, around }, ...inside.flatMap((each) => partsOf(each, part))];
}

test('joined anywhere, a part counts as one with what it is joined with, and the rest as before', () => {
	const expression = fc.letrec<{ any: string }>((tie) => ({
		any: fc.oneof(
			{ maxDepth: 4 },
			fc.integer({ min: 1, max: 9 }).map(String),
			tie('any').map((of) => `(${of})`),
			tie('any').map((of) => `-(${of})`),
			fc
				.tuple(tie('any'), fc.constantFrom('+', '-', '*', '/', '^'), tie('any'))
				.map(([left, operator, right]) => `${left} ${operator} ${right}`)
		)
	})).any;
	fc.assert(
		fc.property(expression, fc.nat(), fc.constantFrom('+', '-', '*', '/', '^'), (written, place, operator) => {
			const text = `A = ${written}`;
			const all = partsOf(valueOf(text));
			const { part, around } = all[place % all.length]!;
			const joined = joinPart(text, part, operator, '3', around);
			/** The same tree with the part replaced by its joint value. */
			const wanted = (at: PartCard): number => {
				const own =
					at.kind === 'operation'
						? OPERATIONS[at.operator]!(wanted(at.left), wanted(at.right))
						: at.kind === 'negative'
							? -wanted(at.of)
							: at.kind === 'group'
								? wanted(at.of)
								: worth(at);
				return at === part ? OPERATIONS[operator]!(own, 3) : own;
			};
			expect(worth(valueOf(joined))).toEqual(wanted(valueOfParts(all)));
			// And taken away again it is as it was.
			const again = partsOf(valueOf(joined)).find(
				(each) =>
					each.part.kind === 'operation' && each.part.operator === operator && text.includes(written) && each.part.right.kind === 'number'
			);
			if (again) expect(readCards(dropSide(joined, again.part as PartCard & { kind: 'operation' }, 'right'))).toHaveProperty('cards');
		}),
		{ numRuns: 400 }
	);
});
const valueOfParts = (all: { part: PartCard }[]): PartCard => all[0]!.part;
