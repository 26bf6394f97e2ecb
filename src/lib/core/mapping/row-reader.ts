import type { Model } from '../model';
import { parseAmount, type AmountStyle } from './amount';
import { parseSourceDate, type SourceDateFormat } from './source-date';
import { ValueMap, type MapLine, type SourceRow } from './value-map';

/** Where a dimension's member comes from. */
export type ColumnRule =
	| { dimension: number; from: 'column'; column: string; lines: MapLine[] }
	| { dimension: number; from: 'fixed'; member: number }
	| { dimension: number; from: 'date'; column: string; format: SourceDateFormat };

/** How rows become cells. */
export interface ImportRecipe {
	rules: ColumnRule[];
	amountColumn: string;
	amountStyle: AmountStyle;
}

export interface MappedRow {
	/** Leaf ordinals per dimension, without the period. */
	address: Int32Array;
	period: number;
	amount: number;
}

/** Why a row does not load: what kind, in which column, which value, in a sentence. */
export interface RowFault {
	code: 'no member' | 'several lines match' | 'not an amount' | 'not a date' | 'outside the calendar' | 'not a leaf';
	column: string;
	value: string;
	message: string;
}

/** Reads rows by a recipe. Made once an import, used for each row. */
export class RowReader {
	readonly #model: Model;
	readonly #recipe: ImportRecipe;
	readonly #maps: (ValueMap | undefined)[];

	constructor(model: Model, recipe: ImportRecipe) {
		this.#model = model;
		this.#recipe = recipe;
		this.#maps = recipe.rules.map((rule) => {
			if (rule.from !== 'column') return undefined;
			const dimension = model.dimension(rule.dimension);
			return new ValueMap(rule.lines, (code) => {
				const ordinal = dimension?.ordinalOfCode(code);
				return ordinal === undefined ? undefined : dimension!.member(ordinal).id;
			});
		});
	}

	/** The columns a source must have. */
	get columns(): string[] {
		return [...new Set([...this.#recipe.rules.flatMap((rule) => (rule.from === 'fixed' ? [] : [rule.column])), this.#recipe.amountColumn])];
	}

	/** A row's amount as written, before any sign is reversed: for control totals. Undefined when it is no amount. */
	amountOf(row: SourceRow): number | undefined {
		return parseAmount(row[this.#recipe.amountColumn] ?? '', this.#recipe.amountStyle);
	}

	/** What a row becomes: a cell and an amount, every fault found, or `skipped` by a map line that says so. */
	read(row: SourceRow): { mapped: MappedRow } | { faults: RowFault[] } | { skipped: true } {
		const model = this.#model;
		const faults: RowFault[] = [];
		const address = new Int32Array(model.dimensions.length);
		let period = -1;
		let sign = 1;
		const { amountColumn } = this.#recipe;
		const amount = this.amountOf(row);
		if (amount === undefined)
			faults.push({
				code: 'not an amount',
				column: amountColumn,
				value: row[amountColumn] ?? '',
				message: `“${row[amountColumn] ?? ''}” is not an amount.`
			});
		for (const [index, rule] of this.#recipe.rules.entries()) {
			const dimension = model.dimension(rule.dimension)!;
			if (rule.from === 'date') {
				const found = this.#periodOf(row[rule.column] ?? '', rule.column, rule.format);
				if (typeof found === 'number') period = found;
				else faults.push(found);
				continue;
			}
			let member = rule.from === 'fixed' ? rule.member : undefined;
			const column = rule.from === 'column' ? rule.column : '';
			const value = row[column] ?? '';
			if (rule.from === 'column') {
				const match = this.#maps[index]!.match(value, row);
				if (match.kind === 'skip') return { skipped: true };
				if (match.kind === 'none') {
					faults.push({ code: 'no member', column, value, message: `${dimension.name}: no member for “${value}”.` });
					continue;
				}
				if (match.kind === 'tie') {
					faults.push({
						code: 'several lines match',
						column,
						value,
						message: `${dimension.name}: ${match.lines.length} map lines match “${value}”.`
					});
					continue;
				}
				member = match.member;
				if (match.reverseSign) sign = -sign;
			}
			const ordinal = dimension.ordinal(member!);
			if (ordinal === undefined || !dimension.isLeaf(ordinal)) {
				const name = ordinal === undefined ? `member ${member}` : dimension.member(ordinal).name;
				faults.push({
					code: 'not a leaf',
					column,
					value,
					message: `${dimension.name}: ${name} is not a leaf, so it holds no numbers of its own.`
				});
				continue;
			}
			if (dimension === model.periods.dimension) period = model.periods.range(ordinal).from;
			else address[model.dimensions.indexOf(dimension)] = ordinal;
		}
		return faults.length > 0 ? { faults } : { mapped: { address, period, amount: sign * amount! } };
	}

	#periodOf(text: string, column: string, format: SourceDateFormat): number | RowFault {
		const date = parseSourceDate(text, format);
		if (!date) return { code: 'not a date', column, value: text, message: `“${text}” is not a date written ${format}.` };
		const leaf = this.#model.periods.onDate(date);
		return leaf ? leaf.index : { code: 'outside the calendar', column, value: text, message: `${date} lies outside the model's calendar.` };
	}
}
