import type { SnapshotStep } from '../definition';
import { snapshotPart } from '../snapshot-part';
import type { StepRecord } from './kind';

/** Takes a snapshot of what it is limited to, once the figures of the run are stored. */
export const snapshot: StepRecord<SnapshotStep> = {
	title: 'Snapshot',
	firstName: 'Snapshot',
	blank: { kind: 'snapshot', called: '' },
	unlimited: 'The whole model is taken',
	originMode: () => undefined,
	check: (model, step, { find, variables }) => {
		if (step.called.trim() === '') find('error', 'Say what the snapshot is to be called.');
		if (step.limits[model.periods.dimension.id] !== undefined)
			find('error', 'A snapshot keeps all periods: take the periods out of its limits.');
		for (const [id, members] of Object.entries(snapshotPart(model, step.limits, variables)))
			if (members.length === 0) find('error', `Nothing of ${model.dimension(Number(id))!.name} lies within its limits.`);
	},
	run: (work, step) => work.note(`A snapshot, “${step.called}”, is taken once the run is stored.`),
	renamed: (own) => own,
	inWords: ({ called }) => (called.trim() === '' ? 'Takes a snapshot' : `Takes the snapshot “${called}”`)
};
