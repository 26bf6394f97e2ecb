import { isDate, dayNumber } from '../calendar';
import { isTranslated, translationFactors, rateUse } from '../cube';
import type { Dimension } from '../dimension';
import type { AccountDefinition, AccountKind, Model, RatesInstead } from '../model';
import { parseAmount, type AmountStyle } from './amount';
import { dateFormats, parseSourceDate, type SourceDateFormat } from './source-date';
import { ValueMap, type MapLine } from './value-map';

/** Where a dimension's member comes from. */
export type ColumnRule =
	/** One or several columns, joined by a separator, through a map. `label`: the column that names the value in words. */
	| { dimension: number; from: 'column'; columns: string[]; separator: string; label?: string | null; lines: MapLine[] }
	| { dimension: number; from: 'fixed'; member: number }
	| { dimension: number; from: 'date'; column: string; format: SourceDateFormat }
	| { dimension: number; from: 'variable'; variable: string }
	/** Named by who loads; a file cannot be loaded without. */
	| { dimension: number; from: 'chosen' }
	/** The headings of the amount columns are dates. */
	| { dimension: number; from: 'headings'; format: SourceDateFormat };

/** How rows become cells. */
export interface ImportRecipe {
	rules: ColumnRule[];
	/** One column, or one a period: then its order counts from the period the rule gives, unless the headings are dates. */
	amountColumns: string[];
	amountStyle: AmountStyle;
	/** ISO 4217 codes beside the amounts; null when amounts are in each entity's own currency. */
	currencyColumn: string | null;
	/** Amounts of these kinds of accounts come with the opposite sign. */
	reversedKinds: AccountKind[];
	/** How dates are written in accounts that hold dates. */
	valueDates: SourceDateFormat;
	/** Rates that are read in the place of others: those of the branch that is loaded into. */
	ratesInstead?: RatesInstead | undefined;
}

/** Why a row does not load: what kind, in which column, which value, in a sentence. */
export interface RowFault {
	code:
		| 'no member'
		| 'several lines match'
		| 'not an amount'
		| 'not a date'
		| 'outside the calendar'
		| 'not a leaf'
		| 'no currency'
		| 'not among the choices'
		| 'not open'
		| 'fields missing';
	/** The dimension (id) whose map or rule is concerned. */
	dimension: number | null;
	column: string;
	value: string;
	message: string;
}

/** What stands behind choices and texts, for accounts that hold them. */
export interface SourceValues {
	/** Ids by code and by name of the members an account's choice list offers. */
	choices: (account: number) => ReadonlyMap<string, number>;
	/** The place of a text in the table of texts. */
	text: (text: string) => number;
}

type Resolved = ({ ordinal: number; sign: 1 | -1 } | { skip: true } | { fault: RowFault }) & { line?: number };

/** Values kept per dimension with what they become; beyond it the memory starts anew. */
const MOST_KEPT = 200_000;

/** Stands between the parts of a key; occurs in no text file. */
const PART = '\u0000';

interface CompiledRule {
	rule: ColumnRule;
	dimension: Dimension;
	/** Place in an address; −1 for the period. */
	axis: number;
	places: number[];
	jointPlaces: number[];
	map: ValueMap | undefined;
	kept: Map<string, Resolved>;
	/** For members that are the same in every row. */
	constant: Resolved | undefined;
}

/**
 * Reads rows by a recipe: made once a file, used for each row. What distinct values become is kept, so that a row costs a
 * look-up per dimension. The fields `address`, `periods`, `amounts` and `count` hold the row last read, reused.
 */
