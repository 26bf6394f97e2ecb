import { z } from 'zod';
import { blockLabels, cellBlocks, readsOf, type Expression, type FormLayout } from '../../core';
import { readAccessRules } from '../access';
import { pool, transaction } from '../database';
import { askEngine, type FormAnswer, type SelectedMembers, type TreeMember } from '../engine';
import { Fault, notFound } from '../fault';
import { personById, requirePermission, type SignedIn } from '../session';
import { expressionReader } from './expressions';
import { layoutSchema, selectionSchema } from '../definition/layout-schema';
import { choicesSchema } from './open';
import { dropForm, publishForm } from './publish';
import { modelVersions } from '../database/structure-version';
import { membersNamed } from '../definition/layout-members';

/** What a form is besides its layout. */
const facts = {
	name: z.string().trim().min(1, 'give the form a name').max(120),
	folder: z.string().trim().max(120),
	description: z.string().trim().max(500),
	instructions: z.string().max(20_000),
	/** Roles (ids) that see it; none: everybody who may open forms. */
	roles: z.array(z.number().int()).max(200)
};

export const designSchema = z.object({
	...facts,
	layout: layoutSchema,
	/** The version that was changed; 0 for a new form. */
	version: z.number().int().min(0)
});
export type FormDesign = z.infer<typeof designSchema>;

/** A form as its maker sees it, with what there is to choose from. */
export interface DesignDesk {
	code: string | null;
	design: FormDesign;
	/** Expressions of the layout as texts, by their place: see `textPlaces`. */
	texts: Record<string, string>;
	dimensions: { id: number; code: string; name: string; kind: string }[];
	variables: { name: string; dimension: number | null }[];
	currencies: string[];
	/** What blocks may be read at. */
	rateSets: { id: number; name: string }[];
	roles: { id: number; name: string }[];
	people: { id: number; name: string; title: string }[];
	folders: string[];
	levels: string[];
	/** The first member at the top of each dimension (id). */
	tops: Record<number, number>;
	/** Names of the members (ids) the layout names, and of those at the top. */
	names: Record<number, string>;
	attributes: { dimension: number; name: string }[];
	runbooks: { id: number; name: string }[];
}

/** A stored form to be changed, or the beginning of a new one. @throws Fault 404 */
export async function readDesign(person: SignedIn | undefined, modelId: number, code: string | null): Promise<DesignDesk> {
	requirePermission(person, 'form.design');
	const dimensions = await pool().query<DesignDesk['dimensions'][number]>(
		'SELECT d.id, d.code, d.name, d.kind FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id WHERE md.model_id = $1 ORDER BY md.position',
		[modelId]
	);
	const currencies = await pool().query<{ code: string }>(
		'SELECT currency AS code FROM model_currency WHERE model_id = $1 ORDER BY position',
		[modelId]
	);
	const design =
		code === null ? await newDesign(modelId, dimensions.rows, currencies.rows[0]?.code ?? 'EUR') : await storedDesign(modelId, code);
	const reader = await expressionReader(modelId);
	const tops = await topMembers(modelId);
	const first = new Map(tops.map(({ dimension, member }) => [dimension, member] as const).reverse());
	const names = await pool().query<{ id: number; name: string }>('SELECT id, name FROM member WHERE id = ANY ($1::integer[])', [
		[...membersNamed(design.layout), ...first.values()]
	]);
	const attributes = await pool().query<DesignDesk['attributes'][number]>(
		`SELECT a.dimension_id AS dimension, a.name FROM attribute a JOIN model_dimension md ON md.dimension_id = a.dimension_id
		WHERE md.model_id = $1 ORDER BY a.name`,
		[modelId]
	);
	const levels = await pool().query<{ level: string }>(
		`SELECT DISTINCT p.level FROM period p JOIN member m ON m.id = p.member_id JOIN model_dimension md ON md.dimension_id = m.dimension_id
		WHERE md.model_id = $1`,
		[modelId]
	);
	return {
		code,
		design,
		texts: Object.fromEntries(
			expressionsOf(design.layout, new Map(names.rows.map(({ id, name }) => [id, name]))).map(({ place, expression, blocks }) => [
				place,
				reader.print(expression, blocks)
			])
		),
		dimensions: dimensions.rows,
		variables: (
			await pool().query<DesignDesk['variables'][number]>(
				'SELECT v.name, m.dimension_id AS dimension FROM variable v JOIN member m ON m.id = v.member_id WHERE v.model_id = $1 ORDER BY v.name',
				[modelId]
			)
		).rows,
		currencies: currencies.rows.map((each) => each.code),
		rateSets: (await pool().query<{ id: number; name: string }>('SELECT id, name FROM rate_set ORDER BY id')).rows,
		roles: (await pool().query<DesignDesk['roles'][number]>('SELECT id, name FROM role ORDER BY id')).rows,
		people: (await pool().query<DesignDesk['people'][number]>('SELECT id, name, title FROM person ORDER BY name')).rows,
		folders: (
			await pool().query<{ folder: string }>(
				"SELECT DISTINCT folder FROM form WHERE model_id = $1 AND owner_id IS NULL AND folder <> '' ORDER BY folder",
				[modelId]
			)
		).rows.map(({ folder }) => folder),
		levels: ['year', 'half', 'quarter', 'month', 'week'].filter((level) => levels.rows.some((each) => each.level === level)),
		tops: Object.fromEntries(first),
		names: Object.fromEntries(names.rows.map(({ id, name }) => [id, name])),
		attributes: attributes.rows,
		runbooks: (
			await pool().query<DesignDesk['runbooks'][number]>('SELECT id, name FROM runbook WHERE model_id = $1 ORDER BY name', [modelId])
		).rows
	};
}

