// The shape of the demo's main model: Brinewater Crossings, a made-up group of ferry lines.
import type { AccountDefinition, Expression } from '../src/lib/core';

/** A member with what hangs under it; `weight` is how it counts in its parent. */
export interface Branch {
	code: string;
	name: string;
	weight?: -1 | 0 | 1;
	unassigned?: boolean;
	children?: Branch[];
	account?: Omit<AccountDefinition, 'member'>;
	/** Account codes as operands. */
	formula?: (account: (code: string) => Expression) => Expression;
	/** A formula per leaf, as text, standing in the budget and the stretch plan. */
	live?: string;
	/** Of a choice: the dimension whose members may be chosen, routes unless said. */
	chosenFrom?: 'route' | 'period';
	currency?: string;
}

const money = (kind: AccountDefinition['kind'], timeBehaviour: AccountDefinition['timeBehaviour'] = 'flow'): Branch['account'] => ({
	kind,
	valueType: 'money',
	timeBehaviour,
	consolidation: 'sum',
	decimals: 2,
	unit: null
});
const quantity = (unit: string, timeBehaviour: AccountDefinition['timeBehaviour'] = 'flow'): Branch['account'] => ({
	kind: 'statistic',
	valueType: 'quantity',
	timeBehaviour,
	consolidation: 'sum',
	decimals: 0,
	unit
});
const ratio = (valueType: 'percent' | 'price', decimals: number): Branch['account'] => ({
	kind: 'rate',
	valueType,
	timeBehaviour: 'none',
	consolidation: 'formula',
	decimals,
	unit: null
});
/** Facts about a docking, one a year: whose vessel stands in, when, what for. */
const fact = (valueType: AccountDefinition['valueType'], decimals = 0, unit: string | null = null): Branch['account'] => ({
	kind: valueType === 'price' ? 'rate' : 'statistic',
	valueType,
	timeBehaviour: valueType === 'quantity' ? 'flow' : 'latest',
	consolidation: valueType === 'quantity' ? 'sum' : valueType === 'price' || valueType === 'percent' ? 'average' : 'none',
	frequency: 'per year',
	decimals,
	unit
});
const leaf = (code: string, name: string, account: Branch['account']): Branch => ({ code, name, account });
const divide = (left: Expression, right: Expression): Expression => ({ kind: 'binary', operator: '/', left, right });

const income = money('revenue');
const cost = money('expense');

/** What people at sea and ashore cost, account by account, with each one's share of a month's pay bill. */
export const PAY_ACCOUNTS = [
	['6100', 'Basic pay', 0.62],
	['6110', 'Sea allowance', 0.08],
	['6120', 'Overtime', 0.06],
	['6130', 'Holiday pay', 0.07],
	['6140', 'Pension', 0.07],
	['6150', 'Social charges', 0.055],
	['6160', 'Training', 0.015],
	['6170', 'Crew travel', 0.015],
	['6180', 'Uniforms', 0.005],
	['6190', 'Medicals', 0.01]
] as const;

export const FLEET_CARE_ACCOUNTS = [
	['6400', 'Repairs', 0.34],
	['6410', 'Spare parts', 0.2],
	['6420', 'Dry dock', 0.22],
	['6430', 'Hull coating', 0.06],
	['6440', 'Lubricants', 0.07],
	['6450', 'Safety equipment', 0.05],
	['6460', 'Classification surveys', 0.04],
	['6470', 'Workshop hire', 0.02]
] as const;

export const ADMINISTRATION_ACCOUNTS = [
	['6700', 'Office pay', 0.36],
	['6705', 'Office rent', 0.08],
	['6710', 'Information systems', 0.12],
	['6715', 'Marketing', 0.11],
	['6720', 'Insurance', 0.12],
	['6725', 'Audit and legal', 0.04],
	['6730', 'Travel', 0.03],
	['6735', 'Telephone and data', 0.02],
	['6740', 'Licences and fees', 0.03],
	['6745', 'Recruiting', 0.02],
	['6750', 'Bank charges', 0.02],
	['6755', 'Cleaning and security', 0.02],
	['6760', 'Printing and post', 0.01],
	['6765', 'Memberships', 0.02]
] as const;

const costGroup = (code: string, name: string, accounts: readonly (readonly [string, string, number])[]): Branch => ({
	code,
	name,
	weight: -1,
	children: accounts.map(([accountCode, accountName]) => leaf(accountCode, accountName, cost))
});

