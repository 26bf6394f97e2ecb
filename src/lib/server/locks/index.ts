/** What is locked: the lock board, closed periods, and what was done to them. */
import './turn';

export {
	boardSchema,
	lockBoard,
	lockedSlice,
	lockHistory,
	readBoardHead,
	sliceSchema,
	type BoardDimension,
	type BoardHead,
	type LockedSlice,
	type LockLine
} from './board';
export { changeLocks, freezeAfter, freezeClosed } from './freeze';
export { closePeriods, closeSchema, readPeriodClose, type PeriodClose, type PeriodCloseScenario } from './period-close';
export { guardClosed } from './restate';
export { insertLocks, type LockRecord, type LockWriter } from './record';
export {
	driversSchema,
	dropLocks,
	dropSchema,
	setByStep,
	setDrivers,
	setLocks,
	setSchema,
	takeBackLocks,
	takeBackLocksSchema,
	type DriversSet,
	type LocksSet
} from './set';
export { bringLocks, lockGrid, lockSheetSchema, type LockSheetOutcome } from './sheet';
export { turnDueLocks } from './turn';
