import { readDate, type DateOrder } from '../calendar';
import type { DimensionKind } from '../dimension';
import { readNumber, type NumberStyle } from '../number';

export type FieldValue = string | number | boolean;

/** One thing that can be said of a member: a fact of its kind, or an attribute. */
export interface FieldSpec {
	key: string;
	title: string;
	/** Other headings under which it is recognised in a file. */
	aliases?: readonly string[];
	type: 'text' | 'number' | 'whole number' | 'yes/no' | 'choice' | 'date' | 'reference';
	choices?: readonly string[];
	/** What a reference points to; its codes come from the lookups. */
	to?: Exclude<keyof Lookups, 'style' | 'peopleByName'>;
	/** Several references, separated by semicolons. */
	several?: boolean;
	/** What it means, in a sentence. */
	help?: string;
}

/** Codes that references may name. */
export interface Lookups {
	accounts: ReadonlySet<string>;
	periods: ReadonlySet<string>;
	scenarios: ReadonlySet<string>;
	rateSets: ReadonlySet<string>;
	currencies: ReadonlySet<string>;
	/** E-mail addresses. */
	people: ReadonlySet<string>;
	/** The addresses of those who have a name, by the name in small letters: several where people share one. */
	peopleByName?: ReadonlyMap<string, readonly string[]>;
	/** How numbers and dates are written; with a point and the day first where it is not said, as in files of our own. */
	style?: { numbers: NumberStyle; dates: { order: DateOrder; months: readonly string[] } };
	dimensions: ReadonlySet<string>;
}

/** An attribute as it is defined on a dimension. */
export interface AttributeSpec {
	name: string;
	type: 'text' | 'number' | 'yes/no' | 'choice' | 'date' | 'person' | 'currency';
	choices: readonly string[];
}

const ACCOUNT_FIELDS: FieldSpec[] = [
	{
		key: 'kind',
		title: 'Kind',
		aliases: ['account kind', 'type'],
		type: 'choice',
		choices: ['revenue', 'expense', 'asset', 'liability', 'equity', 'statistic', 'rate'],
		help: 'Decides which differences are good news, and how balances translate.'
	},
	{
		key: 'valueType',
		title: 'Value',
		aliases: ['value type'],
		type: 'choice',
		choices: ['money', 'quantity', 'percent', 'price', 'choice', 'date', 'text'],
		help: 'Money and prices are translated; the others are not.'
	},
	{
		key: 'timeBehaviour',
		title: 'Over time',
		aliases: ['time behaviour', 'time'],
		type: 'choice',
		choices: ['flow', 'closing', 'opening', 'latest', 'average', 'none'],
		help: 'Flow adds up over months; closing shows the last month, opening the first.'
	},
	{
		key: 'consolidation',
		title: 'Over members',
		aliases: ['consolidation'],
		type: 'choice',
		choices: ['sum', 'weighted by', 'average', 'formula', 'none'],
		help: 'How it comes together over lines, routes and the like.'
	},
	{
		key: 'weighedBy',
		title: 'Weighed by',
		aliases: ['weighted by'],
		type: 'reference',
		to: 'accounts',
		help: 'For “weighted by”: an account.'
	},
	{ key: 'frequency', title: 'How often', aliases: ['frequency'], type: 'choice', choices: ['per period', 'per year', 'timeless'] },
	{ key: 'decimals', title: 'Decimals', type: 'whole number' },
	{ key: 'unit', title: 'Unit', type: 'text', help: 'What a quantity counts: litres, sailings…' },
	{
		key: 'favourable',
		title: 'Good when',
		aliases: ['favourable'],
		type: 'choice',
		choices: ['more', 'less'],
		help: 'By its kind when left empty.'
	},
	{
		key: 'rateKind',
		title: 'Rates',
		aliases: ['rate kind'],
		type: 'choice',
		choices: ['average', 'closing', 'previous closing', 'historical'],
		help: 'By its kind and time behaviour when left empty.'
	},
	{ key: 'watchFrom', title: 'Watch from', type: 'number', help: 'Where a value stops being fine. For percents 5 means 5 %.' },
	{ key: 'actFrom', title: 'Act from', type: 'number', help: 'Where a value asks for action.' },
	{
		key: 'choiceDimension',
		title: 'Choices',
		aliases: ['choice list'],
		type: 'reference',
		to: 'dimensions',
		help: 'For choices: the list that is chosen from, or the dimension whose leaves may be chosen.'
	}
];

