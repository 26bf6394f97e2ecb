import type { ModelPackage, PackedDimension } from './package-format';

/** What a difference is about. */
export type DifferenceOf =
	| 'model'
	| 'currency'
	| 'calendar'
	| 'dimension'
	| 'list of choices'
	| 'hierarchy'
	| 'attribute'
	| 'member'
	| 'rate set'
	| 'variable'
	| 'formulas of'
	| 'lock'
	| 'form'
	| 'runbook'
	| 'import'
	| 'view'
	| 'board';

/** One way in which a package differs from a model. */
export interface Difference {
	/** Tells it from the others. */
	id: string;
	part: string;
	what: DifferenceOf;
	/** The dimension or list (key) it is within; empty where it is of the model. */
	of: string;
	name: string;
	kind: 'added' | 'changed' | 'missing';
	/** In a few words, what the package says. */
	change: string;
	/** Why it cannot be taken over; undefined where it can. */
	stays?: string;
}

/** The formulas of an account, which are taken over together. */
export interface PackedAccountFormulas {
	account: string;
	formulas: ModelPackage['formulas'];
}

/** By account, in the order in which they are first named. */
export function formulasByAccount(formulas: ModelPackage['formulas']): PackedAccountFormulas[] {
	const found = new Map<string, PackedAccountFormulas>();
	for (const formula of formulas) {
		const known = found.get(formula.account);
		if (known) known.formulas.push(formula);
		else found.set(formula.account, { account: formula.account, formulas: [formula] });
	}
	return [...found.values()];
}

/** What a runbook says, without what its steps have written: that belongs to the numbers. */
const saidBy = (runbook: ModelPackage['runbooks'][number]) => ({ ...runbook, results: [] });

/** A member without its place among others: one that comes between them moves all that follow. */
const withoutOrder = ({ places, ...member }: PackedDimension['members'][number]) => ({
	...member,
	...(places && { places: Object.fromEntries(Object.entries(places).map(([name, { parent, weight }]) => [name, { parent, weight }])) })
});

