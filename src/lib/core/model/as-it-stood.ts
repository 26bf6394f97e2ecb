import type { ModelDefinition } from './definition';

/** A model for figures that were taken down with their results: what was computed leaf by leaf is stored there, totals follow. */
export const asItStood = (definition: ModelDefinition): ModelDefinition => ({
	...definition,
	formulas: definition.formulas.filter(({ timing }) => timing === 'after totals'),
	origins: []
});
