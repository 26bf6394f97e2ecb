// The third model of the demo: what routes, channels and customers cost, from bookings by way of resources and activities.
import { type Branch } from './structure';

const cost: Branch['account'] = {
	kind: 'expense',
	valueType: 'money',
	timeBehaviour: 'flow',
	consolidation: 'sum',
	decimals: 2,
	unit: null
};
const counted = (unit: string): Branch['account'] => ({
	kind: 'statistic',
	valueType: 'quantity',
	timeBehaviour: 'flow',
	consolidation: 'sum',
	decimals: 0,
	unit
});

const perUnit: Branch['account'] = {
	kind: 'rate',
	valueType: 'price',
	timeBehaviour: 'none',
	consolidation: 'average',
	decimals: 2,
	unit: null
};

export const RESULT_ITEMS: Branch[] = [
	{
		code: 'COST',
		name: 'Costs',
		children: [
			{ code: 'PAY', name: 'Pay and people', account: cost },
			{ code: 'SVC', name: 'Services bought', account: cost },
			{ code: 'NRG', name: 'Energy and stores', account: cost }
		]
	},
	{
		code: 'DRIVERS',
		name: 'What costs follow',
		children: [
			{ code: 'HRS', name: 'Surveyed hours', weight: 0, account: counted('hours') },
			{ code: 'SAI', name: 'Sailings', weight: 0, account: counted('sailings') },
			{ code: 'PAX', name: 'Passengers', weight: 0, account: counted('passengers') },
			{ code: 'CAR', name: 'Cars', weight: 0, account: counted('cars') },
			{ code: 'BKG', name: 'Bookings', weight: 0, account: counted('bookings') }
		]
	},
	{
		code: 'UNITS',
		name: 'What a unit costs',
		children: [
			{ code: 'UCO', name: 'Cost of a unit', weight: 0, account: perUnit },
			{ code: 'USE', name: 'Units used', weight: 0, account: counted('units') },
			{ code: 'CAP', name: 'Units there could be', weight: 0, account: counted('units') },
			{ code: 'NOT', name: 'Units not used', weight: 0, account: counted('units') }
		]
	}
];

export const OBJECTS: Branch[] = [
	{
		code: 'BOOKED',
		name: 'Where it was booked',
		children: [
			{ code: 'B-GS', name: 'Group services' },
			{ code: 'B-HB', name: 'Harbours' },
			{ code: 'B-FC', name: 'Fleet care' },
			{ code: 'B-DC', name: 'Data centre' },
			{ code: 'B-FO', name: 'Fleet office' }
		]
	},
	{
		code: 'RESOURCES',
		name: 'Resources',
		children: [
			{ code: 'R-CREW', name: 'Crew hours' },
			{ code: 'R-BERTH', name: 'Berths' },
			{ code: 'R-SHOP', name: 'Workshop' },
			{ code: 'R-SYS', name: 'Booking systems' }
		]
	},
	{
		code: 'ACTIVITIES',
		name: 'Activities',
		children: [
			{ code: 'A-BOARD', name: 'Boarding' },
			{ code: 'A-CARS', name: 'Loading cars' },
			{ code: 'A-SAIL', name: 'Sailing' },
			{ code: 'A-CLEAN', name: 'Cleaning' },
			{ code: 'A-BOOK', name: 'Booking' },
			{ code: 'A-BERTH', name: 'Berthing' }
		]
	},
	{ code: 'NOOBJECT', name: 'No object', unassigned: true }
];

export const CHANNELS: Branch[] = [
	{
		code: 'ALLCHANNELS',
		name: 'All channels',
		children: [
			{ code: 'WEB', name: 'Web' },
			{ code: 'AGENCY', name: 'Agency' },
			{ code: 'PIER', name: 'At the pier' },
			{ code: 'FREIGHT', name: 'Freight contract' },
			{ code: 'NOCHANNEL', name: 'No channel', unassigned: true }
		]
	}
];