const ENTITY_FIELDS: FieldSpec[] = [
	{ key: 'currency', title: 'Currency', type: 'reference', to: 'currencies' },
	{ key: 'owner', title: 'Owner', type: 'reference', to: 'people' },
	{ key: 'reviewers', title: 'Reviewers', type: 'reference', to: 'people', several: true }
];

const SCENARIO_FIELDS: FieldSpec[] = [
	{ key: 'spanFrom', title: 'Speaks from', type: 'reference', to: 'periods', help: 'The first period the scenario speaks about.' },
	{ key: 'spanTo', title: 'Speaks to', type: 'reference', to: 'periods', help: 'For Actual: the last closed month.' },
	{ key: 'entryFrom', title: 'Entries from', type: 'reference', to: 'periods' },
	{ key: 'entryTo', title: 'Entries to', type: 'reference', to: 'periods' },
	{ key: 'continuesFrom', title: 'Continues from', type: 'reference', to: 'scenarios', help: 'What it reads before its first period.' },
	{ key: 'comparedWith', title: 'Compared with', type: 'reference', to: 'scenarios' },
	{ key: 'rateSet', title: 'Rates', aliases: ['rate set'], type: 'reference', to: 'rateSets' },
	{
		key: 'laterRates',
		title: 'Later rates',
		type: 'text',
		help: 'Other rates from a period on: “2027-04: Budget rates; 2028-04: Forward rates”.'
	},
	{ key: 'state', title: 'State', type: 'choice', choices: ['in work', 'final', 'retired'] }
];

const GENERAL_FIELDS: FieldSpec[] = [
	{
		key: 'balance',
		title: 'In a balance',
		aliases: ['balance role'],
		type: 'choice',
		choices: ['opening', 'movement', 'closing'],
		help: 'Where members are movements: amounts here open a period, move within it, or close it, whatever the account says.'
	}
];

/** What can be said of the members of a dimension, its attributes last. */
export function fieldsOf(kind: DimensionKind, attributes: readonly AttributeSpec[]): FieldSpec[] {
	const own = { account: ACCOUNT_FIELDS, entity: ENTITY_FIELDS, scenario: SCENARIO_FIELDS, general: GENERAL_FIELDS, period: [] }[kind];
	return [
		...own,
		...attributes.map(({ name, type, choices }): FieldSpec => {
			const common = { key: `attribute ${name}`, title: name };
			if (type === 'person') return { ...common, type: 'reference', to: 'people' };
			if (type === 'currency') return { ...common, type: 'reference', to: 'currencies' };
			return type === 'choice' ? { ...common, type, choices } : { ...common, type };
		})
	];
}

/**
 * The facts of a new account that says little of itself: what is usual for its kind and value type.
 * Other members have no facts by default.
 */
export function defaultFacts(kind: DimensionKind, given: Readonly<Record<string, FieldValue>>): Record<string, FieldValue> {
	if (kind !== 'account') return { ...given };
	const account = given.kind ?? 'expense';
	const balance = account === 'asset' || account === 'liability' || account === 'equity';
	const valueType = given.valueType ?? (account === 'statistic' ? 'quantity' : account === 'rate' ? 'percent' : 'money');
	const adds = valueType === 'money' || valueType === 'quantity';
	return {
		kind: account,
		valueType,
		timeBehaviour: adds ? (balance ? 'closing' : 'flow') : 'none',
		consolidation: adds ? 'sum' : 'none',
		frequency: 'per period',
		decimals: valueType === 'money' || valueType === 'price' ? 2 : valueType === 'percent' ? 4 : 0,
		...given
	};
}

