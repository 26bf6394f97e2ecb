/** Directories: one that tells us who works here, and one that we ask. */
export { answerDirectory, refuse } from './offer';
export {
	findSchema,
	lookInDirectory,
	synchronise,
	synchroniseSchema,
	type DirectoryPicks,
	type DirectoryView,
	type Synchronised
} from './take-over';
