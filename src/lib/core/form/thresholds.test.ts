import { expect, test } from 'vitest';
import type { AccountDefinition } from '../model';
import { levelOf, thresholdsOf } from '.';

const account = (more: Partial<AccountDefinition>): AccountDefinition => ({
	member: 1,
	kind: 'expense',
	valueType: 'money',
	timeBehaviour: 'flow',
	consolidation: 'sum',
	decimals: 2,
	unit: null,
	...more
});
const levels = (more: Partial<AccountDefinition>, values: number[]) => {
	const thresholds = thresholdsOf(account(more))!;
	return values.map((value) => levelOf(thresholds, value));
};

test('the way from watching to acting is the worse one, whatever the kind of the account; at a threshold it is reached', () => {
	expect(levels({ watchFrom: 100, actFrom: 120 }, [99.99, 100, 119, 120, 500])).toEqual(['fine', 'watch', 'watch', 'act', 'act']);
	expect(levels({ watchFrom: 100, actFrom: 80 }, [101, 100, 81, 80, -5])).toEqual(['fine', 'watch', 'watch', 'act', 'act']);
});
test('of a percent 5 means 5 %', () =>
	expect(levels({ valueType: 'percent', watchFrom: 55, actFrom: 45 }, [0.56, 0.55, 0.449])).toEqual(['fine', 'watch', 'act']));
test('one alone goes the way that is not favourable: more expense, less revenue', () => {
	expect(levels({ actFrom: 100 }, [99, 101])).toEqual(['fine', 'act']);
	expect(levels({ kind: 'revenue', watchFrom: 100 }, [101, 99])).toEqual(['fine', 'watch']);
	expect(levels({ kind: 'revenue', favourable: 'less', watchFrom: 100 }, [101, 99])).toEqual(['watch', 'fine']);
});
test('without any there are none; equal ones act at once', () => {
	expect(thresholdsOf(account({}))).toBeNull();
	expect(thresholdsOf(undefined)).toBeNull();
	expect(levels({ watchFrom: 100, actFrom: 100 }, [99, 100])).toEqual(['fine', 'act']);
});
