/** What people look at: views of the explorer, boards, why totals differ, what has changed. Every function checks the permission itself. */
export { axesOf, type InsightAxis } from './axes';
export {
	asFormSchema,
	branchSchema,
	changeView,
	changeViewSchema,
	dropView,
	keepView,
	keepViewSchema,
	listViews,
	membersForView,
	openView,
	selectForView,
	selectSchema,
	startView,
	startViewSchema,
	viewAsForm,
	viewOnly,
	type OpenView,
	type ViewCard
} from './views';
export {
	boardComments,
	boardOnly,
	boardVersions,
	changeBoard,
	changeBoardSchema,
	copyBoard,
	dropBoard,
	dropComment,
	dropCommentSchema,
	hideSchema,
	hideTiles,
	listBoards,
	makeBoard,
	makeBoardSchema,
	readBoard,
	restoreBoard,
	restoreBoardSchema,
	sayToBoard,
	sayToBoardSchema,
	type Board,
	type BoardCard,
	type BoardComment,
	type BoardVersion
} from './boards';
export {
	boardFigures,
	figuresSchema,
	type BoardFigures,
	type TileAnswer,
	type TileColumn,
	type TileFigures,
	type TileLine,
	type TileSteps
} from './board-figures';
export {
	boardScheduleSchema,
	messageFile,
	readBoardSending,
	sendBoard,
	sendBoardSchema,
	setBoardSending,
	type BoardSending
} from './board-paper';
export { keepPicture, readPicture } from './pictures';
export { drivenAccounts, driverBoardSchema, makeDriverBoard } from './driver-board';
export { makeReadyBoard, readyBoardSchema } from './ready-board';
export { whyDifferent, whyPage, whySchema, type WhyDifferent, type WhyPage } from './why';
export { readBoardDesk, type BoardDeskData } from './board-desk';
export {
	CHANGE_KINDS,
	journalDesk,
	journalRows,
	journalSchema,
	readActivity,
	readJournal,
	type JournalLine,
	type JournalPage
} from './journal';
export { search, searchSchema, type Found } from './search';
