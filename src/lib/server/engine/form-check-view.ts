import {
	accountsOfCheck,
	checkFigures,
	compileQuery,
	View,
	type ExpandedForm,
	type FormCheck,
	type FormLine,
	type Line,
	type Model
} from '../../core';
import { FormFault } from './form-fault';
import type { CheckLine } from './requests/form';

/** A check of a form: the figures of its accounts at the form's slice, over the periods it shows. */
export class FormCheckView {
	readonly view: View;
	readonly #check: FormCheck;
	readonly #accounts: number[];
	readonly #columns: FormLine[];
	readonly #decimals: number;

	constructor(model: Model, check: FormCheck, form: ExpandedForm) {
		this.#check = check;
		this.#accounts = accountsOfCheck(check);
		for (const account of this.#accounts)
			if (model.accounts.ordinal(account) === undefined) throw new FormFault([`The check “${check.label}” names an account that is gone.`]);
		if (this.#accounts.length === 0) throw new FormFault([`The check “${check.label}” names no account.`]);
		// Rows that break down by more than accounts are looked at in total.
		const broken = model.dimensions.filter(({ id }) => id !== model.accounts.id && form.query.rows.some((line) => line[id] !== undefined));
		const slice: Record<number, number> = without(form.query.slice, [model.accounts.id]);
		for (const dimension of broken) slice[dimension.id] = dimension.member(dimension.tree.largestRoot()).id;
		const { periods } = model;
		const readable = form.columns.filter(({ place, members }) => place >= 0 && members[model.accounts.id] === undefined);
		this.#columns = readable.length > 0 ? readable : [{ ...form.columns[0]!, label: '', members: {} }];
		const columns = this.#columns.map(({ members }) => {
			return without(
				members,
				broken.map(({ id }) => id)
			);
		});
		const period = periods.dimension.id;
		if (slice[period] === undefined && columns.some((line) => line[period] === undefined)) {
			const last = form.query.rows.findLast((line) => line[period] !== undefined);
			slice[period] = last?.[period] ?? periods.dimension.member(periods.dimension.tree.roots()[0]!).id;
		}
		this.view = new View(
			compileQuery(model, {
				slice,
				rows: this.#accounts.map((account): Line => ({ [model.accounts.id]: account })),
				columns,
				currency: form.query.currency
			})
		);
		this.#decimals = Math.min(
			...this.#accounts.map((account) => {
				const leaf = model.accounts.tree.leaves(model.accounts.ordinal(account)!).find((each) => model.account(each));
				return leaf === undefined ? 2 : model.account(leaf)!.decimals;
			})
		);
	}

	/**
	 * How the check stands in each column that is a leaf of the form: where it does not hold.
	 * @param verdictOnly without amounts, for who may not read all they are made of
	 */
	states(verdictOnly: boolean): CheckLine[] {
		const { values, flags } = this.view.evaluate();
		const width = this.#columns.length;
		const found = this.#columns.map((column, place) => ({
			column: column.label,
			...checkFigures(
				this.#check,
				(account) => {
					const cell = this.#accounts.indexOf(account) * width + place;
					return { value: values[cell]!, flags: flags[cell]! };
				},
				this.#decimals
			)
		}));
		const troubled = found.filter(({ state }) => state !== 'holds');
		const { label, bars } = this.#check;
		return [
			{
				label,
				bars,
				state: troubled.some(({ state }) => state === 'fails') ? 'fails' : troubled.length > 0 ? 'cannot tell' : 'holds',
				where: troubled.map(({ column, state, difference }) => ({ column, state, difference: verdictOnly ? null : difference }))
			}
		];
	}
}

/** A line without some dimensions (ids). */
const without = (line: Line, dimensions: readonly number[]): Record<number, number> =>
	Object.fromEntries(Object.entries(line).filter(([id]) => !dimensions.includes(Number(id))));
