import { answerFile } from '$lib/server/answer';
import { comparisonFile, compareSchema } from '$lib/server/branch';
import { Fault } from '$lib/server/fault';
import { readChoices } from '$lib/server/form/open';

/** A form of the plan and some branches (`with`, by id) side by side, as a workbook. */
export const GET = ({ locals: { person, modelId }, url }) =>
	answerFile('xlsx', async () => {
		const asked = compareSchema.safeParse({
			form: url.searchParams.get('form'),
			choices: readChoices(url.searchParams),
			branches: url.searchParams.getAll('with').map(Number)
		});
		if (!asked.success) throw new Fault(422, 'not readable', 'Name a form, and one to three branches beside the plan.');
		return comparisonFile(person, modelId, asked.data);
	});