const POINT: NumberStyle = { decimal: '.', group: ',' };

/** A field's value from text as people and files write it. Empty text is no value. */
export function parseField(spec: FieldSpec, text: string, lookups: Lookups): { value: FieldValue | undefined } | { fault: string } {
	const given = text.trim();
	if (given === '') return { value: undefined };
	switch (spec.type) {
		case 'text':
			return given.length > 500 ? { fault: `${spec.title} is longer than 500 characters.` } : { value: given };
		case 'number':
		case 'whole number': {
			// In the person's way; else as our own files write it, with a point.
			const read = readNumber(given, lookups.style?.numbers ?? POINT) ?? readNumber(given, POINT);
			// 5 % is 5 here: of what is a percent, the numbers beside it are percents.
			const number = read && (read.unit === 'percent' ? read.amount * 100 : read.amount);
			if (number === undefined) return { fault: `${spec.title}: “${shortened(given)}” is not a number.` };
			if (spec.type === 'whole number' && (!Number.isInteger(number) || number < 0 || number > 6))
				return { fault: `${spec.title}: ${shortened(given)} is not a whole number from 0 to 6.` };
			return { value: number };
		}
		case 'yes/no': {
			if (/^(yes|y|true|1|x)$/i.test(given)) return { value: true };
			if (/^(no|n|false|0)$/i.test(given)) return { value: false };
			return { fault: `${spec.title}: “${shortened(given)}” is neither yes nor no.` };
		}
		case 'choice': {
			const found = spec.choices!.find((choice) => choice.toLowerCase() === given.toLowerCase());
			return found === undefined
				? { fault: `${spec.title}: “${shortened(given)}” is none of ${spec.choices!.join(', ')}.` }
				: { value: found };
		}
		case 'date': {
			const { order, months } = lookups.style?.dates ?? { order: 'day first' as const, months: [] };
			const date = readDate(given, order, months);
			return date !== undefined ? { value: date } : { fault: `${spec.title}: “${shortened(given)}” is not a date like 2027-04-01.` };
		}
		case 'reference': {
			// Names and addresses hold no comma; codes might.
			const parts = spec.several ? given.split(spec.to === 'people' ? /[;,\n]/ : ';').flatMap((part) => part.trim() || []) : [given];
			if (spec.to === 'people') return readPeople(spec, parts, lookups);
			const known = lookups[spec.to!];
			const missing = parts.find((part) => !known.has(part));
			if (missing !== undefined) return { fault: `${spec.title}: there is no “${shortened(missing)}”.` };
			return { value: parts.join('; ') };
		}
		default:
			return spec.type satisfies never;
	}
}

/** People by address or by name; kept by address, once each. */
function readPeople(spec: FieldSpec, parts: readonly string[], { people, peopleByName }: Lookups): ReturnType<typeof parseField> {
	const found = new Set<string>();
	for (const part of parts) {
		const wanted = part.toLowerCase();
		const named = people.has(part) ? [part] : people.has(wanted) ? [wanted] : (peopleByName?.get(wanted.replaceAll(/\s+/g, ' ')) ?? []);
		if (named.length === 0) return { fault: `${spec.title}: nobody here is called “${shortened(part)}”.` };
		if (named.length > 1) return { fault: `${spec.title}: several people are called ${part}. Give the address: ${named.join(' or ')}.` };
		found.add(named[0]!);
	}
	return { value: [...found].join('; ') };
}

/** A field's value as text; the same text parses to the same value. */
export const printField = (value: FieldValue | undefined): string =>
	value === undefined ? '' : value === true ? 'yes' : value === false ? 'no' : String(value);

const shortened = (text: string): string => (text.length > 40 ? `${text.slice(0, 40)}…` : text);
