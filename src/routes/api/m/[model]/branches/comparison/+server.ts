import { answerFile } from '$lib/server/answer';
import { comparisonFile, compareSchema } from '$lib/server/branch';
import { Fault } from '$lib/server/fault';
import { readChoices } from '$lib/server/form/open';

/** A form of several sides (`side`, the first what the others are held against), as a workbook. */
export const GET = ({ locals: { person, modelId }, url }) =>
	answerFile('xlsx', async () => {
		const asked = compareSchema.safeParse({
			form: url.searchParams.get('form'),
			choices: readChoices(url.searchParams),
			sides: url.searchParams.getAll('side')
		});
		if (!asked.success) throw new Fault(422, 'not readable', 'Name a form, and one to four things to be held against one another.');
		return comparisonFile(person, modelId, asked.data);
	});