/** The bonus falls into the month that was chosen for the line, wherever basic pay is. */
const withBonus = (pay: Branch): Branch => ({
	...pay,
	children: [
		...pay.children!,
		{
			...leaf('6195', 'Bonus', cost),
			live: `when Month is "Bonus month"{Department: "No department", Route: "No route"}
then "Basic pay" * "Bonus share"{Department: "No department", Route: "No route"} -- of a month's pay`
		},
		leaf('6196', 'Pay of new posts', cost),
		leaf('6197', 'Bonus of new posts', cost),
		leaf('6198', 'Charges of new posts', cost)
	]
});

export const ACCOUNTS: Branch[] = [
	{
		code: 'OC',
		name: 'Operating contribution',
		children: [
			{
				code: 'REV',
				name: 'Revenue',
				children: [
					{
						code: 'TICKET',
						name: 'Ticket revenue',
						children: [
							leaf('4010', 'Foot passengers', income),
							leaf('4020', 'Cars and vans', income),
							leaf('4030', 'Coaches', income),
							leaf('4040', 'Freight lanes', income)
						]
					},
					{
						code: 'ONBOARD',
						name: 'Onboard revenue',
						children: [leaf('4110', 'Restaurant', income), leaf('4120', 'Shop', income), leaf('4130', 'Cabins and lounges', income)]
					}
				]
			},
			{
				code: 'VOYAGE',
				name: 'Voyage costs',
				weight: -1,
				children: [
					leaf('6010', 'Fuel', cost),
					leaf('6020', 'Harbour dues', cost),
					leaf('6030', 'Lashing and handling', cost),
					leaf('6040', 'Ticket commissions', cost),
					leaf('6050', 'Card fees', cost)
				]
			},
			withBonus(costGroup('CREW', 'Crew and terminal pay', PAY_ACCOUNTS)),
			{
				code: 'GOODS',
				name: 'Goods sold onboard',
				weight: -1,
				children: [leaf('6210', 'Food and drink', cost), leaf('6220', 'Shop goods', cost)]
			},
			{
				code: 'TERM',
				name: 'Terminal running',
				weight: -1,
				children: [leaf('6310', 'Terminal energy', cost), leaf('6320', 'Terminal cleaning', cost), leaf('6330', 'Berth hire', cost)]
			},
			costGroup('CARE', 'Fleet care', FLEET_CARE_ACCOUNTS),
			costGroup('ADMIN', 'Administration', ADMINISTRATION_ACCOUNTS)
		]
	},
	{
		code: 'RATIO',
		name: 'Ratios',
		children: [
			{
				code: 'MARGIN',
				name: 'Contribution margin',
				weight: 0,
				account: ratio('percent', 1),
				formula: (account) => divide(account('OC'), account('REV'))
			},
			{
				code: 'LOAD',
				name: 'Load factor',
				weight: 0,
				// Boats less than 55 % full are watched, those less than 45 % call for fewer sailings.
				account: { ...ratio('percent', 1)!, watchFrom: 55, actFrom: 45 },
				formula: (account) => divide(account('S30'), account('S20'))
			},
			{
				code: 'PERSAIL',
				name: 'Voyage cost a sailing',
				weight: 0,
				account: ratio('price', 2),
				formula: (account) => divide(account('VOYAGE'), account('S10'))
			},
			{
				code: 'PERPAX',
				name: 'Revenue a passenger',
				weight: 0,
				account: ratio('price', 2),
				formula: (account) => divide(account('REV'), account('S30'))
			},
			{
				code: 'FUELPRICE',
				name: 'Fuel price a litre',
				weight: 0,
				account: ratio('price', 3),
				formula: (account) => divide(account('6010'), account('S60'))
			}
		]
	},
	{
		code: 'STAT',
		name: 'Statistics',
		children: [
			{ ...leaf('S10', 'Sailings', quantity('sailings')), weight: 0 },
			{ ...leaf('S20', 'Seats offered', quantity('seats')), weight: 0 },
			{ ...leaf('S30', 'Passengers', quantity('passengers')), weight: 0 },
			{ ...leaf('S40', 'Cars', quantity('cars')), weight: 0 },
			{ ...leaf('S50', 'Freight metres', quantity('metres')), weight: 0 },
			{ ...leaf('S60', 'Fuel litres', quantity('litres')), weight: 0 },
			{ ...leaf('S70', 'Headcount', quantity('people', 'average')), weight: 0 },
			{ ...leaf('S80', 'Berth metres', quantity('metres', 'closing')), weight: 0 },
			{ ...leaf('S90', 'Survey hours', quantity('hours')), weight: 0 }
		]
	},
	{
		code: 'DOCK',
		name: 'Dry docking',
		children: [
			{ ...leaf('W10', 'Stands in', fact('choice')), weight: 0 },
			{ ...leaf('W20', 'Enters the dock', fact('date')), weight: 0 },
			{ ...leaf('W30', 'Days in dock', fact('quantity', 0, 'days')), weight: 0 },
			{ ...leaf('W40', 'Price a day', fact('price', 2)), weight: 0 },
			{ ...leaf('W50', 'Hull renewed', fact('percent', 1)), weight: 0 },
			{ ...leaf('W60', 'What is done', fact('text')), weight: 0 }
		]
	},
	{
		code: 'BONUS',
		name: 'Bonuses',
		children: [
			{ ...leaf('B10', 'Bonus month', fact('choice')), weight: 0, chosenFrom: 'period' },
			{ ...leaf('B20', 'Bonus share', fact('percent', 1)), weight: 0 }
		]
	},
	{
		code: 'FLEET',
		name: 'Vessels, month by month',
		children: [
			{ ...leaf('1011', 'Vessels at the start', money('asset', 'opening')), live: 'Vessels{Month - 1} -- through all years' },
			leaf('1012', 'Vessels bought', money('asset')),
			{ ...leaf('1013', 'Depreciation of vessels', money('asset')), weight: -1 }
		]
	},
	{
		code: 'BS',
		name: 'Net assets',
		children: [
			{
				code: 'ASSETS',
				name: 'Assets',
				children: [
					{
						...leaf('1010', 'Vessels', money('asset', 'closing')),
						live: '"Vessels at the start" + "Vessels bought" - "Depreciation of vessels"'
					},
					leaf('1020', 'Debtors', money('asset', 'closing')),
					leaf('1030', 'Cash', money('asset', 'closing'))
				]
			},
			{
				code: 'DEBT',
				name: 'Debt',
				weight: -1,
				children: [leaf('2010', 'Creditors', money('liability', 'closing')), leaf('2020', 'Loans', money('liability', 'closing'))]
			}
		]
	}
];

