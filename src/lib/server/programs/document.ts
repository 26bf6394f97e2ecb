/** The interface for programs as an OpenAPI 3.1 document, made from what is carried out. */
import { z } from 'zod';
import { SCOPES } from '../session';
import type { Operation } from './operation';
import { OPERATIONS } from './operations';

const schemaOf = (schema: z.ZodType, io: 'input' | 'output') => {
	const { $schema: _, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' });
	return rest;
};
const faultSchema = z.object({ code: z.string(), message: z.string().describe('A sentence for people'), details: z.unknown().optional() });
const FAULTS = {
	400: 'Not understood',
	401: 'No token, or one that does not hold',
	403: 'The token, or its owner, may not',
	404: 'There is no such thing',
	409: 'It was done before, or has changed meanwhile',
	413: 'Too much at once',
	422: 'Not possible, with the reason'
};

function operationOf({ summary, scope, path, query, body, file, answer, status, method }: Operation) {
	const placed = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({ name, in: 'path', required: true, schema: { type: 'string' } }));
	const { properties = {}, required = [] } = schemaOf(query, 'input') as { properties?: Record<string, unknown>; required?: string[] };
	return {
		summary,
		operationId: `${method.toLowerCase()} ${path}`.replace(/[^a-z]+/gi, '-').replace(/-$/, ''),
		description: scope ? `The token is to be for: ${SCOPES[scope].words}.` : 'Any token.',
		parameters: [
			...placed,
			...Object.entries(properties).map(([name, schema]) => ({ name, in: 'query', required: required.includes(name), schema }))
		],
		...(body && { requestBody: { required: true, content: { 'application/json': { schema: schemaOf(body, 'input') } } } }),
		...(file && {
			requestBody: {
				required: true,
				content: { 'application/octet-stream': { schema: { type: 'string', contentMediaType: 'application/octet-stream' } } }
			}
		}),
		responses: {
			[status]: {
				description: status === 202 ? 'Begun' : 'The answer',
				content: { 'application/json': { schema: schemaOf(answer, 'output') } }
			},
			...Object.fromEntries(
				Object.entries(FAULTS).map(([fault, description]) => [
					fault,
					{ description, content: { 'application/json': { schema: { $ref: '#/components/schemas/Fault' } } } }
				])
			)
		}
	};
}

/** @param origin of this installation */
export function openApiDocument(origin: string): Record<string, unknown> {
	const paths: Record<string, Record<string, unknown>> = {};
	for (const each of OPERATIONS) (paths[each.path] ??= {})[each.method.toLowerCase()] = operationOf(each);
	return {
		openapi: '3.1.0',
		info: {
			title: 'Noble Lattice',
			version: '1',
			description:
				'Reading slices, loading files and starting runbooks. Every request carries an access token, made under Access, and is answered as its owner.'
		},
		servers: [{ url: `${origin}/api/v1` }],
		security: [{ token: [] }],
		paths,
		components: {
			securitySchemes: { token: { type: 'http', scheme: 'bearer' } },
			schemas: { Fault: schemaOf(faultSchema, 'output') }
		}
	};
}
