/** Works an example of the handbook out, by the product's own computation. */
import { evaluate, isEmpty, numberStyle, readExpression, readNumber } from '$lib/core';
import type { Example } from '$lib/server/handbook';
import { formatFigure } from '../figures/format';

/** What a formula comes to with values by name, as somebody writes numbers; or why not, in a sentence. */
export function worked({ inputs, formula }: Omit<Example, 'result'>, locale: string): { result: string } | { fault: string } {
	const style = numberStyle(locale);
	const values: number[] = [];
	for (const { name, value } of inputs) {
		const read = value.trim() === '' ? { amount: Number.NaN } : readNumber(value, style);
		if (!read) return { fault: `${name}: “${value}” is no number.` };
		values.push(read.amount);
	}
	const place = new Map(inputs.map(({ name }, at) => [name, at]));
	const read = readExpression(formula, {
		account: ({ word }) => place.get(word) ?? `“${word}” is none of ${inputs.map((input) => input.name).join(', ') || 'the values above'}.`
	});
	if ('fault' in read) return { fault: read.fault.message };
	const result = evaluate(read.expression, ({ member }) => values[member] ?? Number.NaN);
	if (isEmpty(result)) return { result: '' };
	const decimals = Math.min(4, (String(Math.abs(result)).split('.')[1] ?? '').length);
	return { result: formatFigure(result, { valueType: 'price', decimals, exactly: true }, locale) };
}
