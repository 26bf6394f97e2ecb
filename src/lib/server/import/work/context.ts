import { Model, type RowReader, type SourceValues } from '../../../core';
import { pool } from '../../database';
import { readModelDefinition } from '../../database/definitions';
import { notFound } from '../../fault';
import { structureVersion } from '../../database/structure-version';

/** A model as it stands, with what its choices and texts stand for. */
export interface ModelContext {
	model: Model;
	structure: number;
	values: SourceValues & { newTexts: Map<string, number> };
}

const known = new Map<number, { structure: number; model: Model }>();

/** The model, built anew only when its structure has changed. @throws Fault 404 */
export async function modelContext(modelId: number): Promise<ModelContext> {
	const structure = await structureVersion(pool(), modelId);
	let there = known.get(modelId);
	if (there?.structure !== structure) {
		const definition = await readModelDefinition(pool(), modelId);
		if (!definition) throw notFound('model');
		known.set(modelId, (there = { structure, model: new Model(definition) }));
	}
	return { model: there.model, structure, values: await sourceValues(there.model) };
}

async function sourceValues(model: Model): Promise<ModelContext['values']> {
	const choices = new Map<number, Map<string, number>>();
	const texts = new Map<string, number>();
	const types = new Set(model.definition.accounts.map(({ valueType }) => valueType));
	if (types.has('choice')) {
		const found = await pool().query<{ account: number; id: number; code: string; name: string }>(
			`SELECT a.member_id AS account, m.id, m.code, m.name FROM account a JOIN member m ON m.dimension_id = a.choice_dimension
			WHERE a.value_type = 'choice' AND a.member_id = ANY ($1)`,
			[model.definition.accounts.map(({ member }) => member)]
		);
		for (const { account, id, code, name } of found.rows) {
			const list = choices.get(account) ?? new Map<string, number>();
			list.set(name.toLowerCase(), id);
			list.set(code.toLowerCase(), id);
			choices.set(account, list);
		}
	}
	if (types.has('text')) {
		const found = await pool().query<{ id: number; value: string }>('SELECT id, value FROM text_value');
		for (const { id, value } of found.rows) texts.set(value, id);
	}
	const newTexts = new Map<string, number>();
	return {
		choices: (account) => choices.get(account) ?? new Map(),
		// New texts get a negative stand-in, replaced once all rows are read.
		text: (text) => {
			const place = texts.get(text) ?? newTexts.get(text);
			if (place !== undefined) return place;
			newTexts.set(text, -newTexts.size - 1);
			return -newTexts.size;
		},
		newTexts
	};
}

/** Gives new texts their places. @returns place by stand-in */
export async function placeTexts(newTexts: ReadonlyMap<string, number>): Promise<Map<number, number>> {
	if (newTexts.size === 0) return new Map();
	const found = await pool().query<{ id: number; value: string }>(
		`INSERT INTO text_value (value) SELECT unnest($1::text[]) ON CONFLICT (value) DO UPDATE SET value = excluded.value RETURNING id, value`,
		[[...newTexts.keys()]]
	);
	return new Map(found.rows.map(({ id, value }) => [newTexts.get(value)!, id]));
}

/** Where the row last read goes, in words: member names, without those that are the same for all rows. */
export function placeInWords(model: Model, reader: RowReader, axes: readonly number[]): string {
	const names = axes.map((axis) => model.dimensions[axis]!.member(reader.address[axis]!).name);
	const periods = new Set(Array.from(reader.periods.subarray(0, reader.count), (index) => model.periods.leaf(index).ordinal));
	const period = [...periods].map((ordinal) => model.periods.dimension.member(ordinal).name);
	return [...names, period.length > 1 ? `${period[0]} to ${period.at(-1)}` : (period[0] ?? '')].filter((name) => name !== '').join(' · ');
}
