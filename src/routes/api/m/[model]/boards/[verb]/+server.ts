import {
	boardComments,
	boardFigures,
	boardOnly,
	boardScheduleSchema,
	boardVersions,
	changeBoard,
	changeBoardSchema,
	copyBoard,
	dropBoard,
	dropComment,
	dropCommentSchema,
	figuresSchema,
	hideSchema,
	hideTiles,
	makeBoard,
	makeBoardSchema,
	makeReadyBoard,
	readBoardSending,
	readyBoardSchema,
	driverBoardSchema,
	makeDriverBoard,
	restoreBoard,
	restoreBoardSchema,
	sayToBoard,
	sayToBoardSchema,
	sendBoard,
	sendBoardSchema,
	setBoardSending
} from '$lib/server/insight';
import { answerVerbs, verb } from '$lib/server/verbs';

/** What can be asked: by verb, how its body is understood and who answers. */
const VERBS = {
	figures: verb(figuresSchema, boardFigures),
	make: verb(makeBoardSchema, makeBoard),
	ready: verb(readyBoardSchema, makeReadyBoard),
	drivers: verb(driverBoardSchema, makeDriverBoard),
	change: verb(changeBoardSchema, changeBoard),
	copy: verb(boardOnly, copyBoard),
	drop: verb(boardOnly, dropBoard),
	versions: verb(boardOnly, boardVersions),
	restore: verb(restoreBoardSchema, restoreBoard),
	hide: verb(hideSchema, hideTiles),
	comments: verb(boardOnly, boardComments),
	say: verb(sayToBoardSchema, sayToBoard),
	sending: verb(boardOnly, readBoardSending),
	'set-sending': verb(boardScheduleSchema, setBoardSending),
	send: verb(sendBoardSchema, sendBoard),
	unsay: verb(dropCommentSchema, dropComment)
};

export const POST = answerVerbs(VERBS);
