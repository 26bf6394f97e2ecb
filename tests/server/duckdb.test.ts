import { expect, test } from 'vitest';
import { benchData } from '../../bench/data';
import { openForm } from '../../bench/open-form';

test('the cube adds up to what DuckDB adds up to by SQL on the same cells', async () => {
	const data = await benchData(120_000);
	// Compares every leaf account and month of a form with signed slices, and throws where they differ.
	await expect(openForm(data)).resolves.toMatchObject({ name: expect.stringContaining('249 × 17') });
	data.duck.closeSync();
});
