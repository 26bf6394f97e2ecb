// Believable seasonal figures for every series of the demo, the same every time.
import { seededRandom, seedOf } from './random';
import { ADMINISTRATION_ACCOUNTS, FLEET_CARE_ACCOUNTS, PAY_ACCOUNTS, RATES, ROUTES, type Route } from './structure';

/** A series of the demo by codes, with its value in a month. */
export interface Figure {
	account: string;
	entity: string;
	department: string;
	route: string;
	/** The amount in the entity's own currency. */
	amount: (month: MonthFacts) => number;
	decimals: number;
	/** Which of the demo's systems knows it: the ledger, the ticketing system, or nobody but people. */
	system: 'ledger' | 'ticketing' | 'people';
}

export interface MonthFacts {
	/** Calendar month 1–12, days, and years since April 2024 as a fraction. */
	month: number;
	days: number;
	yearsOn: number;
	scenario: string;
	version: string;
}

/** How full the year is, by calendar month. */
const SEASON = [0.45, 0.5, 0.66, 0.86, 1.0, 1.28, 1.72, 1.78, 1.14, 0.84, 0.6, 0.74];

const LOCAL = { NOR: RATES.GBP, SKE: RATES.NOK, AMB: 1, SVC: 1 } as const;

/** What a scenario expects of volumes and prices, a year. */
const OUTLOOK: Record<string, { volume: number; price: number; fuel: number }> = {
	ACT: { volume: 0.024, price: 0.031, fuel: 0.045 },
	BUD27: { volume: 0.03, price: 0.028, fuel: 0.02 },
	OUT27: { volume: 0.021, price: 0.031, fuel: 0.06 },
	BUD28: { volume: 0.028, price: 0.03, fuel: 0.035 },
	STR: { volume: 0.052, price: 0.033, fuel: 0.02 }
};

/** Every series of the main model. */
export function figures(): Figure[] {
	return [...ROUTES.flatMap(routeFigures), ...administrationFigures(), ...balanceFigures()];
}

function routeFigures(route: Route): Figure[] {
	const fx = LOCAL[route.line];
	const season = ({ month }: MonthFacts) => SEASON[month - 1]!;
	const volume = ({ scenario, yearsOn }: MonthFacts) => (1 + OUTLOOK[scenario]!.volume) ** yearsOn;
	const price = ({ scenario, yearsOn }: MonthFacts) => (1 + OUTLOOK[scenario]!.price) ** yearsOn;
	const sailings = (facts: MonthFacts) => route.sailingsADay * facts.days * (0.62 + 0.26 * season(facts));
	const seats = (facts: MonthFacts) => sailings(facts) * route.seats;
	const passengers = (facts: MonthFacts) => seats(facts) * Math.min(0.93, 0.22 + 0.31 * season(facts)) * volume(facts);
	const cars = (facts: MonthFacts) => passengers(facts) * 0.27;
	const freight = (facts: MonthFacts) => sailings(facts) * route.seats * 0.11 * (0.85 + 0.1 * season(facts)) * volume(facts);
	const litres = (facts: MonthFacts) => sailings(facts) * route.litresASailing * (facts.month < 4 || facts.month > 10 ? 1.06 : 1);
	const tickets = (facts: MonthFacts) => (passengers(facts) * 0.7 * route.fare + cars(facts) * route.fare * 2.1) * price(facts);

	const of = (system: Figure['system'], account: string, department: string, amount: (facts: MonthFacts) => number, decimals = 2): Figure =>
		withNoise({ account, entity: route.line, department, route: route.code, amount, decimals, system });
	const inMoney = (account: string, department: string, euros: (facts: MonthFacts) => number): Figure =>
		of('ledger', account, department, (facts) => euros(facts) * fx);
	/** The monthly pay bill of a department on this route, in EUR. */
	const payBill = (share: number) => (facts: MonthFacts) => route.people * share * 2_950 * price(facts) * (0.9 + 0.1 * season(facts));
	const careBill = (facts: MonthFacts) => route.people * 780 * price(facts);

	return [
		of('ticketing', 'S10', 'NODEP', sailings, 0),
		of('ticketing', 'S20', 'NODEP', seats, 0),
		of('ticketing', 'S30', 'NODEP', passengers, 0),
		of('ticketing', 'S40', 'NODEP', cars, 0),
		of('ticketing', 'S50', 'NODEP', freight, 0),
		of('people', 'S60', 'EN', litres, 0),
		of('people', 'S80', 'TM', () => 60 + route.seats / 4, 0),
		of('people', 'S90', 'FC', (facts) => route.people * (facts.month <= 2 ? 6 : 1.5), 0),
		inMoney('4010', 'BK', (facts) => passengers(facts) * 0.7 * route.fare * price(facts)),
		inMoney('4020', 'BK', (facts) => cars(facts) * route.fare * 2.1 * price(facts)),
		inMoney('4030', 'BK', (facts) => passengers(facts) * 0.05 * route.fare * 0.8 * price(facts)),
		inMoney('4040', 'BK', (facts) => freight(facts) * 9.4 * price(facts)),
		inMoney('4110', 'SH', (facts) => passengers(facts) * 4.3 * price(facts)),
		inMoney('4120', 'SH', (facts) => passengers(facts) * 3.2 * price(facts)),
		inMoney('4130', 'SH', (facts) => passengers(facts) * 0.9 * price(facts)),
		inMoney('6010', 'EN', (facts) => litres(facts) * 0.71 * (1 + OUTLOOK[facts.scenario]!.fuel) ** facts.yearsOn),
		inMoney('6020', 'TM', (facts) => sailings(facts) * (420 + route.seats * 1.15) * price(facts)),
		inMoney('6030', 'TM', (facts) => freight(facts) * 1.3 * price(facts)),
		inMoney('6040', 'BK', (facts) => tickets(facts) * 0.034),
		inMoney('6050', 'BK', (facts) => tickets(facts) * 0.012),
		inMoney('6210', 'SH', (facts) => passengers(facts) * 1.65 * price(facts)),
		inMoney('6220', 'SH', (facts) => passengers(facts) * 1.72 * price(facts)),
		inMoney('6310', 'TM', (facts) => route.people * 210 * price(facts) * (facts.month < 4 || facts.month > 10 ? 1.5 : 0.8)),
		inMoney('6320', 'TM', (facts) => passengers(facts) * 0.11 * price(facts)),
		inMoney('6330', 'TM', (facts) => route.people * 160 * price(facts)),
		...Object.entries({ DK: 0.4, EN: 0.2, SH: 0.17, TM: 0.13, BK: 0.06, FC: 0.04 }).flatMap(([department, share]) => [
			of('people', 'S70', department, (facts) => Math.round(route.people * share * (0.92 + 0.08 * season(facts))), 0),
			...PAY_ACCOUNTS.map(([account, , part]) => inMoney(account, department, (facts) => payBill(share)(facts) * part))
		]),
		...FLEET_CARE_ACCOUNTS.map(([account, , part]) =>
			// Ships go to dock in winter: most of a year's dry-dock bill falls in three months.
			inMoney(
				account,
				'FC',
				(facts) => careBill(facts) * part * (account === '6420' ? (facts.month <= 2 || facts.month === 12 ? 3.2 : 0.27) : 1)
			)
		)
	];
}

