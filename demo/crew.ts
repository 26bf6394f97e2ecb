// The second model of the demo: new posts at sea and ashore, what they are paid, and from when.
import { type Branch } from './structure';

const fact = (valueType: 'price' | 'percent' | 'choice', decimals = 0): Branch['account'] => ({
	kind: valueType === 'price' ? 'rate' : 'statistic',
	valueType,
	timeBehaviour: 'none',
	consolidation: valueType === 'choice' ? 'none' : 'average',
	frequency: valueType === 'choice' ? 'timeless' : 'per year',
	decimals,
	unit: null
});
const number: Branch['account'] = {
	kind: 'statistic',
	valueType: 'quantity',
	timeBehaviour: 'none',
	consolidation: 'sum',
	frequency: 'per year',
	decimals: 0,
	unit: 'posts'
};
const cost: Branch['account'] = {
	kind: 'expense',
	valueType: 'money',
	timeBehaviour: 'flow',
	consolidation: 'sum',
	decimals: 2,
	unit: null
};

export const PAY_ITEMS: Branch[] = [
	{
		code: 'COST',
		name: 'Cost of the posts',
		children: [
			{ code: 'PAY', name: 'Pay', account: cost, live: 'when Month >= "Starts in" then "Pay a month" * "Posts filled"' },
			{ code: 'BON', name: 'Bonus', account: cost, live: 'when Month is "Bonus month" then Pay * "Bonus part"' },
			{ code: 'CHG', name: 'Employer charges', account: cost, live: '(Pay + Bonus) * "Charges part"' }
		]
	},
	{
		code: 'TERMS',
		name: 'Terms of the posts',
		children: [
			{ code: 'NUM', name: 'Posts filled', weight: 0, account: number },
			{ code: 'RATE', name: 'Pay a month', weight: 0, account: fact('price', 2) },
			{ code: 'FROM', name: 'Starts in', weight: 0, account: fact('choice'), chosenFrom: 'period' },
			{ code: 'BMON', name: 'Bonus month', weight: 0, account: fact('choice'), chosenFrom: 'period' },
			{ code: 'BPART', name: 'Bonus part', weight: 0, account: fact('percent', 1) },
			{ code: 'CPART', name: 'Charges part', weight: 0, account: fact('percent', 1) }
		]
	}
];

export const POSTS: Branch[] = [
	{
		code: 'ALLPOSTS',
		name: 'All posts',
		children: [
			{
				code: 'DECK',
				name: 'Deck',
				children: [
					{ code: 'DK-1', name: 'Chief mate' },
					{ code: 'DK-2', name: 'Able seafarer' }
				]
			},
			{
				code: 'ENGINE',
				name: 'Engine',
				children: [
					{ code: 'EN-1', name: 'Second engineer' },
					{ code: 'EN-2', name: 'Electrician' }
				]
			},
			{
				code: 'ABOARD',
				name: 'Shops and cabins',
				children: [
					{ code: 'SH-1', name: 'Purser' },
					{ code: 'SH-2', name: 'Cook' }
				]
			},
			{ code: 'ASHORE', name: 'Ashore', children: [{ code: 'TM-1', name: 'Terminal clerk' }] }
		]
	}
];

/** What is agreed of the posts by line: how many, pay a month in the line's currency, first month, month of the bonus. */
export const TERMS: { line: string; post: string; number: number; pay: number; from: string; bonus: string | null }[] = [
	{ line: 'SKE', post: 'DK-1', number: 1, pay: 61_500, from: '2027-04', bonus: '2027-11' },
	{ line: 'SKE', post: 'DK-2', number: 4, pay: 38_200, from: '2027-05', bonus: '2027-11' },
	{ line: 'SKE', post: 'SH-2', number: 2, pay: 36_900, from: '2027-06', bonus: null },
	{ line: 'NOR', post: 'EN-1', number: 2, pay: 4_650, from: '2027-04', bonus: '2027-12' },
	{ line: 'NOR', post: 'EN-2', number: 1, pay: 3_980, from: '2027-09', bonus: '2027-12' },
	{ line: 'NOR', post: 'TM-1', number: 3, pay: 2_420, from: '2027-05', bonus: null },
	{ line: 'AMB', post: 'DK-2', number: 3, pay: 3_050, from: '2027-06', bonus: '2027-12' },
	{ line: 'AMB', post: 'SH-1', number: 1, pay: 3_400, from: '2027-04', bonus: '2027-12' }
];
