import type { ModelEngine } from '../model-engine';
import { branchBack, branchChanges, planMerge } from './branch';
import { closedMoved } from './closed-moved';
import { collapsed } from './collapsed';
import { contributions } from './contributions';
import { effect } from './effect';
import { emptied } from './emptied';
import { enter, restore } from './enter';
import { figures } from './figures';
import { flow } from './flow';
import { form, locate } from './form';
import { frozenNow } from './frozen-now';
import { inspect } from './inspect';
import { branch, checkLayout, select } from './layout';
import { leafCells } from './leaf-cells';
import { lockBoard, lockCell } from './lock-board';
import { method, movedMethods } from './method';
import { moved } from './moved';
import { planCell, planEntries, planSave } from './plan-save';
import { provenCells } from './proven-cells';
import { reach } from './reach';
import { readable, reached } from './readable';
import { readsMoved } from './reads-moved';
import { close, ready } from './ready';
import { results } from './results';
import { planRun, whyNotWrite } from './run';
import { snapshotForm, takeSnapshot } from './snapshot';
import { seekGoal, tryValues } from './tryout';
import { why } from './why';
import { whyCell, whyCells } from './why-cell';
import { traceBack, traceForward } from './trace';
import { unitFigures, unitMoved, unitProgress } from './unit-figures';
import { unitSummary } from './unit-summary';
import { checkFormula, checkRunbook, checkScript, printScripts, vocabulary } from './script';

/** What can be asked of an engine, by name: a new request is a function of the engine and its ask, named here. */
export const REQUESTS = {
	branch,
	branchBack,
	branchChanges,
	checkFormula,
	checkLayout,
	checkRunbook,
	checkScript,
	close,
	closedMoved,
	collapsed,
	contributions,
	effect,
	emptied,
	enter,
	figures,
	flow,
	form,
	frozenNow,
	inspect,
	leafCells,
	locate,
	lockBoard,
	lockCell,
	method,
	moved,
	movedMethods,
	planCell,
	planEntries,
	planMerge,
	planRun,
	planSave,
	printScripts,
	provenCells,
	reach,
	readable,
	reached,
	readsMoved,
	ready,
	restore,
	results,
	seekGoal,
	select,
	snapshotForm,
	takeSnapshot,
	traceBack,
	traceForward,
	tryValues,
	unitFigures,
	unitMoved,
	unitProgress,
	unitSummary,
	vocabulary,
	why,
	whyCell,
	whyCells,
	whyNotWrite
};

export type EngineRequestName = keyof typeof REQUESTS;
export type AskOf<Name extends EngineRequestName> = Parameters<(typeof REQUESTS)[Name]>[1];
export type AnswerOf<Name extends EngineRequestName> = Awaited<ReturnType<(typeof REQUESTS)[Name]>>;

/** Answers one request. @throws EngineFault with a sentence for the person; anything else is a bug */
export const answerOf = <Name extends EngineRequestName>(engine: ModelEngine, name: Name, ask: AskOf<Name>): Promise<AnswerOf<Name>> =>
	(REQUESTS[name] as (engine: ModelEngine, ask: AskOf<Name>) => Promise<AnswerOf<Name>>)(engine, ask);
