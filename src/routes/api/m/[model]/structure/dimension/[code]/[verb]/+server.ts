import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import {
	addHierarchy,
	applyRows,
	attributeSchema,
	defineAttribute,
	deleteAttribute,
	deleteHierarchy,
	dimensionHistory,
	editMembers,
	editsSchema,
	hierarchySchema,
	memberUses,
	previewRows,
	removeMember,
	removeSchema,
	renamedHierarchySchema,
	renameHierarchy,
	rowsSchema,
	undoStructure
} from '$lib/server/structure';
import { effectOfEdits, effectOfRows } from '$lib/server/structure/effect';

const removal = z.object({ member: z.number().int(), how: removeSchema });
const named = z.object({ name: z.string().max(200) });

/** What can be done to a dimension, a verb each. */
export const POST = ({ request, locals: { person, modelId }, params: { code, verb } }) =>
	answer(async () => {
		switch (verb) {
			case 'edit':
				return editMembers(person, modelId, code, await readBody(request, editsSchema));
			case 'effect':
				return effectOfEdits(person, modelId, code, await readBody(request, editsSchema));
			case 'effect-of-rows':
				return effectOfRows(person, modelId, code, await readBody(request, rowsSchema));
			case 'preview':
				return previewRows(person, modelId, code, await readBody(request, rowsSchema));
			case 'apply':
				return applyRows(person, modelId, code, await readBody(request, rowsSchema));
			case 'remove': {
				const { member, how } = await readBody(request, removal);
				return removeMember(person, modelId, code, member, how);
			}
			case 'undo':
				return undoStructure(person, modelId, code);
			case 'attribute':
				return defineAttribute(person, modelId, code, await readBody(request, attributeSchema));
			case 'delete-attribute':
				return deleteAttribute(person, modelId, code, (await readBody(request, named)).name);
			case 'hierarchy':
				return addHierarchy(person, modelId, code, await readBody(request, hierarchySchema));
			case 'rename-hierarchy':
				return renameHierarchy(person, modelId, code, await readBody(request, renamedHierarchySchema));
			case 'delete-hierarchy':
				return deleteHierarchy(person, modelId, code, await readBody(request, hierarchySchema));
			default:
				throw notFound('action');
		}
	});

/** What can be asked of a dimension, or of one of its members. */
export const GET = ({ locals: { person, modelId }, params: { code, verb }, url }) =>
	answer(async () => {
		const member = url.searchParams.has('member') ? Number(url.searchParams.get('member')) : undefined;
		if (verb === 'history') return dimensionHistory(person, modelId, code, member);
		if (verb === 'uses' && member !== undefined) return memberUses(person, modelId, code, member);
		throw notFound('action');
	});
