import { notAllowed, notSignedIn } from '../fault';
import type { SignedIn } from './session';

export type Permission =
	| 'structure.read'
	| 'structure.write'
	| 'data.read'
	| 'data.load'
	| 'data.write'
	| 'form.read'
	| 'form.enter'
	| 'form.design'
	| 'rule.read'
	| 'rule.write'
	| 'rule.run';

const WORDS: Record<Permission, string> = {
	'structure.read': 'look at the structure of a model',
	'structure.write': 'change the structure of a model',
	'data.read': 'look at imports',
	'data.load': 'load data',
	'data.write': 'change imports and their maps',
	'form.read': 'open forms',
	'form.enter': 'enter figures',
	'form.design': 'design forms',
	'rule.read': 'look at runbooks',
	'rule.write': 'change runbooks',
	'rule.run': 'run runbooks'
};

/** What a permission lets one do, after “your role does not let you”. */
export const inWords = (permission: Permission): string => WORDS[permission];

/**
 * The check at the head of every server function that reads or writes for a person.
 * @throws Fault 401 without a person, 403 without the permission
 */
export function requirePermission(person: SignedIn | undefined, permission: Permission): SignedIn {
	if (!person) throw notSignedIn();
	if (!person.permissions.includes(permission)) throw notAllowed(inWords(permission));
	return person;
}
