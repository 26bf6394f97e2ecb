import { answerFile } from '$lib/server/answer';
import { formGrid, formWorkbook } from '$lib/server/form';
import { readChoices } from '$lib/server/form/open';
import { toCsv } from '$lib/server/structure';

/** The form as a file, for the choices of the address. */
export const GET = ({ locals: { person, modelId }, params: { code }, url }) => {
	const choices = readChoices(url.searchParams);
	const as = url.searchParams.get('as') === 'xlsx' ? 'xlsx' : 'csv';
	return answerFile(as, async () => {
		if (as === 'xlsx') return formWorkbook(person, modelId, code, choices);
		const { name, grid } = await formGrid(person, modelId, code, choices);
		return { name, bytes: Buffer.from(toCsv(grid)) };
	});
};