export class RowReader {
	readonly #model: Model;
	readonly #recipe: ImportRecipe;
	readonly #rules: CompiledRule[];
	readonly #headings: readonly string[];
	readonly #amountPlaces: number[];
	readonly #currencyPlace: number;
	readonly #values: SourceValues | undefined;
	readonly #factors = new Map<string, Float64Array>();
	readonly #headingPeriods: (number | RowFault)[] | undefined;
	/** Leaf ordinals per dimension, without the period. */
	readonly address: Int32Array;
	/** Leaf periods and amounts of the row's cells; the first `count` count. */
	readonly periods: Int32Array;
	readonly amounts: Float64Array;
	/** Where a column says in which currency amounts are: that currency, and the amounts before they were translated. */
	currency = '';
	readonly asWritten: Float64Array;
	count = 0;
	/** The amounts of the row whose total was asked for last: it is read next. */
	readonly #parsed: Float64Array;
	#parsedRow: readonly string[] | undefined;
	faults: RowFault[] = [];
	/** Per rule the map line that decided, 0 for none. */
	readonly winners: Int32Array;

	/**
	 * @param headings the source's columns, in order
	 * @param chosen members (ids) by dimension, for rules that ask
	 * @throws Error when a rule names a member, variable or column that is not there
	 */
	constructor(
		model: Model,
		recipe: ImportRecipe,
		headings: readonly string[],
		chosen: Readonly<Record<number, number>> = {},
		values?: SourceValues
	) {
		this.#model = model;
		this.#recipe = recipe;
		this.#headings = headings;
		this.#values = values;
		this.address = new Int32Array(model.dimensions.length);
		this.winners = new Int32Array(recipe.rules.length);
		this.periods = new Int32Array(Math.max(1, recipe.amountColumns.length));
		this.amounts = new Float64Array(this.periods.length);
		this.asWritten = new Float64Array(this.periods.length);
		this.#parsed = new Float64Array(this.periods.length);
		this.#amountPlaces = recipe.amountColumns.map((column) => this.#place(column));
		this.#currencyPlace = recipe.currencyColumn === null ? -1 : this.#place(recipe.currencyColumn);
		this.#rules = recipe.rules.map((rule) => this.#compile(rule, chosen));
		const dated = recipe.rules.find((rule) => rule.from === 'headings');
		this.#headingPeriods = dated && recipe.amountColumns.map((column) => this.#periodOf(column, column, dated.format, dated.dimension));
	}

	/** The columns a source must have. */
	static columnsOf(recipe: ImportRecipe): string[] {
		const columns = recipe.rules.flatMap((rule): string[] => {
			if (rule.from === 'column')
				return [
					...rule.columns,
					...rule.lines.flatMap((line) => (line.kind === 'joint' ? line.conditions.map(({ column }) => column) : []))
				];
			return rule.from === 'date' ? [rule.column] : [];
		});
		return [...new Set([...columns, ...recipe.amountColumns, ...(recipe.currencyColumn === null ? [] : [recipe.currencyColumn])])];
	}

