import { answer } from '$lib/server/answer';
import { pool } from '$lib/server/database';
import { Fault, notFound } from '$lib/server/fault';
import { requirePermission } from '$lib/server/session';
import {
	comparePacked,
	createFromPackage,
	exportPackage,
	packModel,
	previewTakeOver,
	readPackage,
	takeOver,
	takeOverSchema
} from '$lib/server/package';

/** Differences told, and taken over, at once. */
const MOST_DIFFERENCES = 5_000;

/** The model as a file. */
export async function GET({ locals, params, url }) {
	let made: { name: string; zip: Buffer } | undefined;
	const failed = await answer(async () => {
		if (params.verb !== 'export') throw notFound('action');
		made = await exportPackage(locals.person, locals.modelId, url.searchParams.get('numbers') === 'yes');
	});
	if (!made) return failed;
	return new Response(new Uint8Array(made.zip), {
		headers: {
			'content-type': 'application/zip',
			'content-disposition': `attachment; filename="${made.name.replaceAll(/[^a-z0-9]+/gi, '-')}.zip"`
		}
	});
}

/** A package is the body: compared with the model one works in, or made into a new one. */
export const POST = ({ request, locals, params, url }) =>
	answer(async () => {
		requirePermission(locals.person, 'structure.write');
		if (params.verb === 'look' || params.verb === 'take-over') {
			const { packed, wanted } = await packageAndChoices(request);
			return (params.verb === 'look' ? previewTakeOver : takeOver)(locals.person, locals.modelId, packed, wanted);
		}
		const bytes = new Uint8Array(await request.arrayBuffer());
		if (params.verb === 'compare') {
			const { differences, ...summary } = await comparePacked(bytes, await packModel(pool(), locals.modelId));
			return { ...summary, count: differences.length, differences: differences.slice(0, MOST_DIFFERENCES) };
		}
		if (params.verb === 'create') {
			const name = (url.searchParams.get('name') ?? '').trim().slice(0, 80);
			if (name === '') throw new Fault(422, 'not possible', 'Give the new model a name.');
			const { packed, numbers } = await readPackage(bytes);
			return createFromPackage(locals.person, packed, numbers, name);
		}
		throw notFound('action');
	});

/** A package with what was chosen of it, as the two parts of a form. @throws Fault 422 */
async function packageAndChoices(request: Request) {
	const parts = await request.formData().catch(() => {
		throw new Fault(422, 'not understood', 'The package and what was chosen of it could not be read.');
	});
	const [file, choices] = [parts.get('package'), parts.get('choices')];
	if (!(file instanceof File) || typeof choices !== 'string')
		throw new Fault(422, 'not understood', 'The package and what was chosen of it could not be read.');
	const wanted = takeOverSchema.parse(readJson(choices));
	return { packed: (await readPackage(new Uint8Array(await file.arrayBuffer()))).packed, wanted };
}

function readJson(text: string): unknown {
	try {
		return JSON.parse(text);
	} catch {
		throw new Fault(422, 'not understood', 'What was chosen could not be read.');
	}
}
