/** What a model has of what it needs before people plan in it: read from the model, so that one goes on where one stopped. */
import { pool } from '../database';
import { requirePermission, type Permission, type SignedIn } from '../session';
import { readRates } from './rates';

export interface SetUpStep {
	name: string;
	/** What is there, or what it is for. */
	says: string;
	done: boolean;
	/** Where it is done, within the model, and the chapter of the handbook that tells how. */
	path: string;
	chapter: string;
	/** Whether who looks may do it. */
	mayDo: boolean;
}

interface Counted {
	first: string;
	last: string;
	account: string;
	accounts: number;
	entity: string | null;
	entities: number;
	currencies: number;
	imports: number;
	loads: number;
	forms: number;
	people: number;
	saves: number;
}

const LEAVES = (kind: string) => `(SELECT count(*)::integer FROM member m JOIN dimension d ON d.id = m.dimension_id AND d.kind = '${kind}'
	JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 JOIN hierarchy h ON h.dimension_id = d.id AND h.main JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id
	WHERE NOT m.retired AND NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.hierarchy_id = h.id AND c.parent_id = m.id))`;
const DIMENSION = (kind: string) =>
	`(SELECT d.code FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 WHERE d.kind = '${kind}' LIMIT 1)`;

/** The steps in which a model is set up, each with what is there; none of them has to be done. */
export async function settingUp(person: SignedIn | undefined, modelId: number): Promise<SetUpStep[]> {
	const keeper = requirePermission(person, 'structure.read');
	const found = await pool().query<Counted>(
		`SELECT (SELECT m.name FROM period p JOIN member m ON m.id = p.member_id JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1 WHERE p.level = 'year' ORDER BY p.start_date LIMIT 1) AS first,
			(SELECT m.name FROM period p JOIN member m ON m.id = p.member_id JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1 WHERE p.level = 'year' ORDER BY p.start_date DESC LIMIT 1) AS last,
			${DIMENSION('account')} AS account, ${LEAVES('account')} AS accounts, ${DIMENSION('entity')} AS entity, ${LEAVES('entity')} AS entities,
			(SELECT count(*)::integer FROM model_currency WHERE model_id = $1) AS currencies,
			(SELECT count(*)::integer FROM import WHERE model_id = $1) AS imports,
			(SELECT count(*)::integer FROM change_set WHERE model_id = $1 AND kind = 'load') AS loads,
			(SELECT count(*)::integer FROM form WHERE model_id = $1 AND owner_id IS NULL) AS forms,
			(SELECT count(DISTINCT r.person_id)::integer FROM person_role r JOIN person p ON p.id = r.person_id AND p.active JOIN role_permission g ON g.role_id = r.role_id AND g.permission = 'form.enter'
				WHERE (r.model_id IS NULL OR r.model_id = $1) AND p.id <> $2) AS people,
			(SELECT count(*)::integer FROM change_set WHERE model_id = $1 AND kind = 'save') AS saves`,
		[modelId, keeper.id]
	);
	const has = found.rows[0]!;
	const { sets } = await readRates(keeper, modelId);
	const gaps = sets.filter(({ usedBy, lines }) => usedBy.length > 0 && lines.some((line) => line.gaps.length > 0)).map(({ name }) => name);
	const may = (permission: Permission) => (keeper.permissions as string[]).includes(permission);
	const counted = (count: number, one: string, many: string) => (count === 1 ? `one ${one}` : `${count} ${many}`);
	const structure = may('structure.write');
	const steps: SetUpStep[] = [
		{
			name: 'Calendar',
			says: has.first === has.last ? has.first : `${has.first} to ${has.last}`,
			...{ done: true, path: '/structure/calendar', chapter: 'shaping', mayDo: structure }
		},
		{
			name: 'Accounts',
			says: `${counted(has.accounts, 'account that takes figures', 'accounts that take figures')}${has.accounts > 3 ? '' : ': type more, or paste them from a workbook'}`,
			...{ done: has.accounts > 3, path: `/structure/dimension/${has.account}`, chapter: 'shaping', mayDo: structure }
		}
	];
	if (has.entity !== null)
		steps.push({
			name: 'Entities',
			says: `${counted(has.entities, 'entity', 'entities')}, each with its currency and who owns it`,
			...{ done: has.entities > 1, path: `/structure/dimension/${has.entity}`, chapter: 'shaping', mayDo: structure }
		});
	if (has.currencies > 1)
		steps.push({
			name: 'Rates',
			says: gaps.length === 0 ? `${has.currencies} currencies, no rate is missing` : `Rates are missing in ${gaps.join(', ')}`,
			...{ done: gaps.length === 0, path: '/structure/currencies', chapter: 'shaping', mayDo: structure }
		});
	steps.push(
		{
			name: 'First load',
			says:
				has.loads > 0
					? counted(has.loads, 'load', 'loads')
					: has.imports > 0
						? 'an import is there; nothing is loaded yet'
						: 'figures of other systems, by a file, a query or another model',
			...{ done: has.loads > 0, path: '/data-in', chapter: 'loading', mayDo: may('data.load') }
		},
		{
			name: 'First form',
			says: has.forms === 0 ? 'what people type into' : counted(has.forms, 'form', 'forms'),
			...{ done: has.forms > 0, path: has.forms > 0 ? '/forms' : '/forms/new', chapter: 'forms', mayDo: may('form.design') }
		},
		{
			name: 'Who plans what',
			says:
				has.people === 0
					? 'nobody but you may enter figures yet'
					: `${counted(has.people, 'other person', 'other people')} may enter figures`,
			...{ done: has.people > 0, path: '/access', chapter: 'access', mayDo: may('access.write') }
		},
		{
			name: 'First figure',
			says: has.saves === 0 ? 'open a form, type, save' : counted(has.saves, 'save', 'saves'),
			...{ done: has.saves > 0, path: '/forms', chapter: 'filling', mayDo: may('form.enter') }
		}
	);
	return steps;
}
