/** Everything a program can ask for with an access token. */
import { z } from 'zod';
import { readAccessRules, reachedMembers } from '../access';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner } from '../engine';
import { Fault, notFound } from '../fault';
import { importsInShort, keepFile, MOST_BYTES, startLoad } from '../import';
import { readRun, runRunbook, listRunbooks, runSchema } from '../runbook';
import { requirePermission } from '../session';
import { operation, type Operation } from './operation';

const code = z.string().max(200);
const moment = z.iso.datetime();

const dimensionSchema = z.object({
	code,
	name: z.string(),
	kind: z.enum(['account', 'period', 'scenario', 'entity', 'general']),
	members: z.int()
});
const memberSchema = z.object({ code, name: z.string(), parent: code.nullable().describe('In the main hierarchy'), retired: z.boolean() });

const membersAsked = z
	.union([
		z.array(code).min(1).max(20_000),
		z.strictObject({ under: code }),
		z.strictObject({ children: code }),
		z.strictObject({ leaves: code })
	])
	.describe('Codes; or a member with all under it, the members right under it, or the leaves at the bottom of it');
const axis = z
	.record(code, membersAsked)
	.refine((each) => Object.keys(each).length <= 6, { error: 'has more than six dimensions' })
	.describe('By the code of a dimension; several are crossed');
const figuresSchema = z.object({
	rows: axis,
	columns: axis,
	at: z.record(code, code).default({}).describe('One member of each other dimension; the top one of those that are left out'),
	currency: z
		.string()
		.regex(/^([A-Z]{3}|local)$/)
		.optional()
		.describe('An ISO code, or local for the currency of the entities; the currency of the model without')
});
const linesSchema = z.object({ dimensions: z.array(code), lines: z.array(z.array(code)) });

const jobSchema = z.object({
	job: z.int(),
	state: z.enum(['waiting', 'running', 'done', 'failed', 'cancelled']),
	words: z.string(),
	result: z.unknown()
});

