/** A directory of another house, simulated: who works there and in which groups, read by SCIM 2.0 (RFC 7643, RFC 7644). */
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { demoPeople } from '../../../../demo/people.mjs';

export interface DirectoryPerson {
	id: string;
	email: string;
	name: string;
	title: string;
	active: boolean;
	groups: readonly string[];
}

/** People who work there and have not been let in here, and one who has left. */
const OTHERS: readonly [name: string, title: string, active: boolean, groups: readonly string[]][] = [
	['Sunniva Grend', 'Planner, Skerry Line', true, ['planners']],
	['Alban Reith', 'Planner, Alder Line', true, ['planners']],
	['Jorun Vatle', 'Controller, Northgate Line', true, ['controlling']],
	['Tomas Ekre', 'Crew planner', true, ['planners', 'crew']],
	['Ida Lofthus', 'Crew planner', true, ['crew']],
	['Henrik Sande', 'Planner, Northgate Line', false, ['planners']],
	['Mats Oyane', 'Harbour master', true, []],
	['Rannveig Holt', 'Head of terminals', true, ['controlling']]
];
const GROUPS: Readonly<Record<string, string>> = { planners: 'Planners', controlling: 'Controlling', crew: 'Crew office' };

const addressOf = (name: string): string => `${name.toLowerCase().replace(/[^a-z]+/g, '.')}@brinewater.example`;

/** Everybody the directory knows. */
export const directoryPeople = (): DirectoryPerson[] => [
	...demoPeople.map(({ email, name, title, role }, index) => ({
		id: `d-${String(index + 1).padStart(3, '0')}`,
		email,
		name,
		title,
		active: true,
		groups: role === 'planner' ? ['planners'] : role === 'controller' ? ['controlling'] : []
	})),
	...OTHERS.map(([name, title, active, groups], index) => ({
		id: `d-${String(index + 101)}`,
		email: addressOf(name),
		name,
		title,
		active,
		groups
	}))
];

const shared = globalThis as unknown as { directoryToken?: string };
/** The token of this process: only its own application may ask. */
export const directoryToken = (): string => (shared.directoryToken ??= randomBytes(24).toString('hex'));

export function isDirectoryToken(token: string): boolean {
	const [given, own] = [Buffer.from(token), Buffer.from(directoryToken())];
	return given.length === own.length && timingSafeEqual(given, own);
}

const MOST = 100;
const userOf = ({ id, email, name, title, active, groups }: DirectoryPerson) => ({
	schemas: ['urn:ietf:params:scim:schemas:core:2.0:User'],
	id,
	userName: email,
	displayName: name,
	name: { formatted: name, givenName: name.split(' ')[0], familyName: name.split(' ').slice(1).join(' ') },
	title,
	active,
	emails: [{ value: email, type: 'work', primary: true }],
	groups: groups.map((value) => ({ value, display: GROUPS[value] })),
	meta: { resourceType: 'User' }
});
const groupOf = (id: string) => ({
	schemas: ['urn:ietf:params:scim:schemas:core:2.0:Group'],
	id,
	displayName: GROUPS[id],
	members: directoryPeople()
		.filter(({ groups }) => groups.includes(id))
		.map(({ id: value, name }) => ({ value, display: name })),
	meta: { resourceType: 'Group' }
});

/** A page of people or groups; people may be searched by a part of their name or address: `userName co "x" or displayName co "x"`. */
export function directoryPage(type: string, search: URLSearchParams): Record<string, unknown> | undefined {
	if (type !== 'Users' && type !== 'Groups') return undefined;
	const part = /co "([^"]*)"/.exec(search.get('filter') ?? '')?.[1]?.toLowerCase();
	const holds = (...texts: string[]) => part === undefined || texts.some((text) => text.toLowerCase().includes(part));
	const all: Record<string, unknown>[] =
		type === 'Users'
			? directoryPeople()
					.filter(({ name, email }) => holds(name, email))
					.map(userOf)
			: Object.keys(GROUPS)
					.filter((id) => holds(GROUPS[id]!))
					.map(groupOf);
	const start = Math.max(1, Number(search.get('startIndex')) || 1);
	const count = Math.min(MOST, Math.max(0, Number(search.get('count') ?? MOST) || 0));
	const resources = all.slice(start - 1, start - 1 + count);
	return {
		schemas: ['urn:ietf:params:scim:api:messages:2.0:ListResponse'],
		totalResults: all.length,
		startIndex: start,
		itemsPerPage: resources.length,
		Resources: resources
	};
}
