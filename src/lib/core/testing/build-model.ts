import { generatePeriods, type CalendarDefinition } from '../calendar';
import type { RateSetDefinition } from '../currency';
import type { DimensionKind } from '../dimension';
import type { Expression, PartOfYear } from '../formula';
import { Model, type AccountDefinition, type BalanceRole, type ModelDefinition } from '../model';

/** A member by code, its parent by code. */
export interface MemberSketch {
	code: string;
	parent?: string;
	weight?: number;
	unassigned?: boolean;
	account?: Partial<AccountDefinition>;
	/** Code of the account that weighs it. */
	weigher?: string;
	/** A formula over account codes, read at fixed members (dimension code to member code) where given. */
	formula?: (account: (code: string, at?: Record<string, string>) => Expression) => Expression;
	/** Computed per leaf, in one scenario (code) from one leaf period (code) on when given; else after totals. */
	perLeaf?: { scenario?: string; from?: string; within?: PartOfYear; mayBeTyped?: boolean };
	currency?: string;
	/** What it says of balances. */
	balance?: BalanceRole;
	/** A scenario's span and entry, as period codes. */
	span?: [string, string];
	entry?: [string, string];
	/** The period (code) from which the second rate set counts. */
	laterRates?: string;
	/** Code of the scenario it continues from. */
	continues?: string;
}

export interface ModelSketch {
	calendar?: Partial<CalendarDefinition>;
	accounts: MemberSketch[];
	scenarios: MemberSketch[];
	entities?: MemberSketch[];
	/** General dimensions by code. */
	general?: Record<string, MemberSketch[]>;
	rates?: RateSetDefinition['rates'];
	/** Rates of a second set, id 2. */
	otherRates?: RateSetDefinition['rates'];
}

/** Builds a model from a sketch. Member ids are made so that no two dimensions share one. */
export function buildModel(sketch: ModelSketch): Model {
	let nextId = 100;
	const ids = new Map<string, number>();
	const dimension = (id: number, code: string, kind: DimensionKind, members: MemberSketch[]): ModelDefinition['dimensions'][number] => ({
		id,
		code,
		name: code,
		kind,
		members: members.map((member) => {
			ids.set(`${code}/${member.code}`, nextId);
			return { id: nextId++, code: member.code, name: member.code, unassigned: member.unassigned ?? false };
		}),
		nodes: members.map((member) => ({
			member: ids.get(`${code}/${member.code}`)!,
			parent: member.parent === undefined ? null : ids.get(`${code}/${member.parent}`)!,
			weight: member.weight ?? 1
		}))
	});
	const calendar: CalendarDefinition = {
		grain: 'month',
		pattern: 'calendar months',
		fiscalStartMonth: 4,
		namedBy: 'last year',
		firstYear: 2027,
		years: 2,
		levels: ['quarter'],
		...sketch.calendar
	};
	const periods = generatePeriods(calendar);
	const dimensions = [
		dimension(1, 'account', 'account', sketch.accounts),
		dimension(
			2,
			'period',
			'period',
			periods.map(({ code, parent }) => (parent === undefined ? { code } : { code, parent }))
		),
		dimension(3, 'scenario', 'scenario', sketch.scenarios),
		...(sketch.entities ? [dimension(4, 'entity', 'entity', sketch.entities)] : []),
		...Object.entries(sketch.general ?? {}).map(([code, members], index) => dimension(5 + index, code, 'general', members))
	];
	const months = periods.filter(({ code }) => !periods.some(({ parent }) => parent === code));
	const id = (code: string) => ids.get(code)!;
	const account = (code: string, at?: Record<string, string>): Expression => ({
		kind: 'account',
		member: id(`account/${code}`),
		...(at && {
			at: Object.fromEntries(
				Object.entries(at).map(([on, member]) => [dimensions.find((each) => each.code === on)!.id, id(`${on}/${member}`)])
			)
		})
	});
	return new Model({
		id: 1,
		code: 'test',
		name: 'Test',
		reportingCurrency: 'EUR',
		currencies: [
			{ code: 'EUR', decimals: 2 },
			{ code: 'GBP', decimals: 2 },
			{ code: 'NOK', decimals: 2 }
		],
		dimensions,
		periods: periods.map(({ code, level, start, end, fiscalYear }) => ({ member: id(`period/${code}`), level, start, end, fiscalYear })),
		accounts: sketch.accounts
			.filter(({ account: facts }) => facts)
			.map(({ code, account: facts, weigher }) => ({
				member: id(`account/${code}`),
				kind: 'revenue',
				valueType: 'money',
				timeBehaviour: 'flow',
				consolidation: 'sum',
				decimals: 2,
				unit: null,
				weight: weigher === undefined ? null : id(`account/${weigher}`),
				...facts
			})),
		entities: (sketch.entities ?? [])
			.filter(({ currency }) => currency)
			.map(({ code, currency }) => ({ member: id(`entity/${code}`), currency: currency! })),
		balanceRoles: Object.entries(sketch.general ?? {}).flatMap(([dimension, members]) =>
			members.flatMap(({ code, balance }) => (balance ? [{ member: id(`${dimension}/${code}`), role: balance }] : []))
		),
		scenarios: sketch.scenarios.map(({ code, span, entry, continues, laterRates }) => ({
			member: id(`scenario/${code}`),
			spanFrom: id(`period/${span?.[0] ?? months[0]!.code}`),
			spanTo: id(`period/${span?.[1] ?? months.at(-1)!.code}`),
			entryFrom: entry ? id(`period/${entry[0]}`) : null,
			entryTo: entry ? id(`period/${entry[1]}`) : null,
			rateSet: 1,
			...(laterRates !== undefined && { laterRates: [{ from: id(`period/${laterRates}`), rateSet: 2 }] }),
			continuesFrom: continues === undefined ? null : id(`scenario/${continues}`),
			comparedWith: null
		})),
		rateSets: [
			{ id: 1, name: 'Rates', pivot: 'EUR', rates: sketch.rates ?? [] },
			{ id: 2, name: 'Other rates', pivot: 'EUR', rates: sketch.otherRates ?? [] }
		],
		formulas: sketch.accounts
			.filter(({ formula }) => formula)
			.map(({ code, formula, perLeaf }) => ({
				account: id(`account/${code}`),
				timing: perLeaf ? ('per leaf' as const) : ('after totals' as const),
				expression: formula!(account),
				mayBeTyped: perLeaf?.mayBeTyped ?? false,
				scope: {
					...(perLeaf?.scenario === undefined ? {} : { scenarios: [id(`scenario/${perLeaf.scenario}`)] }),
					...(perLeaf?.from === undefined ? {} : { from: id(`period/${perLeaf.from}`) }),
					...(perLeaf?.within === undefined ? {} : { within: perLeaf.within })
				}
			})),
		origins: [
			{ id: 1, name: 'Entry', mode: 'entry' },
			{ id: 2, name: 'First load', mode: 'loads' },
			{ id: 3, name: 'Second load', mode: 'loads' },
			{ id: 4, name: 'Addition', mode: 'adds' },
			{ id: 5, name: 'Upper step', mode: 'sets', result: { runbook: 1, step: 1, rank: 0 } },
			{ id: 6, name: 'Lower step', mode: 'sets', result: { runbook: 1, step: 2, rank: 1 } },
			{ id: 7, name: 'Step of another runbook', mode: 'sets', result: { runbook: 2, step: 3, rank: 0 } }
		]
	});
}
