/** Rounds of planning: defined, run, submitted, reviewed, told. */
export {
	myWork,
	roundBoard,
	unitView,
	type MyUnit,
	type MyWork,
	type RoundBoard,
	type UnitLine,
	type UnitMoveLine,
	type UnitView
} from './board';
export type { UnitCheck, UnitForm } from './checks';
export { roundChoices } from './choices';
export { endRound, endSchema } from './ending';
export { feedOf, makeFeedKey } from './feed';
export {
	chooseTold,
	readAllMessages,
	readMessages,
	readTold,
	sendLetters,
	tellDue,
	toldSchema,
	writeLetters,
	type Message
} from './messages';
export {
	assignSchema,
	assignUnits,
	lookAtSubmission,
	moveSchema,
	moveUnits,
	unitSchema,
	type MoveResult,
	type SubmissionView,
	type UnitsToMove
} from './moves';
export type { PlannedUnit } from './plan';
export {
	copyRound,
	deleteRound,
	listRounds,
	previewRound,
	roundToDefine,
	roundOnly,
	saveRound,
	saveRoundSchema,
	startRound,
	type Round,
	type RoundLine
} from './rounds';
export { roundSchema, unitKey, type Namer, type RoundDefinition, type RoundSettings } from './settings';
