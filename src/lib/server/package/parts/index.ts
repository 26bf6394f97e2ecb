import { boardsPart } from './boards';
import { currenciesPart } from './currencies';
import { formsPart } from './forms';
import { formulasPart } from './formulas';
import { importsPart } from './imports';
import { locksPart } from './locks';
import type { Part } from './part';
import { ratesPart } from './rates';
import { runbooksPart } from './runbooks';
import { variablesPart } from './variables';
import { viewsPart } from './views';

/** What members need: it comes before them. */
export const PARTS_BEFORE_MEMBERS: readonly Part[] = [currenciesPart, ratesPart];

/** What names members and one another: forms have buttons of runbooks, runbooks load imports, boards show all of them. A new subject is added here. */
export const PARTS_AFTER_MEMBERS: readonly Part[] = [
	variablesPart,
	formulasPart,
	locksPart,
	importsPart,
	runbooksPart,
	formsPart,
	viewsPart,
	boardsPart
];