async function storedDesign(modelId: number, code: string): Promise<FormDesign> {
	const found = await pool().query<Omit<FormDesign, 'layout'> & { layout: unknown }>(
		'SELECT name, folder, description, instructions, roles, layout, version FROM form WHERE model_id = $1 AND code = $2 AND owner_id IS NULL',
		[modelId, code]
	);
	const form = found.rows[0];
	if (!form) throw notFound('form');
	return { ...form, layout: layoutSchema.parse(form.layout) };
}

/** A first layout that can be shown: accounts down, the months of a year across, the rest to choose. */
async function newDesign(modelId: number, dimensions: DesignDesk['dimensions'], currency: string): Promise<FormDesign> {
	const tops = await topMembers(modelId);
	const top = (dimension: number) => tops.filter((each) => each.dimension === dimension);
	const account = dimensions.find(({ kind }) => kind === 'account')!;
	const period = dimensions.find(({ kind }) => kind === 'period')!;
	const layout: FormLayout = {
		version: 2,
		rows: [{ kind: 'cells', id: 0, parts: [{ dimension: account.id, selection: { kind: 'under', of: top(account.id)[0]?.member ?? 0 } }] }],
		columns: [
			{ kind: 'cells', id: 0, parts: [{ dimension: period.id, selection: { kind: 'leaves', of: 'chosen' } }] },
			{ kind: 'cells', id: 1, parts: [{ dimension: period.id, selection: { kind: 'these', members: ['chosen'] } }] }
		],
		selectors: dimensions
			.filter(({ id }) => id !== account.id)
			.map(({ id, kind }) => ({
				dimension: id,
				selection:
					kind === 'period'
						? { kind: 'these', members: top(id).map(({ member }) => member) }
						: kind === 'scenario'
							? { kind: 'all' }
							: { kind: 'under', of: top(id)[0]?.member ?? 0 },
				initial: top(id)[kind === 'period' ? Math.floor(top(id).length / 2) : 0]?.member ?? 0
			})),
		pinned: [],
		currencies: [currency, 'local']
	};
	return { name: '', folder: '', description: '', instructions: '', roles: [], layout, version: 0 };
}