	/** A row's amounts as written, added up, before any sign is reversed: for control totals. Empty and unreadable ones count as 0. */
	amountOf(row: readonly string[]): number {
		let total = 0;
		for (let index = 0; index < this.#amountPlaces.length; index++) {
			const amount = parseAmount(row[this.#amountPlaces[index]!] ?? '', this.#recipe.amountStyle);
			this.#parsed[index] = amount ?? Number.NaN;
			total += amount ?? 0;
		}
		this.#parsedRow = row;
		return total;
	}

	/** What a rule's columns say in a row, joined. Undefined for rules that look at none. */
	valueOf(index: number, row: readonly string[]): string | undefined {
		const compiled = this.#rules[index]!;
		return compiled.rule.from === 'column' ? joined(row, compiled.places, compiled.rule.separator) : undefined;
	}

	/**
	 * Reads a row into `address`, `periods`, `amounts` and `count`.
	 * @returns `skipped` when a map line says so; with `rejected` the reasons stand in `faults`
	 */
	read(row: readonly string[]): 'loaded' | 'skipped' | 'rejected' {
		this.faults = [];
		this.count = 0;
		this.winners.fill(0);
		let period = -1;
		let sign = 1;
		for (let index = 0; index < this.#rules.length; index++) {
			const compiled = this.#rules[index]!;
			if (compiled.rule.from === 'headings') continue;
			const resolved = compiled.constant ?? this.#resolve(compiled, row);
			this.winners[index] = resolved.line ?? 0;
			if ('skip' in resolved) return 'skipped';
			if ('fault' in resolved) {
				this.faults.push(resolved.fault);
				continue;
			}
			sign *= resolved.sign;
			if (compiled.axis < 0) period = resolved.ordinal;
			else this.address[compiled.axis] = resolved.ordinal;
		}
		const account = this.faults.length === 0 ? this.#model.factsAt(this.address) : undefined;
		if (account && this.#recipe.reversedKinds.includes(account.kind)) sign = -sign;
		this.#readAmounts(row, account, period, sign);
		if (this.faults.length > 0) return 'rejected';
		if (this.#currencyPlace >= 0) this.#convert(row, account);
		return this.faults.length > 0 ? 'rejected' : 'loaded';
	}

	#readAmounts(row: readonly string[], account: AccountDefinition | undefined, period: number, sign: number): void {
		const several = this.#amountPlaces.length > 1;
		for (let index = 0; index < this.#amountPlaces.length; index++) {
			const text = row[this.#amountPlaces[index]!] ?? '';
			// Of several columns the empty ones say nothing; a single one must say something.
			if (several && text.trim() === '') continue;
			const column = this.#recipe.amountColumns[index]!;
			const known = this.#parsedRow === row && (account === undefined || account.valueType === 'money' || account.valueType === 'quantity');
			const value = known && this.#parsed[index]! === this.#parsed[index]! ? this.#parsed[index]! : this.#valueOf(text, account, column);
			if (typeof value !== 'number') {
				this.faults.push(value);
				continue;
			}
			let at = period + index;
			if (this.#headingPeriods) {
				const found = this.#headingPeriods[index]!;
				if (typeof found !== 'number') {
					this.faults.push(found);
					continue;
				}
				at = found;
			}
			if (period >= 0 || this.#headingPeriods) {
				if (at >= this.#model.periods.leaves.length) {
					this.faults.push(
						fault('outside the calendar', null, column, text, `The column ${column} would lie outside the model's calendar.`)
					);
					continue;
				}
				this.periods[this.count] = at;
				const coded = account && (account.valueType === 'choice' || account.valueType === 'date' || account.valueType === 'text');
				this.amounts[this.count++] = coded || value === 0 ? value : sign * value;
			}
		}
		if (several && this.count === 0 && this.faults.length === 0)
			this.faults.push(fault('not an amount', null, this.#recipe.amountColumns[0]!, '', 'None of the amount columns holds an amount.'));
	}

	/** A source's value as a number, by the account's value type. */
	#valueOf(text: string, account: AccountDefinition | undefined, column: string): number | RowFault {
		const type = account?.valueType ?? 'money';
		if (type === 'date') {
			const date = isDate(text.trim()) ? text.trim() : parseSourceDate(text, this.#recipe.valueDates);
			return date
				? dayNumber(date)
				: fault('not a date', null, column, text, `“${short(text)}” is not a date written ${this.#recipe.valueDates}.`);
		}
		if (type === 'choice') {
			const found = this.#values?.choices(account!.member).get(text.trim().toLowerCase());
			return found ?? fault('not among the choices', null, column, text, `“${short(text)}” is not among the choices of this account.`);
		}
		if (type === 'text') {
			if (text.trim() === '') return fault('not an amount', null, column, text, 'There is no text.');
			return this.#values?.text(text.trim().slice(0, 500)) ?? 0;
		}
		const amount = parseAmount(type === 'percent' ? text.replace('%', '') : text, this.#recipe.amountStyle);
		if (amount === undefined)
			return fault('not an amount', null, column, text, text.trim() === '' ? 'There is no amount.' : `“${short(text)}” is not an amount.`);
		return type === 'percent' && text.includes('%') ? amount / 100 : amount;
	}

	/** Amounts in another currency than the entity's own are translated at the scenario's rates. */
	#convert(row: readonly string[], account: AccountDefinition | undefined): void {
		const model = this.#model;
		const currency = (row[this.#currencyPlace] ?? '').trim().toUpperCase();
		const column = this.#recipe.currencyColumn!;
		const local = model.entityAxis < 0 ? model.definition.reportingCurrency : model.currencyOf(this.address[model.entityAxis]!);
		this.currency = local;
		this.asWritten.set(this.amounts.subarray(0, this.count));
		if (!account || !isTranslated(account) || currency === local) return;
		this.currency = currency;
		if (!model.definition.currencies.some(({ code }) => code === currency)) {
			this.faults.push(
				fault(
					'no currency',
					null,
					column,
					currency,
					currency === '' ? 'There is no currency.' : `“${short(currency)}” is not a currency of this model.`
				)
			);
			return;
		}
		const scenario = this.address[model.scenarioAxis]!;
		const use = rateUse(account);
		const key = `${currency} ${local} ${use} ${scenario}`;
		let factors = this.#factors.get(key);
		if (!factors)
			this.#factors.set(
				key,
				(factors = translationFactors(
					model,
					currency,
					local,
					(period) => model.rateSetAt(scenario, period, this.#recipe.ratesInstead),
					use
				))
			);
		for (let index = 0; index < this.count; index++) {
			const factor = factors[this.periods[index]!]!;
			if (factor !== factor) {
				const name = model.periods.dimension.member(model.periods.leaf(this.periods[index]!).ordinal).name;
				this.faults.push(fault('no currency', null, column, currency, `There is no ${use} rate from ${currency} to ${local} for ${name}.`));
				return;
			}
			this.amounts[index]! *= factor;
		}
	}

	#resolve(compiled: CompiledRule, row: readonly string[]): Resolved {
		const { rule, places, jointPlaces, kept } = compiled;
		const value = rule.from === 'column' ? joined(row, places, rule.separator) : (row[places[0]!] ?? '');
		const key = jointPlaces.length === 0 ? value : [value, ...jointPlaces.map((place) => row[place] ?? '')].join(PART);
		let resolved = kept.get(key);
		if (resolved) return resolved;
		if (kept.size >= MOST_KEPT) kept.clear();
		resolved = rule.from === 'date' ? this.#resolveDate(compiled, value) : this.#resolveValue(compiled, value, row);
		kept.set(key, resolved);
		return resolved;
	}

	#resolveDate({ rule, dimension }: CompiledRule, text: string): Resolved {
		if (rule.from !== 'date') throw new Error('Only dates are read as dates.');
		const found = this.#periodOf(text, rule.column, rule.format, dimension.id);
		return typeof found === 'number' ? { ordinal: found, sign: 1 } : { fault: found };
	}

	#resolveValue({ rule, dimension, map, axis }: CompiledRule, value: string, row: readonly string[]): Resolved {
		if (rule.from !== 'column') throw new Error('Only columns have maps.');
		const column = rule.columns.join(' + ');
		const match = map!.match(value, (name) => row[this.#headings.indexOf(name)] ?? '');
		if (match.kind === 'skip') return { skip: true, line: match.line };
		if (match.kind === 'none')
			return {
				fault: fault(
					'no member',
					dimension.id,
					column,
					value,
					value.trim() === '' ? `${dimension.name}: no member for an empty value.` : `${dimension.name}: no member for “${short(value)}”.`
				)
			};
		if (match.kind === 'tie')
			return {
				fault: fault(
					'several lines match',
					dimension.id,
					column,
					value,
					`${dimension.name}: ${match.lines.length} map lines of one kind match “${short(value)}”.`
				)
			};
		return { ...this.#leafOf(dimension, axis, match.member, match.reverseSign ? -1 : 1, column, value), line: match.line };
	}

	/** A member as a place numbers may go to: a leaf, and a leaf period by its index. */
	#leafOf(dimension: Dimension, axis: number, member: number, sign: 1 | -1, column: string, value: string): Resolved {
		const ordinal = dimension.ordinal(member);
		if (ordinal === undefined || !dimension.isLeaf(ordinal)) {
			const name = ordinal === undefined ? 'a member that is gone' : dimension.member(ordinal).name;
			return {
				fault: fault(
					'not a leaf',
					dimension.id,
					column,
					value,
					`${dimension.name}: ${name} is not a leaf, so it holds no numbers of its own.`
				)
			};
		}
		return { ordinal: axis < 0 ? this.#model.periods.range(ordinal).from : ordinal, sign };
	}

	#compile(rule: ColumnRule, chosen: Readonly<Record<number, number>>): CompiledRule {
		const model = this.#model;
		const dimension = model.dimension(rule.dimension);
		if (!dimension) throw new Error('A rule names a dimension this model does not have.');
		const axis = model.dimensions.indexOf(dimension);
		const map =
			rule.from === 'column'
				? new ValueMap(rule.lines, (code) => {
						const ordinal = dimension.ordinalOfCode(code);
						return ordinal === undefined ? undefined : dimension.member(ordinal).id;
					})
				: undefined;
		return {
			rule,
			dimension,
			axis,
			map,
			places:
				rule.from === 'column' ? rule.columns.map((column) => this.#place(column)) : rule.from === 'date' ? [this.#place(rule.column)] : [],
			jointPlaces: map?.jointColumns.map((column) => this.#place(column)) ?? [],
			kept: new Map(),
			constant: this.#constantOf(rule, dimension, axis, chosen)
		};
	}

	#constantOf(rule: ColumnRule, dimension: Dimension, axis: number, chosen: Readonly<Record<number, number>>): Resolved | undefined {
		if (rule.from !== 'fixed' && rule.from !== 'variable' && rule.from !== 'chosen') return undefined;
		const member =
			rule.from === 'fixed' ? rule.member : rule.from === 'variable' ? this.#model.variables.get(rule.variable) : chosen[dimension.id];
		if (member === undefined) {
			const why = rule.from === 'variable' ? `the variable ${rule.variable} names no member` : `choose which one the file is for`;
			return { fault: fault('no member', dimension.id, '', '', `${dimension.name}: ${why}.`) };
		}
		// A year or quarter chosen for files with a column a period means its first leaf period.
		if (axis < 0) {
			const ordinal = dimension.ordinal(member);
			if (ordinal !== undefined && this.#recipe.amountColumns.length > 1)
				return { ordinal: this.#model.periods.range(ordinal).from, sign: 1 };
		}
		return this.#leafOf(dimension, axis, member, 1, '', '');
	}

	#place(column: string): number {
		const place = this.#headings.indexOf(column);
		if (place < 0) throw new Error(`The source has no column “${column}”.`);
		return place;
	}

	#periodOf(text: string, column: string, format: SourceDateFormat, dimension: number): number | RowFault {
		// Sheets hold dates as dates; they come written the standard way, whatever the texts beside them do.
		const date = parseSourceDate(text, format) ?? parseSourceDate(text, 'YYYY-MM-DD');
		if (!date) {
			const like = dateFormats([text])[0];
			const hint = like && like !== format ? ` It looks like ${like}.` : '';
			return fault('not a date', dimension, column, text, `“${short(text)}” is not a date written ${format}.${hint}`);
		}
		const leaf = this.#model.periods.onDate(date);
		return leaf ? leaf.index : fault('outside the calendar', dimension, column, text, `${date} lies outside the model's calendar.`);
	}
}

function joined(row: readonly string[], places: readonly number[], separator: string): string {
	if (places.length === 1) return row[places[0]!] ?? '';
	return places.map((place) => (row[place] ?? '').trim()).join(separator);
}

const fault = (code: RowFault['code'], dimension: number | null, column: string, value: string, message: string): RowFault => ({
	code,
	dimension,
	column,
	value: value.slice(0, 200),
	message
});

/** A value for a sentence: long ones are cut. */
const short = (text: string): string => (text.length > 60 ? `${text.slice(0, 60)}…` : text);
