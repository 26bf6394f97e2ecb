import { parseCoded, parseEntry, type DateOrder, type EntryInput, type Model, type NumberStyle } from '../../../core';
import type { FormView } from '../form-view';
import type { ModelEngine } from '../model-engine';

/** How a person writes numbers and dates, and what plain numbers count in. */
export interface TypedStyle {
	style: NumberStyle;
	dates?: { order: DateOrder; months: readonly string[] };
	scale?: number | undefined;
}

/** What was typed, by the account's value type. */
export function inputOf(
	engine: ModelEngine,
	members: Int32Array,
	text: string,
	texts: ReadonlyMap<string, number>,
	ask: TypedStyle,
	empties = false
): EntryInput {
	const account = engine.model.account(members[engine.model.accountAxis]!);
	const valueType = account?.valueType ?? 'money';
	if (valueType === 'choice' || valueType === 'date' || valueType === 'text') {
		if (text.trim() === '') return { kind: 'clear', empties };
		return parseCoded(text, valueType, {
			choices: engine.words.choicesOf(account!.member),
			place: (typed) => texts.get(typed)!,
			...(ask.dates && { dates: ask.dates })
		});
	}
	const isScaled = valueType === 'money' || valueType === 'quantity';
	return parseEntry(text, ask.style, valueType === 'percent', isScaled ? (ask.scale ?? 1) : 1);
}

/** Texts among the entries: their places are found before anything is entered. */
export function textsTyped(model: Model, form: FormView, entries: readonly { row: number; column: number; text: string }[]): string[] {
	return entries.flatMap(({ row, column, text }) => {
		if (row >= form.rows || column >= form.columns || !form.isRead(row, column)) return [];
		const isText = model.account(form.cell(row, column).members[model.accountAxis]!)?.valueType === 'text';
		return isText && text.trim() !== '' && text.trim().length <= 500 ? [text.trim()] : [];
	});
}
