import { pool } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { describeDesign } from './describe';
import { saveDesign, type FormDesign } from './design';
import { layoutSchema } from '../definition/layout-schema';

/** A published version of a form, in words. */
export interface FormVersion {
	version: number;
	at: string;
	person: string | null;
	/** What is in this version and not in the one before it, and the other way round. */
	added: string[];
	removed: string[];
}

/** The versions of a form, newest first, each against the one before it; with `against`, all against that one. */
export async function formVersions(person: SignedIn | undefined, modelId: number, code: string, against?: number): Promise<FormVersion[]> {
	requirePermission(person, 'form.design');
	const found = await versionsOf(modelId, code);
	const words = await Promise.all(found.map((each) => describeDesign(modelId, each)));
	const fixed = against === undefined ? undefined : words[found.findIndex(({ version }) => version === against)];
	return found.map(({ version, at, person }, index) => {
		const before = new Set(fixed ?? words[index + 1] ?? []);
		const own = words[index]!;
		return {
			version,
			at: at.toISOString(),
			person,
			added: index === found.length - 1 && !fixed ? [] : own.filter((line) => !before.has(line)),
			removed: [...before].filter((line) => !own.includes(line))
		};
	});
}

/** Publishes an older version again, as the newest one. */
export async function restoreVersion(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	version: number
): Promise<{ code: string; version: number }> {
	requirePermission(person, 'form.design');
	const found = await versionsOf(modelId, code);
	const wanted = found.find((each) => each.version === version);
	if (!wanted) throw new Fault(404, 'not found', `There is no version ${version} of this form.`);
	const { name, folder, description, instructions, roles, layout } = wanted;
	return saveDesign(person, modelId, code, { name, folder, description, instructions, roles, layout, version: found[0]!.version });
}

async function versionsOf(modelId: number, code: string): Promise<(FormDesign & { at: Date; person: string | null })[]> {
	const found = await pool().query<Omit<FormDesign, 'layout'> & { layout: unknown; at: Date; person: string | null }>(
		`SELECT v.version, v.name, v.folder, v.description, v.instructions, v.roles, v.layout, v.at, p.name AS person
		FROM form f JOIN form_version v ON v.form_id = f.id LEFT JOIN person p ON p.id = v.person_id
		WHERE f.model_id = $1 AND f.code = $2 ORDER BY v.version DESC LIMIT 200`,
		[modelId, code]
	);
	if (found.rows.length === 0) throw notFound('form');
	return found.rows.map((row) => ({ ...row, layout: layoutSchema.parse(row.layout) }));
}
