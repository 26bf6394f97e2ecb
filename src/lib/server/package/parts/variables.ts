import type { ModelPackage } from '../../definition/package-format';
import { dropVariable, storeVariable } from '../../structure/variables';
import type { Part } from './part';

export const variablesPart: Part<ModelPackage['variables'][number]> = {
	what: 'variable',
	items: ({ variables }) => variables,
	nameOf: ({ name }) => name,
	async put({ client, modelId, memberOf }, { name, member, number }) {
		return { kind: 'variable', id: await storeVariable(client, modelId, { name, member: member ? memberOf(member) : null, number }) };
	},
	async remove({ client, modelId }, { name }) {
		return { kind: 'variable', id: await dropVariable(client, modelId, name) };
	}
};
