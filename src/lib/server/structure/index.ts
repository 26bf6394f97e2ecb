import { Model, print, type ModelDefinition } from '../../core';
import { pool } from '../database';
import { readModelDefinition } from '../database/definitions';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';

export interface MemberLine {
	id: number;
	code: string;
	name: string;
	depth: number;
	leaf: boolean;
	unassigned: boolean;
	weight: number;
	/** For accounts. */
	account?: {
		kind: string;
		valueType: string;
		timeBehaviour: string;
		consolidation: string;
		decimals: number;
		unit: string | null;
		formula: string | null;
	};
	currency?: string;
	/** For scenarios: what it speaks about, what takes entry, and where its rates come from. */
	scenario?: { span: string; entry: string; rates: string; continuesFrom: string; comparedWith: string };
	/** For periods: its days. */
	days?: string;
}

export interface DimensionSummary {
	id: number;
	code: string;
	name: string;
	kind: string;
	members: number;
	leaves: number;
	depth: number;
}

export interface CalendarSummary {
	name: string;
	fiscalStartMonth: number;
	namedBy: string;
	years: { name: string; start: string; end: string; months: { name: string; quarter: string }[] }[];
}

export interface RateSetSummary {
	name: string;
	pivot: string;
	currencies: {
		currency: string;
		average: { from: string; to: string; value: number }[];
		closing: { from: string; to: string; value: number }[];
	}[];
}

async function readModel(person: SignedIn | undefined, modelId: number): Promise<{ model: Model; definition: ModelDefinition }> {
	requirePermission(person, 'structure.read');
	const definition = await readModelDefinition(pool(), modelId);
	if (!definition) throw notFound('model');
	return { model: new Model(definition), definition };
}

/** The model's dimensions, in order. */
export async function listDimensions(person: SignedIn | undefined, modelId: number): Promise<DimensionSummary[]> {
	const { model, definition } = await readModel(person, modelId);
	return definition.dimensions.map(({ id, code, name, kind, members }) => {
		const { tree } = model.dimension(id)!;
		return {
			id,
			code,
			name,
			kind,
			members: members.length,
			leaves: members.filter((_, ordinal) => tree.isLeaf(ordinal)).length,
			depth: Math.max(...tree.depth) + 1
		};
	});
}

/** The members of a dimension in tree order, with the facts of their kind. */
export async function readMembers(
	person: SignedIn | undefined,
	modelId: number,
	code: string
): Promise<{ name: string; kind: string; members: MemberLine[] }> {
	const { model, definition } = await readModel(person, modelId);
	const found = definition.dimensions.find((dimension) => dimension.code === code);
	if (!found) throw notFound('dimension');
	const dimension = model.dimension(found.id)!;
	const rateSetName = (id: number) => definition.rateSets.find((set) => set.id === id)?.name ?? '';
	const periodName = (index: number) => model.periods.dimension.member(model.periods.leaf(index).ordinal).name;
	const rangeName = ({ from, to }: { from: number; to: number }) => (to < from ? 'none' : `${periodName(from)} – ${periodName(to)}`);
	const nameOf = (member: number | null) => (member === null ? '' : dimension.member(dimension.ordinal(member)!).name);
	return {
		name: dimension.name,
		kind: dimension.kind,
		members: Array.from(dimension.tree.order, (ordinal): MemberLine => {
			const member = dimension.member(ordinal);
			const line: MemberLine = {
				id: member.id,
				code: member.code,
				name: member.name,
				depth: dimension.tree.depth[ordinal]!,
				leaf: dimension.tree.isLeaf(ordinal),
				unassigned: member.unassigned,
				weight: dimension.tree.weight[ordinal]!
			};
			if (dimension === model.accounts) {
				const facts = model.account(ordinal);
				const formula = model.formula(ordinal);
				const nameAccount = (account: number) => dimension.member(dimension.ordinal(account)!).name;
				if (facts) line.account = { ...facts, formula: formula ? print(formula.expression, nameAccount) : null };
			}
			if (dimension.kind === 'entity' && line.leaf) line.currency = model.currencyOf(ordinal);
			if (dimension === model.scenarios) {
				const scenario = model.scenario(ordinal);
				if (scenario)
					line.scenario = {
						span: rangeName(scenario.span),
						entry: rangeName(scenario.entry),
						rates: rateSetName(scenario.definition.rateSet),
						continuesFrom: nameOf(scenario.definition.continuesFrom),
						comparedWith: nameOf(scenario.definition.comparedWith)
					};
			}
			if (dimension === model.periods.dimension) {
				const facts = model.periods.facts(ordinal);
				if (facts) line.days = `${facts.start} – ${facts.end}`;
			}
			return line;
		})
	};
}

/** The calendar behind the model's period dimension. */
export async function readCalendar(person: SignedIn | undefined, modelId: number): Promise<CalendarSummary> {
	const { model } = await readModel(person, modelId);
	const found = await pool().query<{ name: string; start: number; named: string }>(
		'SELECT c.name, c.fiscal_start_month AS start, c.named_by AS named FROM dimension d JOIN calendar c ON c.id = d.calendar_id WHERE d.id = $1',
		[model.periods.dimension.id]
	);
	const calendar = found.rows[0];
	if (!calendar) throw notFound('calendar');
	const period = model.periods.dimension;
	return {
		name: calendar.name,
		fiscalStartMonth: calendar.start,
		namedBy: calendar.named,
		years: period.tree.roots().map((year) => ({
			name: period.member(year).name,
			start: model.periods.facts(year)!.start,
			end: model.periods.facts(year)!.end,
			months: period.tree
				.leaves(year)
				.map((month) => ({ name: period.member(month).name, quarter: period.member(period.tree.parent[month]!).name }))
		}))
	};
}

/** Currencies, and every rate set with its spans. */
export async function readCurrencies(
	person: SignedIn | undefined,
	modelId: number
): Promise<{ reporting: string; currencies: string[]; rateSets: RateSetSummary[] }> {
	const { definition } = await readModel(person, modelId);
	return {
		reporting: definition.reportingCurrency,
		currencies: definition.currencies.map(({ code }) => code),
		rateSets: definition.rateSets.map(({ name, pivot, rates }) => ({
			name,
			pivot,
			currencies: [...new Set(rates.map(({ currency }) => currency))].sort().map((currency) => {
				const of = (kind: string) =>
					rates
						.filter((rate) => rate.currency === currency && rate.kind === kind)
						.map(({ from, to, value }) => ({ from, to, value }))
						.sort((a, b) => (a.from < b.from ? -1 : 1));
				return { currency, average: of('average'), closing: of('closing') };
			})
		}))
	};
}