export const ENTITIES: Branch[] = [
	{
		code: 'GROUP',
		name: 'Brinewater group',
		children: [
			{ code: 'NOR', name: 'Northgate Line', currency: 'GBP' },
			{ code: 'SKE', name: 'Skerry Line', currency: 'NOK' },
			{ code: 'AMB', name: 'Amber Coast Line', currency: 'EUR' },
			{ code: 'SVC', name: 'Group services', currency: 'EUR' }
		]
	}
];

export const DEPARTMENTS: Branch[] = [
	{
		code: 'ALLDEP',
		name: 'All departments',
		children: [
			{
				code: 'SEA',
				name: 'At sea',
				children: [
					{ code: 'DK', name: 'Deck crew' },
					{ code: 'EN', name: 'Engine crew' },
					{ code: 'SH', name: 'Onboard shops' }
				]
			},
			{
				code: 'SHORE',
				name: 'Ashore',
				children: [
					{ code: 'TM', name: 'Terminals' },
					{ code: 'BK', name: 'Booking office' },
					{ code: 'FC', name: 'Fleet care' },
					{ code: 'AD', name: 'Administration' }
				]
			},
			{ code: 'NODEP', name: 'No department', unassigned: true }
		]
	}
];

/** A route and what the generator needs to know of it. Amounts in EUR. */
export interface Route {
	code: string;
	name: string;
	line: 'NOR' | 'SKE' | 'AMB';
	sailingsADay: number;
	seats: number;
	fare: number;
	litresASailing: number;
	people: number;
}

