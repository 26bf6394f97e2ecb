import { Fault, notAllowed, notSignedIn, onlyLooking } from '../fault';
import type { SignedIn } from './person';

/** Everything a role may hold, by the area it belongs to, in the words that follow “a person with it may”. */
const CATALOGUE = {
	Forms: { 'form.read': 'open forms', 'form.enter': 'enter figures', 'form.design': 'design forms' },
	'Data in': { 'data.read': 'look at imports', 'data.load': 'load data', 'data.write': 'change imports and their maps' },
	Rules: { 'rule.read': 'look at runbooks', 'rule.run': 'run runbooks', 'rule.write': 'change runbooks' },
	Structure: { 'structure.read': 'look at the structure of a model', 'structure.write': 'change the structure of a model' },
	Access: {
		'access.read': 'look at who may do what',
		'access.write': 'change who may do what',
		'access.look': 'look at everything as somebody else sees it',
		'access.tokens': 'make access tokens for programs',
		'lock.write': 'lock and unlock figures',
		'lock.restate': 'change definitions so that closed figures move'
	},
	Cycle: {
		'cycle.read': 'look at rounds of planning, and fill or review one’s units',
		'cycle.write': 'define, start and lead rounds of planning'
	},
	'What-if': {
		'branch.write': 'make branches of the plan and work in them',
		'branch.merge': 'merge branches into the plan'
	}
} as const;

type Areas = typeof CATALOGUE;
export type Permission = { [Area in keyof Areas]: keyof Areas[Area] }[keyof Areas];

const WORDS = Object.assign({}, ...Object.values(CATALOGUE)) as Record<Permission, string>;
export const PERMISSIONS = Object.keys(WORDS) as Permission[];
export const isPermission = (name: string): name is Permission => Object.hasOwn(WORDS, name);

/** The catalogue as a page shows it. */
export const permissionCatalogue = (): { area: string; permissions: { permission: Permission; words: string }[] }[] =>
	Object.entries(CATALOGUE).map(([area, of]) => ({
		area,
		permissions: Object.entries(of).map(([permission, words]) => ({ permission: permission as Permission, words }))
	}));

/** What a permission lets one do, after “your role does not let you”. */
export const inWords = (permission: Permission): string => WORDS[permission];

/** What somebody may use who only looks as another person does; the rest is shown to them as that person has it, and refused. */
const FOR_LOOKING = new Set<Permission>(['form.read', 'data.read', 'rule.read', 'structure.read', 'access.read', 'cycle.read']);

function requireOwnHands(person: SignedIn, permission: Permission): void {
	if (person.acting?.way === 'look' && !FOR_LOOKING.has(permission)) throw onlyLooking(person.name);
}

/** @throws Fault 409 where somebody works in a branch in which nothing may be changed */
export function requireBranchOpen(person: SignedIn): SignedIn {
	if (person.branch?.whyNot) throw new Fault(409, 'branch closed', person.branch.whyNot);
	return person;
}

/**
 * The check at the head of every server function that reads or writes for a person.
 * @throws Fault 401 without a person, 403 without the permission
 */
export function requirePermission(person: SignedIn | undefined, permission: Permission): SignedIn {
	if (!person) throw notSignedIn();
	if (!person.permissions.includes(permission)) throw notAllowed(inWords(permission));
	requireOwnHands(person, permission);
	return person;
}

/** The same for what is of all models together: people, groups, roles. @throws Fault 401, 403 */
export function requirePermissionEverywhere(person: SignedIn | undefined, permission: Permission): SignedIn {
	if (!person) throw notSignedIn();
	if (!person.everywhere?.includes(permission)) throw notAllowed(`${inWords(permission)} in every model`);
	requireOwnHands(person, permission);
	return person;
}
