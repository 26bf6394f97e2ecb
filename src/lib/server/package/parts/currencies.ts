import { countUpStructure } from '../../database/structure-version';
import { addCurrencies } from '../../structure/new-model';
import type { Part } from './part';

/** Currencies that figures of the model may be in. */
export const currenciesPart: Part<{ code: string }> = {
	what: 'currency',
	items: ({ model }) => model.currencies.map((code) => ({ code })),
	nameOf: ({ code }) => code,
	async put({ client, modelId }, { code }) {
		await addCurrencies(client, [code]);
		await client.query(
			'INSERT INTO model_currency (model_id, currency, position) SELECT $1, $2, coalesce(max(position), 0) + 1 FROM model_currency WHERE model_id = $1',
			[modelId, code]
		);
		await countUpStructure(client, [modelId], 'definition');
		return { kind: 'model', id: modelId };
	}
};
