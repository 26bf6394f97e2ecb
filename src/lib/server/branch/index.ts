/** What-if: branches of the plan. */
export {
	changesSchema,
	commentSchema,
	mergeBranch,
	mergeSchema,
	putBackChanges,
	putBackSchema,
	readChanges,
	readComments,
	takeBackMerge,
	writeComment,
	type BranchChangesPage,
	type BranchComment,
	type ChangeLine,
	type MergeOutcome
} from './changes';
export { contributionsSchema, readContributions } from './contributions';
export { comparisonFile } from './comparison-sheet';
export { compare, compareSchema, type ComparedFacts, type ComparedSide, type Comparison } from './compare';
export {
	asView,
	branchOnly,
	branchSchema,
	bringBackBranch,
	changeBranch,
	changeBranchSchema,
	copyBranch,
	copyBranchSchema,
	dropBranch,
	makeBranch,
	peopleForBranches,
	setBranchState,
	stateSchema,
	type BranchView
} from './make';
export { branchesFor, branchFor, branchHere, branchNames, type Branch, type BranchState } from './record';
export {
	checkLoad,
	checkLoadSchema,
	importsForBranches,
	loadInto,
	loadIntoSchema,
	loadOnly,
	putBackLoad,
	readBranchLoads,
	type ImportForBranch,
	type LoadInBranch
} from './loads';
export {
	askSchema,
	asksInBranch,
	checkBranchRuns,
	putBackRun,
	readBranchRuns,
	runAgain,
	runInBranch,
	runInSchema,
	runOnly,
	type RunInBranch
} from './runs';
export { branchTerms, type BranchTerms } from './terms';
export {
	deleteSnapshot,
	partChoices,
	snapshotFor,
	snapshotOfMove,
	snapshotOnly,
	snapshotSchema,
	snapshotsFor,
	takeSnapshot,
	type PartChoice,
	type Snapshot
} from './snapshots';