/** The members at the top of each dimension of a model, in their order. */
async function topMembers(modelId: number): Promise<{ dimension: number; member: number }[]> {
	const found = await pool().query<{ dimension: number; member: number }>(
		`SELECT n.dimension_id AS dimension, n.member_id AS member FROM hierarchy h JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.parent_id IS NULL
		JOIN model_dimension md ON md.dimension_id = h.dimension_id WHERE h.main AND md.model_id = $1 ORDER BY n.position`,
		[modelId]
	);
	return found.rows;
}

/** Every expression of a layout, where it stands, and the blocks it may name (accounts when there are none). */
function expressionsOf(
	layout: FormLayout,
	names?: ReadonlyMap<number, string>
): { place: string; expression: Expression; blocks?: { id: number; label: string }[] }[] {
	const found: ReturnType<typeof expressionsOf> = [];
	for (const axis of ['rows', 'columns'] as const)
		for (const block of layout[axis])
			if (block.kind === 'derived' && block.derivation.how === 'expression')
				found.push({ place: `${axis} ${block.id}`, expression: block.derivation.expression, blocks: blockLabels(layout[axis], names) });
	layout.checks?.forEach((check, index) => {
		found.push({ place: `check ${index} left`, expression: check.left }, { place: `check ${index} right`, expression: check.right });
	});
	return found;
}

/** Publishes a form: the next version of one, or a new one. @throws Fault 422 naming what is wrong with it, 409 when another version came meanwhile */
export async function saveDesign(
	person: SignedIn | undefined,
	modelId: number,
	code: string | null,
	design: FormDesign
): Promise<{ code: string; version: number }> {
	const maker = requirePermission(person, 'form.design');
	const { faults } = await askEngine(modelId, 'checkLayout', {
		layout: design.layout,
		structure: (await modelVersions(pool(), modelId)).structure
	});
	if (faults.length > 0) throw new Fault(422, 'unfinished', `The form is not finished. ${faults[0]}`, faults);
	const free = code ?? (await freeCode(modelId, design.name));
	const { layout, version, ...facts } = design;
	return transaction(async (client) => {
		const published = await publishForm(client, modelId, maker.id, free, { ...facts, layout }, code === null ? null : version);
		return { code: free, version: published.version };
	});
}

/** A code made of a name that no form of the model has yet. */
async function freeCode(modelId: number, name: string): Promise<string> {
	const plain =
		name
			.normalize('NFKD')
			.toLowerCase()
			.replaceAll(/[^a-z0-9]+/g, '-')
			.replaceAll(/^-|-$/g, '')
			.slice(0, 60) || 'form';
	const taken = await pool().query<{ code: string }>('SELECT code FROM form WHERE model_id = $1 AND code LIKE $2', [modelId, `${plain}%`]);
	const codes = new Set([...taken.rows.map(({ code }) => code), 'new']);
	if (!codes.has(plain)) return plain;
	let number = 2;
	while (codes.has(`${plain}-${number}`)) number++;
	return `${plain}-${number}`;
}

/** A copy of a form under a name of its own. */
export async function copyForm(person: SignedIn | undefined, modelId: number, code: string): Promise<{ code: string }> {
	requirePermission(person, 'form.design');
	const design = await storedDesign(modelId, code);
	return saveDesign(person, modelId, null, { ...design, name: `${design.name.slice(0, 110)}, copy`, version: 0 });
}

/** Takes a form away for good; its notes stay at their figures. */
export async function deleteForm(person: SignedIn | undefined, modelId: number, code: string): Promise<void> {
	requirePermission(person, 'form.design');
	await dropForm(pool(), modelId, code);
}

export const previewSchema = z.object({
	layout: layoutSchema,
	choices: choicesSchema,
	/** The person (id) through whose rights it is seen. */
	as: z.number().int().optional()
});

/** The first rows a preview shows. */
const PREVIEW_ROWS = 60;