export const CUSTOMERS: Branch[] = [
	{
		code: 'ALLCUSTOMERS',
		name: 'All customers',
		children: [
			{ code: 'ISLANDERS', name: 'Islanders' },
			{ code: 'VISITORS', name: 'Visitors' },
			{ code: 'COMMUTERS', name: 'Commuters' },
			{ code: 'SHIPPERS', name: 'Freight shippers' },
			{ code: 'NOCUSTOMER', name: 'No customer', unassigned: true }
		]
	}
];

/** Costs of the group plan that routes are to bear: account groups and accounts. */
export const SHARED_OUT = ['6020', 'TERM', 'CARE', 'ADMIN'];

/** What the group plan calls an account is one of these items here; services are what is left. */
export const ITEM_OF_ACCOUNT = { '6700': 'PAY', '6730': 'PAY', '6745': 'PAY', '6310': 'NRG', '6410': 'NRG', '6430': 'NRG', '6440': 'NRG' };

/** Where a cost was booked, by account and department of the group plan; the longest pattern counts. */
export const OBJECT_OF_BOOKING = {
	'6020/*': 'B-HB',
	'63*': 'B-HB',
	'64*': 'B-FC',
	'67*': 'B-GS',
	'6710/*': 'B-DC',
	'6735/*': 'B-DC',
	'67??/FC': 'B-FO'
};

/** What the ledger calls its accounts; what crews are paid, fuel and what ships sell are no costs to be shared out. */
export const ITEM_OF_POSTING = { '5020': 'SVC', '54*': 'SVC', '5440': 'NRG', '57*': 'SVC', '5700': 'PAY', '*': null };
export const OBJECT_OF_POSTING = { '5020*': 'B-HB', '54*': 'B-FC', '57*': 'B-GS', '5710*': 'B-DC', '5700/*-FC': 'B-FO', '*': null };

/** The months of actual costs that were fetched from the ledger. */
export const FETCHED_MONTHS = ['2026-08', '2026-09'] as const;

/** Hours of the survey in a usual month, by activity. Nobody has filled in June yet: what follows them is stranded there. */
export const SURVEYED: { object: string; hours: number }[] = [
	{ object: 'A-BOARD', hours: 2_150 },
	{ object: 'A-CARS', hours: 1_480 },
	{ object: 'A-SAIL', hours: 5_900 },
	{ object: 'A-CLEAN', hours: 1_220 },
	{ object: 'A-BOOK', hours: 640 },
	{ object: 'A-BERTH', hours: 910 }
];
/** Who fills in the hours of which activities. */
export const SURVEYORS: Readonly<Record<string, { name: string; activities: string[] }>> = {
	'tove.brandal@brinewater.example': { name: 'Boarding and cars', activities: ['A-BOARD', 'A-CARS'] },
	'imke.solberg@brinewater.example': { name: 'Sailing and berthing', activities: ['A-SAIL', 'A-BERTH'] },
	'lidia.marne@brinewater.example': { name: 'Booking', activities: ['A-BOOK'] },
	'piet.harrow@brinewater.example': { name: 'Cleaning', activities: ['A-CLEAN'] }
};
export const NOT_SURVEYED = '2027-06';

/** Sailings that could be berthed in a month: what the berths can take. */
export const BERTHINGS = 1_500;

/** Of a route's bookings, the part by channel; and of a channel's, the part by customer. */
export const BY_CHANNEL: Readonly<Record<string, number>> = { WEB: 0.52, AGENCY: 0.14, PIER: 0.27, FREIGHT: 0.07 };
export const BY_CUSTOMER: Readonly<Record<string, Readonly<Record<string, number>>>> = {
	WEB: { ISLANDERS: 0.22, VISITORS: 0.61, COMMUTERS: 0.17 },
	AGENCY: { ISLANDERS: 0.05, VISITORS: 0.95 },
	PIER: { ISLANDERS: 0.44, VISITORS: 0.23, COMMUTERS: 0.33 },
	FREIGHT: { SHIPPERS: 1 }
};
