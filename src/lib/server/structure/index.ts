/** Structure: what a model is made of, read and changed. */
export * from './members';
export * from './read';
export type { ActOutcome, HandOverChoice, UsedMember } from './act';
export type { Use } from '../definition/naming';
export * from './attributes';
export { deleteVariable, listVariables, setVariable, variableSchema, type VariableLine } from './variables';
export * from './hierarchies';
export {
	previewTakeOut,
	putDimensionBack,
	returnableDimension,
	takeOutDimension,
	takeOutSchema,
	type Returnable,
	type TakenOut
} from './take-out-dimension';
export { addDimension, dimensionChoices, previewDimension, type AddedDimension, type DimensionChoices } from './add-dimension';
export { addDimensionSchema, type DimensionToAdd } from './axis-plan';
export * from './calendar';
export * from './rates';
export { settingUp, type SetUpStep } from './setting-up';
export { previewRates, ratesSchema, setRates, undoRates, type RatePreview } from './rate-changes';
export type { RateKindStored, RateSpan } from './rate-spans';
export { calendarSchema } from '../definition/calendar-schema';
export { createModel, newModelSchema, type NewModel } from './new-model';
export { exportGrid, guarded, readSheet, toCsv, toWorkbook, MOST_FILE_BYTES } from './sheets';
export { readWiring, type Wiring, type WiringNode } from './wiring';
export {
	checkFormulaText,
	formulaSchema,
	formulaTextSchema,
	formulaVocabulary,
	readFormulas,
	setFormulas,
	type AccountFormulas,
	type FormulaDraft
} from './formulas';
export { structureHistory, type StructureChange } from './history';
export { findMembers, findSchema, type FoundMember } from './find';
export { deleteChoiceList, listChoiceLists, listSchema, makeChoiceList, type ChoiceList } from './lists';
