import type { ImportStep } from '../definition';
import type { StepRecord } from './kind';

/** An import that is loaded before the run computes anything: what it brought is part of the cube by then. */
export const importing: StepRecord<ImportStep> = {
	title: 'Import',
	firstName: 'Load',
	blank: { kind: 'import', import: null },
	isBefore: true,
	unlimited: undefined,
	originMode: () => undefined,
	check: (_, step, { find }) => {
		if (step.import === null) find('error', 'Choose the import that is loaded.');
	},
	// Which import it is, a package says by its code.
	renamed: (own) => own,
	inWords: (own) => (own.import === null ? 'Loads nothing yet' : 'Fetches and loads an import')
};
