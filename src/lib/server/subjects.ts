import { accessNaming } from './access/naming';
import { branchNaming } from './branch/naming';
import { roundNaming } from './cycle/naming';
import type { NamesMembers } from './definition/naming';
import { besideNaming, draftNaming, formNaming } from './form/naming';
import { boardNaming } from './insight/naming';
import { importNaming } from './import/naming';
import { runbookNaming } from './runbook/naming';
import { choiceNaming, factsNaming, formulaNaming, numberNaming } from './structure/naming';

/** Every subject that names members, in the order in which uses are told. A new one is added here, and nowhere else. */
export const SUBJECTS: readonly NamesMembers[] = [
	formNaming,
	boardNaming,
	importNaming,
	accessNaming,
	factsNaming,
	runbookNaming,
	roundNaming,
	formulaNaming,
	choiceNaming,
	numberNaming,
	draftNaming,
	branchNaming,
	besideNaming
];
