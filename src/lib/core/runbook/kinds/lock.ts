import type { LockStep } from '../definition';
import { lockSlices, MOST_LOCK_SLICES } from '../lock-slices';
import type { StepRecord } from './kind';

const UNLIMITED = 'A lock step without a scenario would lock the whole model. Limit it to what it closes.';

/** Sets what it is limited to on the lock board, once the figures of the run are stored. */
export const lock: StepRecord<LockStep> = {
	title: 'Lock',
	firstName: 'Lock',
	blank: { kind: 'lock', state: 'closed' },
	unlimited: 'Nothing yet: a lock step needs a scenario',
	originMode: () => undefined,
	check: (model, step, { find, variables }) => {
		if (step.limits[model.scenarios.id] === undefined) find('error', UNLIMITED);
		else if (lockSlices(model, step.limits, variables) === undefined)
			find('error', `It is limited so finely that it would set more than ${MOST_LOCK_SLICES} slices.`);
	},
	run: (work, step) => {
		if (step.limits[work.model.scenarios.id] === undefined) throw work.fault(UNLIMITED);
		const slices = lockSlices(work.model, step.limits, work.variables);
		if (!slices) throw work.fault(`It would set more than ${MOST_LOCK_SLICES} slices.`);
		work.note(
			`${slices.length === 1 ? 'One slice is' : `${slices.length} slices are`} ${step.state} on the lock board once the run is stored.`
		);
	},
	renamed: (own) => own,
	inWords: ({ state }) => (state === 'closed' ? 'Closes on the lock board' : 'Opens on the lock board')
};