function administrationFigures(): Figure[] {
	const bills = { NOR: 290_000, SKE: 176_000, AMB: 215_000, SVC: 160_000 } as const;
	const shares = { DK: 0.05, EN: 0.05, SH: 0.07, TM: 0.11, BK: 0.2, FC: 0.08, AD: 0.44 };
	return Object.entries(bills).flatMap(([entity, bill]) =>
		Object.entries(shares).flatMap(([department, share]) =>
			ADMINISTRATION_ACCOUNTS.map(([account, , part]) =>
				withNoise({
					account,
					entity,
					department,
					route: 'NOROUTE',
					decimals: 2,
					system: 'ledger',
					amount: ({ scenario, yearsOn }) =>
						bill * share * part * LOCAL[entity as keyof typeof LOCAL] * (1 + OUTLOOK[scenario]!.price) ** yearsOn
				})
			)
		)
	);
}

function balanceFigures(): Figure[] {
	const balances = {
		'1010': [62e6, -0.04],
		'1020': [3.4e6, 0.03],
		'1030': [5.1e6, 0.05],
		'2010': [2.9e6, 0.03],
		'2020': [31e6, -0.05]
	} as const;
	const sizes = { NOR: 1.1, SKE: 0.9, AMB: 1.0, SVC: 0.15 } as const;
	return Object.entries(sizes)
		.flatMap(([entity, size]) =>
			Object.entries(balances).map(([account, [amount, drift]]) =>
				withNoise({
					account,
					entity,
					department: 'NODEP',
					route: 'NOROUTE',
					decimals: 2,
					system: 'people',
					// In the plans vessels follow from what is bought and what wears.
					amount: ({ scenario, yearsOn }) =>
						account === '1010' && ['BUD28', 'STR'].includes(scenario)
							? Number.NaN
							: amount * size * LOCAL[entity as keyof typeof LOCAL] * (1 + drift) ** yearsOn
				})
			)
		)
		.concat(Object.entries(sizes).flatMap(([entity, size]) => vesselFigures(entity as keyof typeof LOCAL, size)));
}

/** What is bought for the fleet in winter, and how it wears. */
function vesselFigures(entity: keyof typeof LOCAL, size: number): Figure[] {
	const of = (account: string, euros: (facts: MonthFacts) => number): Figure =>
		withNoise({
			account,
			entity,
			department: 'NODEP',
			route: 'NOROUTE',
			decimals: 2,
			system: 'people',
			amount: (facts) => euros(facts) * size * LOCAL[entity]
		});
	return [of('1012', ({ month }) => (month <= 2 || month === 11 ? 420_000 : 12_000)), of('1013', () => 318_000)];
}

/** Actual figures scatter, plans are rounded to hundreds and smoother. */
function withNoise(figure: Figure): Figure {
	const seed = seedOf([figure.account, figure.entity, figure.department, figure.route].join(' '));
	return {
		...figure,
		amount: (facts) => {
			const random = seededRandom(seed ^ seedOf(`${facts.scenario} ${facts.yearsOn.toFixed(3)}`));
			const actual = facts.scenario === 'ACT';
			const version = facts.version === 'FINAL' && !actual ? 0.99 : 1;
			const scattered = figure.amount(facts) * version * (1 + (random() - 0.5) * (actual ? 0.09 : 0.02));
			const step = actual || scattered < 2_000 ? 10 ** -figure.decimals : 100;
			return Number((Math.round(scattered / step) * step).toFixed(figure.decimals));
		}
	};
}
