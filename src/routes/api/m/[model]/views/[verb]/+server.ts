import {
	asFormSchema,
	branchSchema,
	changeView,
	changeViewSchema,
	dropView,
	keepView,
	keepViewSchema,
	membersForView,
	selectForView,
	selectSchema,
	startView,
	startViewSchema,
	viewAsForm,
	viewOnly
} from '$lib/server/insight';
import { answerVerbs, verb } from '$lib/server/verbs';

/** What can be asked: by verb, how its body is understood and who answers. */
const VERBS = {
	start: verb(startViewSchema, startView),
	change: verb(changeViewSchema, changeView),
	keep: verb(keepViewSchema, keepView),
	drop: verb(viewOnly, dropView),
	'as-form': verb(asFormSchema, viewAsForm),
	select: verb(selectSchema, selectForView),
	branch: verb(branchSchema, membersForView)
};

export const POST = answerVerbs(VERBS);