export const OPERATIONS: readonly Operation[] = [
	operation({
		method: 'GET',
		path: '/models',
		summary: 'The models the token may be used in',
		scope: null,
		answer: z.object({ models: z.array(z.object({ code, name: z.string() })) }),
		status: 200,
		run: async (_, __, models) => ({ models: models.map(({ code: own, name }) => ({ code: own, name })) })
	}),
	operation({
		method: 'GET',
		path: '/models/{model}/dimensions',
		summary: 'The dimensions of a model',
		scope: 'read',
		answer: z.object({ dimensions: z.array(dimensionSchema) }),
		status: 200,
		run: async ({ person, modelId }) => {
			requirePermission(person, 'form.read');
			const found = await pool().query<z.infer<typeof dimensionSchema> & { id: number }>(
				`SELECT d.id, d.code, d.name, d.kind, (SELECT count(*)::integer FROM member m WHERE m.dimension_id = d.id) AS members
				FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 ORDER BY o.position`,
				[modelId]
			);
			return {
				dimensions: await Promise.all(
					found.rows.map(async ({ id, ...dimension }) => ({
						...dimension,
						// Of who reads a part the count is of what they reach.
						members: person.readsPart ? (await reachedIn(person, modelId, id)).length : dimension.members
					}))
				)
			};
		}
	}),
	operation({
		method: 'GET',
		path: '/models/{model}/dimensions/{dimension}',
		summary: 'The members of a dimension',
		scope: 'read',
		query: z.object({
			after: code.optional().describe('The last code of the page before'),
			most: z.coerce.number().int().min(1).max(10_000).default(1_000)
		}),
		answer: z.object({ members: z.array(memberSchema), more: z.boolean() }),
		status: 200,
		run: async ({ person, modelId, place, query: { after, most } }) => {
			requirePermission(person, 'form.read');
			const dimension = await dimensionOf(modelId, place.dimension!);
			const found = await pool().query<z.infer<typeof memberSchema> & { id: number }>(
				`SELECT m.id, m.code, m.name, p.code AS parent, m.retired FROM member m JOIN hierarchy h ON h.dimension_id = m.dimension_id AND h.main
				LEFT JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id LEFT JOIN member p ON p.id = n.parent_id
				WHERE m.dimension_id = $1 AND ($2::text IS NULL OR m.code > $2) ORDER BY m.code LIMIT $3`,
				[dimension, after ?? null, most + 1]
			);
			const page = found.rows.slice(0, most);
			const reached = await reachedMembers(
				person,
				modelId,
				dimension,
				page.map(({ id }) => id)
			);
			const known = new Set(page.filter((_, index) => reached[index]).map((member) => member.code));
			return {
				members: page.flatMap(({ id: _, ...member }, index) =>
					reached[index]
						? [{ ...member, parent: person.readsPart && member.parent !== null && !known.has(member.parent) ? null : member.parent }]
						: []
				),
				more: found.rows.length > most
			};
		}
	}),
	operation({
		method: 'POST',
		path: '/models/{model}/figures',
		summary: 'The figures of a slice, as the owner of the token may read them',
		scope: 'read',
		body: figuresSchema,
		answer: z.object({
			revision: z.int(),
			currency: z.string(),
			restricted: z.boolean().describe('Whether totals are of what the owner of the token may read'),
			rows: linesSchema,
			columns: linesSchema,
			at: z.record(code, code),
			values: z.array(z.array(z.union([z.number(), z.string(), z.null()]))).describe('Row by row; null where there is nothing'),
			incomplete: z.int().describe('Figures that lack a rate or a weight beneath them')
		}),
		status: 200,
		run: async ({ person, modelId, body }) => {
			requirePermission(person, 'form.read');
			const [rules, versions] = await Promise.all([readAccessRules(person, modelId), modelVersions(pool(), modelId)]);
			return askRunner(modelId, 'figures', { ...body, ...versions, rules });
		}
	}),
	operation({
		method: 'GET',
		path: '/models/{model}/imports',
		summary: 'The saved imports of a model',
		scope: 'load',
		answer: z.object({ imports: z.array(z.object({ code, name: z.string() })) }),
		status: 200,
		run: async ({ person, modelId }) => ({
			imports: (await importsInShort(person, modelId)).map(({ code: own, name }) => ({ code: own, name }))
		})
	}),
	operation({
		method: 'POST',
		path: '/models/{model}/imports/{import}/loads',
		summary: 'Loads a file through a saved import; the body is the file',
		scope: 'load',
		query: z.object({
			name: z.string().min(1).max(200).describe('What the file is called'),
			way: z.enum(['replace', 'add']).optional().describe('As the import says without'),
			rejects: z.enum(['stop', 'load good rows']).optional().describe('As the import says without'),
			again: z.enum(['yes', 'no']).default('no').describe('Whether to load a file that was loaded before')
		}),
		file: { bytes: MOST_BYTES, words: 'The file is larger than %. Split it by month or line and load the parts.' },
		answer: z.object({ job: z.int(), batch: z.int() }),
		status: 202,
		run: async ({ person, modelId, place, query, stream }) => {
			requirePermission(person, 'data.load');
			const file = await keepFile(person, modelId, place.import!, query.name, stream);
			return startLoad(person, modelId, place.import!, {
				file: file.id,
				way: query.way,
				rejects: query.rejects,
				again: query.again === 'yes'
			});
		}
	}),
	operation({
		method: 'GET',
		path: '/models/{model}/loads/{job}',
		summary: 'How a load stands, and what came of it',
		scope: 'load',
		answer: jobSchema,
		status: 200,
		run: async ({ person, modelId, place }) => {
			requirePermission(person, 'data.load');
			return jobOf(modelId, place.job!, 'load');
		}
	}),
	operation({
		method: 'GET',
		path: '/models/{model}/runbooks',
		summary: 'The runbooks of a model',
		scope: 'run',
		answer: z.object({ runbooks: z.array(z.object({ id: z.int(), name: z.string() })) }),
		status: 200,
		run: async ({ person, modelId }) => ({
			runbooks: (await listRunbooks(person, modelId)).map(({ id, name }) => ({ id, name }))
		})
	}),
	operation({
		method: 'POST',
		path: '/models/{model}/runbooks/{runbook}/runs',
		summary: 'Starts a runbook',
		scope: 'run',
		body: runSchema.pick({ answers: true }).partial().describe('What the runbook asks for, by name'),
		answer: z.object({ run: z.int(), job: z.int() }),
		status: 202,
		run: ({ person, modelId, place, body }) =>
			runRunbook(person, modelId, numberOf(place.runbook!, 'runbook'), { answers: body.answers ?? {} })
	}),
	operation({
		method: 'GET',
		path: '/models/{model}/runs/{run}',
		summary: 'How a run stands, and what it did',
		scope: 'run',
		answer: z.object({
			run: z.int(),
			runbook: z.string(),
			at: moment,
			state: z.string(),
			words: z.string(),
			cells: z.int(),
			revision: z.int().nullable()
		}),
		status: 200,
		run: async ({ person, modelId, place }) => {
			const { id, name, at, state, words, cells, revision } = await readRun(person, modelId, numberOf(place.run!, 'run'));
			return { run: id, runbook: name, at, state, words, cells, revision };
		}
	})
];

function numberOf(text: string, what: string): number {
	const value = Number(text);
	if (!Number.isInteger(value) || value < 1 || value >= 2 ** 31) throw notFound(what);
	return value;
}

async function dimensionOf(modelId: number, dimension: string): Promise<number> {
	const found = await pool().query<{ id: number }>(
		'SELECT d.id FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 WHERE d.code = $2',
		[modelId, dimension]
	);
	if (!found.rows[0]) throw notFound('dimension');
	return found.rows[0].id;
}

async function reachedIn(person: Parameters<typeof reachedMembers>[0], modelId: number, dimension: number): Promise<number[]> {
	const all = await pool().query<{ id: number }>('SELECT id FROM member WHERE dimension_id = $1', [dimension]);
	const ids = all.rows.map(({ id }) => id);
	const reached = await reachedMembers(person, modelId, dimension, ids);
	return ids.filter((_, index) => reached[index]);
}

async function jobOf(modelId: number, job: string, kind: string): Promise<z.infer<typeof jobSchema>> {
	const found = await pool().query<z.infer<typeof jobSchema>>(
		'SELECT id AS job, state, words, result FROM job WHERE id = $1 AND model_id = $2 AND kind = $3',
		[numberOf(job, 'job'), modelId, kind]
	);
	if (!found.rows[0]) throw new Fault(404, 'not found', 'There is no such load in this model.');
	return found.rows[0];
}