/** A layout with real figures, as a person would see it; or what is wrong with it. */
export async function previewForm(
	person: SignedIn | undefined,
	modelId: number,
	{ layout, choices, as }: z.infer<typeof previewSchema>
): Promise<{ form: FormAnswer | null; faults: string[]; hints: string[] }> {
	const maker = requirePermission(person, 'form.design');
	const versions = await modelVersions(pool(), modelId);
	const checked = await askEngine(modelId, 'checkLayout', { layout, structure: versions.structure });
	if (checked.faults.length > 0) return { form: null, ...checked };
	const seenBy = as === undefined ? maker : await personById(as, modelId);
	if (!seenBy) throw notFound('person');
	const form = await askEngine(modelId, 'form', {
		// Nobody's draft: what is stored.
		person: 0,
		rules: await readAccessRules(seenBy, modelId),
		draftVersion: 0,
		layout,
		choices: Object.fromEntries(Object.entries(choices.members).map(([dimension, member]) => [Number(dimension), member])),
		currency: choices.currency,
		window: { rows: Array.from({ length: PREVIEW_ROWS }, (_, row) => row) },
		...versions
	});
	return { form: { ...form, rows: form.rows.slice(0, PREVIEW_ROWS) }, ...checked };
}

export const selectSchema = z.object({
	dimension: z.number().int(),
	selection: selectionSchema,
	/** The member (id) a reader would have chosen. */
	chosen: z.number().int().optional()
});

/** The members a selection gives today. */
export async function selectedMembers(
	person: SignedIn | undefined,
	modelId: number,
	{ dimension, selection, chosen }: z.infer<typeof selectSchema>
): Promise<SelectedMembers> {
	requirePermission(person, 'form.design');
	return askEngine(modelId, 'select', { dimension, selection, chosen, structure: (await modelVersions(pool(), modelId)).structure });
}

export const branchSchema = z.object({ dimension: z.number().int(), of: z.number().int().nullable() });

/** The members under one, or at the top, of a dimension. */
export async function membersUnder(
	person: SignedIn | undefined,
	modelId: number,
	{ dimension, of }: z.infer<typeof branchSchema>
): Promise<{ members: TreeMember[] }> {
	requirePermission(person, 'form.design');
	return askEngine(modelId, 'branch', { dimension, of, structure: (await modelVersions(pool(), modelId)).structure });
}

/** What a form names and what names it. */
export interface FormUses {
	dimensions: string[];
	accountsInChecks: number;
	notes: number;
	open: string[];
	versions: number;
}

/** Where a form is used, and what it uses. */
export async function usesOfForm(person: SignedIn | undefined, modelId: number, code: string): Promise<FormUses> {
	requirePermission(person, 'form.design');
	const { layout } = await storedDesign(modelId, code);
	const placed = new Set([
		...cellBlocks(layout).flatMap(({ parts }) => parts.map(({ dimension }) => dimension)),
		...layout.selectors.map(({ dimension }) => dimension),
		...layout.pinned.map(({ dimension }) => dimension)
	]);
	const dimensions = await pool().query<{ name: string }>('SELECT name FROM dimension WHERE id = ANY ($1::integer[]) ORDER BY id', [
		[...placed]
	]);
	const counts = await pool().query<{ notes: number; versions: number; open: string[] }>(
		`SELECT (SELECT count(*)::integer FROM note WHERE form_id = f.id) AS notes,
			(SELECT count(*)::integer FROM form_version WHERE form_id = f.id) AS versions,
			coalesce((SELECT array_agg(p.name ORDER BY p.name) FROM form_presence x JOIN person p ON p.id = x.person_id
				WHERE x.form_id = f.id AND x.at > now() - interval '1 minute'), '{}') AS open
		FROM form f WHERE model_id = $1 AND code = $2`,
		[modelId, code]
	);
	return {
		dimensions: dimensions.rows.map(({ name }) => name),
		accountsInChecks: new Set(
			(layout.checks ?? []).flatMap(({ left, right }) => [...readsOf(left), ...readsOf(right)].map((read) => read.member))
		).size,
		...counts.rows[0]!
	};
}