export const ROUTE_REGIONS: { code: string; name: string; routes: Route[] }[] = [
	{
		code: 'NORTH',
		name: 'Northern isles',
		routes: [
			{ code: 'R01', name: 'Skerrivik – Holmness', line: 'SKE', sailingsADay: 6, seats: 420, fare: 14, litresASailing: 1450, people: 84 },
			{ code: 'R02', name: 'Tarrowick – Uldsound', line: 'SKE', sailingsADay: 4, seats: 380, fare: 18, litresASailing: 1900, people: 62 },
			{ code: 'R03', name: 'Uldsound – Farrholm', line: 'SKE', sailingsADay: 3, seats: 260, fare: 21, litresASailing: 1700, people: 44 },
			{ code: 'R04', name: 'Skerrivik – Lomvoe', line: 'SKE', sailingsADay: 2, seats: 240, fare: 26, litresASailing: 2300, people: 38 }
		]
	},
	{
		code: 'CENTRAL',
		name: 'Central sound',
		routes: [
			{
				code: 'R05',
				name: 'Northgate – Pellin Quay',
				line: 'NOR',
				sailingsADay: 8,
				seats: 540,
				fare: 16,
				litresASailing: 1600,
				people: 110
			},
			{ code: 'R06', name: 'Northgate – Saltmarrow', line: 'NOR', sailingsADay: 5, seats: 460, fare: 19, litresASailing: 2100, people: 76 },
			{
				code: 'R07',
				name: 'Corran Head – Pellin Quay',
				line: 'NOR',
				sailingsADay: 4,
				seats: 300,
				fare: 12,
				litresASailing: 1100,
				people: 48
			}
		]
	},
	{
		code: 'EAST',
		name: 'Amber coast',
		routes: [
			{ code: 'R08', name: 'Ambermouth – Listra', line: 'AMB', sailingsADay: 5, seats: 620, fare: 24, litresASailing: 3100, people: 98 },
			{ code: 'R09', name: 'Listra – Vellen', line: 'AMB', sailingsADay: 3, seats: 420, fare: 22, litresASailing: 2400, people: 58 },
			{ code: 'R10', name: 'Ambermouth – Kurze Spit', line: 'AMB', sailingsADay: 2, seats: 360, fare: 31, litresASailing: 3300, people: 46 }
		]
	}
];

export const ROUTES = ROUTE_REGIONS.flatMap((region) => region.routes);

export const ROUTE_TREE: Branch[] = [
	{
		code: 'ALLROUTES',
		name: 'All routes',
		children: [
			...ROUTE_REGIONS.map(({ code, name, routes }) => ({
				code,
				name,
				children: routes.map((route) => ({ code: route.code, name: route.name }))
			})),
			{ code: 'NOROUTE', name: 'No route', unassigned: true }
		]
	}
];

export const VERSIONS: Branch[] = [
	{ code: 'WORK', name: 'Proposal' },
	{ code: 'FINAL', name: 'Agreed' }
];

/** Scenarios by code; periods by code. `growth` is what the generator does to volumes and prices against FY2025. */
export const SCENARIOS = [
	{
		code: 'ACT',
		name: 'Actual',
		from: '2024-04',
		to: '2026-09',
		entry: undefined,
		rates: 'Actual rates',
		continues: undefined,
		compared: 'BUD27',
		versions: ['FINAL'],
		seed: 11
	},
	{
		code: 'BUD27',
		name: 'Budget FY2027',
		from: '2026-04',
		to: '2027-03',
		entry: undefined,
		rates: 'Budget rates FY2027',
		continues: 'ACT',
		compared: 'ACT',
		versions: ['WORK', 'FINAL'],
		seed: 22
	},
	{
		code: 'OUT27',
		name: 'Outlook FY2027',
		from: '2026-04',
		to: '2027-03',
		entry: ['2026-10', '2027-03'],
		rates: 'Actual rates',
		continues: 'ACT',
		compared: 'BUD27',
		versions: ['WORK', 'FINAL'],
		seed: 33
	},
	{
		code: 'BUD28',
		name: 'Budget FY2028',
		from: '2027-04',
		to: '2028-03',
		entry: ['2027-04', '2028-03'],
		rates: 'Budget rates FY2028',
		continues: 'OUT27',
		compared: 'OUT27',
		versions: ['WORK', 'FINAL'],
		seed: 44
	},
	{
		code: 'STR',
		name: 'Stretch plan FY2028–29',
		from: '2027-04',
		to: '2029-03',
		entry: ['2027-04', '2029-03'],
		rates: 'Budget rates FY2028',
		continues: 'OUT27',
		compared: 'BUD28',
		versions: ['WORK', 'FINAL'],
		seed: 55
	}
] as const;

export const CALENDAR = {
	grain: 'month',
	pattern: 'calendar months',
	fiscalStartMonth: 4,
	namedBy: 'last year',
	firstYear: 2025,
	years: 5,
	levels: ['half', 'quarter']
} as const;

/** Units of a currency for one euro, around which the demo's rates move. */
export const RATES = { GBP: 0.862, NOK: 11.62 } as const;
