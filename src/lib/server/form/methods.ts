import { z } from 'zod';
import type { Method } from '../../core';
import { pool } from '../database';
import { askEngine, type FormWindow, type MethodAnswer } from '../engine';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { draftVersion } from './draft';
import { enterFigures, type EntryOutcome } from './enter';
import { formAsk, readForm, type FormChoices } from './open';

const adjust = {
	adjustPercent: z.number().finite().min(-10).max(1_000),
	adjustAmount: z.number().finite(),
	adjustments: z.object({ per: z.enum(['period', 'quarter']), amounts: z.array(z.number().finite()).max(400) }).optional()
};
const percent = z.number().finite().min(-10).max(1_000);
const methodSchema: z.ZodType<Method> = z.discriminatedUnion('kind', [
	z.object({ kind: z.literal('driver and rate'), driver: z.number().int(), rate: z.number().finite(), ...adjust }),
	z.object({ kind: z.literal('driver at last year’s rate'), driver: z.number().int(), percent, ...adjust }),
	z.object({ kind: z.literal('average last year'), percent, ...adjust }),
	z.object({ kind: z.literal('growth on last year'), percent, ...adjust }),
	z.object({ kind: z.literal('trend'), periods: z.number().int().min(2).max(60), ...adjust })
]);

export const rowMethodSchema = z.object({
	row: z.number().int().min(0),
	structure: z.number().int(),
	frame: z.string().max(100).optional(),
	method: methodSchema
});

/** What a method gives for a row, and how the row was filled last. */
export interface MethodDesk extends MethodAnswer {
	/** In which currency; null of rows filled by earlier versions. */
	last: { method: Method; currency: string | null; person: string; at: string } | null;
}

/** Works a row out by a method, to be looked at. */
export async function previewMethod(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ row, structure, frame, method }: z.infer<typeof rowMethodSchema>
): Promise<MethodAnswer> {
	const writer = requirePermission(person, 'form.enter');
	const { layout } = await readForm(writer, modelId, code);
	if (!layout.methods) throw new Fault(403, 'not allowed', 'Rows of this form are typed, not filled by a method.');
	const ask = await formAsk(writer, modelId, layout, choices, await draftVersion(pool(), writer, modelId));
	if (frame === undefined && ask.structure !== structure)
		throw new Fault(409, 'conflict', 'The structure of the model has changed meanwhile. Look at the row again.');
	return askEngine(modelId, 'method', { ...ask, seenFrame: frame, row, method });
}

/** Puts what a method gives into the person's draft, and remembers the method. */
export async function fillByMethod(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	asked: z.infer<typeof rowMethodSchema>,
	window?: FormWindow
): Promise<EntryOutcome> {
	const writer = requirePermission(person, 'form.enter');
	const { columns, reason } = await previewMethod(person, modelId, code, choices, asked);
	const filled = columns.filter(({ value }) => value !== null);
	if (filled.length === 0) throw new Fault(422, 'not possible', reason || 'This method gives nothing here.');
	const { layout } = await readForm(writer, modelId, code);
	const ask = await formAsk(writer, modelId, layout, choices, await draftVersion(pool(), writer, modelId));
	const { place, currency } = await askEngine(modelId, 'inspect', { ...ask, row: asked.row, column: filled[0]!.column });
	const percent = (await askEngine(modelId, 'form', { ...ask, window: { rows: [asked.row] } })).rows[asked.row]?.valueType === 'percent';
	const outcome = await enterFigures(
		person,
		modelId,
		code,
		choices,
		{
			// Written with a point and every digit, whatever the person's own way of writing.
			entries: filled.map(({ column, value }) => ({ row: asked.row, column, text: plain(percent ? value! * 100 : value!) })),
			structure: asked.structure,
			...(asked.frame !== undefined && { frame: asked.frame }),
			style: { decimal: '.', group: '' }
		},
		window
	);
	await pool().query(
		`INSERT INTO row_method (model_id, place, method, person_id, filled) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (model_id, place) DO UPDATE SET method = excluded.method, person_id = excluded.person_id, filled = excluded.filled, at = now()`,
		[
			modelId,
			place.slice(0, -1),
			JSON.stringify(asked.method),
			writer.id,
			JSON.stringify({ currency, values: Object.fromEntries(filled.map(({ period, value }) => [period, value])) })
		]
	);
	return outcome;
}

const plain = (value: number): string =>
	Number(value.toPrecision(12)).toLocaleString('en', { useGrouping: false, maximumFractionDigits: 10 });

export const lastMethodSchema = z.object({ row: z.number().int().min(0) });

/** How a row was filled by a method last. */
export async function lastMethod(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ row }: z.infer<typeof lastMethodSchema>
): Promise<MethodDesk['last']> {
	const reader = requirePermission(person, 'form.read');
	const { layout } = await readForm(reader, modelId, code);
	const ask = await formAsk(reader, modelId, layout, choices, await draftVersion(pool(), reader, modelId));
	const { place } = await askEngine(modelId, 'inspect', { ...ask, row, column: 0 });
	if (place.length === 0) return null;
	const found = await pool().query<{ method: Method; currency: string | null; person: string; at: Date }>(
		"SELECT r.method, r.filled ->> 'currency' AS currency, p.name AS person, r.at FROM row_method r JOIN person p ON p.id = r.person_id WHERE r.model_id = $1 AND r.place = $2",
		[modelId, place.slice(0, -1)]
	);
	const last = found.rows[0];
	return last ? { ...last, at: last.at.toISOString() } : null;
}

/** A row whose method gives something else than when it was filled: its driver, rate or last year moved. */
export interface MovedMethod {
	row: number;
	label: string;
	method: Method;
	/** Whether its figures stand as the method gave them: nothing of what would change was typed over since. */
	wholly: boolean;
	person: string;
	at: string;
}

/** The rows of a form that were filled by a method which would fill them otherwise now. */
export async function movedMethods(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices
): Promise<{ rows: MovedMethod[] }> {
	const reader = requirePermission(person, 'form.read');
	const { layout } = await readForm(reader, modelId, code);
	if (!layout.methods) return { rows: [] };
	const found = await pool().query<{
		place: number[];
		method: Method;
		filled: { currency: string; values: Record<string, number> };
		person: string;
		at: Date;
	}>(
		`SELECT r.place, r.method, r.filled, p.name AS person, r.at FROM row_method r JOIN person p ON p.id = r.person_id
		WHERE r.model_id = $1 AND r.filled <> '{}' ORDER BY r.at DESC LIMIT 1000`,
		[modelId]
	);
	if (found.rows.length === 0) return { rows: [] };
	const ask = await formAsk(reader, modelId, layout, choices, await draftVersion(pool(), reader, modelId));
	const { moved } = await askEngine(modelId, 'movedMethods', {
		...ask,
		methods: found.rows.map(({ place, method, filled }) => ({ place, method, ...filled }))
	});
	return {
		rows: moved.map(({ index, row, label, wholly }) => {
			const { method, person: by, at } = found.rows[index]!;
			return { row, label, method, wholly, person: by, at: at.toISOString() };
		})
	};
}