/** What a package would change in a model: everything that differs, part by part, in the order in which it can be taken over. */
export function comparePackages(model: ModelPackage, packed: ModelPackage): Difference[] {
	const differences: Difference[] = [];
	const tell = (difference: Omit<Difference, 'id'>) =>
		differences.push({ id: `${difference.what}|${difference.of}|${difference.name}`, ...difference });
	const compareList = <Item extends object>(
		{
			stays,
			...about
		}: Pick<Difference, 'part' | 'what' | 'of'> & { stays?: (difference: Omit<Difference, 'id'>, item: Item) => string | undefined },
		ours: readonly Item[],
		theirs: readonly Item[],
		nameOf: (item: Item) => string
	) => {
		const known = new Map(ours.map((item) => [nameOf(item), item]));
		const named = new Set(theirs.map(nameOf));
		const differs = (kind: Difference['kind'], item: Item, change: string) => {
			const difference = { ...about, name: nameOf(item), kind, change };
			const why = stays?.(difference, item);
			tell({ ...difference, ...(why !== undefined && { stays: why }) });
		};
		for (const item of theirs) {
			const before = known.get(nameOf(item));
			if (!before)
				differs('added', item, calledOtherwise(item, nameOf) ? `would be added: ${(item as { name: string }).name}` : 'would be added');
			else if (JSON.stringify(before) !== JSON.stringify(item)) differs('changed', item, changeOf(before, item));
		}
		for (const item of ours) if (!named.has(nameOf(item))) differs('missing', item, 'is not in the package');
	};
	if (model.model.reportingCurrency !== packed.model.reportingCurrency)
		tell({
			part: 'Model',
			what: 'model',
			of: '',
			name: 'reporting currency',
			kind: 'changed',
			change: `${model.model.reportingCurrency} → ${packed.model.reportingCurrency}`,
			stays: 'The reporting currency is settled when a model is made.'
		});
	compareList(
		{
			part: 'Currencies',
			what: 'currency',
			of: '',
			stays: ({ kind }) => (kind === 'missing' ? 'A currency that figures may be in does not leave a model.' : undefined)
		},
		model.model.currencies.map((code) => ({ code })),
		packed.model.currencies.map((code) => ({ code })),
		({ code }) => code
	);
	if (JSON.stringify(model.calendar) !== JSON.stringify(packed.calendar)) {
		const only = yearsAdded(model.calendar, packed.calendar);
		tell({
			part: 'Calendar',
			what: 'calendar',
			of: '',
			name: 'Calendar',
			kind: 'changed',
			change: changeOf(model.calendar, packed.calendar),
			...(!only && { stays: 'A calendar can be given more years. Anything else about it is settled when a model is made.' })
		});
	}
	const kindsOf = [
		{ what: 'dimension', part: 'Dimensions', ours: model.dimensions, theirs: packed.dimensions },
		{ what: 'list of choices', part: 'Lists', ours: model.lists, theirs: packed.lists }
	] as const;
	for (const { what, part, ours, theirs } of kindsOf)
		compareList(
			{
				part,
				what,
				of: '',
				stays: ({ kind }) =>
					kind === 'missing'
						? what === 'dimension'
							? 'Take it out under Dimensions of the model.'
							: 'Delete it under Lists of choices.'
						: kind === 'added' && what === 'dimension'
							? 'Add it under Dimensions of the model, where its figures are said, then compare again.'
							: kind === 'changed'
								? 'The kind of a dimension and its name are settled when it is made.'
								: undefined
			},
			ours.map(({ key, name, kind }) => ({ key, name, kind })),
			theirs.map(({ key, name, kind }) => ({ key, name, kind })),
			({ key }) => key
		);
	for (const theirs of [...packed.dimensions, ...packed.lists]) {
		const ours = [...model.dimensions, ...model.lists].find(({ key }) => key === theirs.key);
		if (!ours) continue;
		const of = theirs.key;
		compareList(
			{
				part: theirs.name,
				what: 'hierarchy',
				of,
				stays: ({ kind }) => (kind === 'missing' ? 'Delete it on the page of its dimension.' : undefined)
			},
			ours.hierarchies.map((name) => ({ name })),
			theirs.hierarchies.map((name) => ({ name })),
			({ name }) => name
		);
		compareList(
			{
				part: theirs.name,
				what: 'attribute',
				of,
				stays: ({ kind }) => (kind === 'missing' ? 'Delete it on the page of its dimension.' : undefined)
			},
			ours.attributes,
			theirs.attributes,
			({ name }) => name
		);
		const isPeriod = theirs.kind === 'period';
		const comes = new Set(ours.members.map(({ code }) => code));
		compareList(
			{
				part: theirs.name,
				what: 'member',
				of,
				stays: ({ kind, name }) =>
					isPeriod && (kind !== 'changed' || !comes.has(name)) ? 'Periods come and go with the years of the calendar.' : undefined
			},
			ours.members.map(withoutOrder),
			theirs.members.map(withoutOrder),
			({ code }) => code
		);
	}
	compareList(
		{
			part: 'Rates',
			what: 'rate set',
			of: '',
			stays: ({ kind, name }, item) => {
				if (kind === 'missing') return 'Rate sets are shared by models.';
				const own = model.rates.find((set) => set.name === name);
				return own && own.pivot !== item.pivot ? `Its rates are for one ${item.pivot} there and for one ${own.pivot} here.` : undefined;
			}
		},
		model.rates,
		packed.rates,
		({ name }) => name
	);
	const named = <Key extends 'variables' | 'locks' | 'views' | 'boards'>(part: string, what: DifferenceOf, key: Key) =>
		compareList(
			{ part, what, of: '' },
			model[key] as readonly { name: string }[],
			packed[key] as readonly { name: string }[],
			({ name }) => name
		);
	named('Variables', 'variable', 'variables');
	compareList(
		{ part: 'Formulas', what: 'formulas of', of: '' },
		formulasByAccount(model.formulas),
		formulasByAccount(packed.formulas),
		({ account }) => account
	);
	named('Locks', 'lock', 'locks');
	compareList({ part: 'Imports', what: 'import', of: '' }, model.imports, packed.imports, ({ code }) => code);
	compareList({ part: 'Runbooks', what: 'runbook', of: '' }, model.runbooks.map(saidBy), packed.runbooks.map(saidBy), ({ name }) => name);
	compareList({ part: 'Forms', what: 'form', of: '' }, model.forms, packed.forms, ({ code }) => code);
	named('Views', 'view', 'views');
	named('Boards', 'board', 'boards');
	return differences;
}

/** Whether a thing has a name beside the code it goes by. */
const calledOtherwise = <Item extends object>(item: Item, nameOf: (item: Item) => string): boolean =>
	'name' in item && item.name !== nameOf(item);

type Calendar = ModelPackage['calendar'];

/** The years a calendar would get before and after its own; undefined where anything else differs. */
export function yearsAdded(own: Calendar, other: Calendar): { before: number; after: number } | undefined {
	const rest = ({ firstYear: _, years: __, ...facts }: Calendar) => JSON.stringify(facts);
	const before = own.firstYear - other.firstYear;
	const after = other.firstYear + other.years - (own.firstYear + own.years);
	return rest(own) === rest(other) && before >= 0 && after >= 0 ? { before, after } : undefined;
}

/** Which parts of an object differ, the simple ones with their values. */
function changeOf(before: object, after: object): string {
	const simple = (value: unknown) =>
		value === undefined ? 'empty' : typeof value === 'object' && value !== null ? undefined : String(value);
	const keys = [...new Set([...Object.keys(before), ...Object.keys(after)])];
	return keys
		.flatMap((key) => {
			const [was, is] = [(before as Record<string, unknown>)[key], (after as Record<string, unknown>)[key]];
			if (JSON.stringify(was) === JSON.stringify(is)) return [];
			if (key === 'facts' || key === 'places') return [changeOf((was as object) ?? {}, (is as object) ?? {})];
			const [one, other] = [simple(was), simple(is)];
			return [one !== undefined && other !== undefined ? `${key}: ${one} → ${other}` : key];
		})
		.join(', ');
}
