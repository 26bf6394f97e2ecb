/** People and groups as SCIM 2.0 says them (RFC 7643): the schemas, and how ours are written as theirs and read from them. */
import { z } from 'zod';

export const USER = 'urn:ietf:params:scim:schemas:core:2.0:User';
export const GROUP = 'urn:ietf:params:scim:schemas:core:2.0:Group';
export const LIST = 'urn:ietf:params:scim:api:messages:2.0:ListResponse';
export const ERROR = 'urn:ietf:params:scim:api:messages:2.0:Error';

const text = z.string().trim().max(200);
/** Directories send booleans as words, too. */
const flag = z.union([z.boolean(), z.string().transform((word) => word.toLowerCase() === 'true')]);

/** What is read of a user; the rest is let be. */
export const userSchema = z.object({
	id: z.string().max(100).optional(),
	externalId: text.optional().nullable(),
	userName: text.min(1),
	displayName: text.optional().nullable(),
	name: z.object({ formatted: text.optional(), givenName: text.optional(), familyName: text.optional() }).partial().optional().nullable(),
	title: text.optional().nullable(),
	active: flag.optional(),
	emails: z
		.array(z.object({ value: text, primary: flag.optional() }))
		.max(20)
		.optional()
		.nullable()
});
export type ScimUser = z.infer<typeof userSchema>;

export const groupSchema = z.object({
	id: z.string().max(100).optional(),
	externalId: text.optional().nullable(),
	displayName: text.min(1),
	members: z
		.array(z.object({ value: z.string().max(100) }))
		.max(20_000)
		.optional()
		.nullable()
});
export type ScimGroup = z.infer<typeof groupSchema>;

/**
 * A user's facts as a person here has them: signing in is by address, which is the user name where that is one.
 * @param active whether they are, where the directory does not say
 */
export function factsOf(user: ScimUser, active = true): { email: string; name: string; title: string; active: boolean } {
	const isAddress = (value: string) => /^[^\s@]+@[^\s@]+$/.test(value);
	const addresses = [...(user.emails ?? [])].sort((one, other) => Number(other.primary ?? false) - Number(one.primary ?? false));
	const email = isAddress(user.userName) ? user.userName : (addresses.find(({ value }) => isAddress(value))?.value ?? user.userName);
	const parts = [user.name?.givenName, user.name?.familyName].filter(Boolean).join(' ');
	return {
		email: email.toLowerCase(),
		name: user.displayName || user.name?.formatted || parts || email,
		title: user.title ?? '',
		active: user.active ?? active
	};
}

export interface PersonHere {
	id: number;
	email: string;
	name: string;
	title: string;
	active: boolean;
	externalId: string | null;
}
export interface GroupHere {
	id: number;
	name: string;
	externalId: string | null;
	members: { id: number; name: string }[];
}

/** @param base the address of the interface */
export const asUser = ({ id, email, name, title, active, externalId }: PersonHere, base: string) => ({
	schemas: [USER],
	id: String(id),
	...(externalId !== null && { externalId }),
	userName: email,
	displayName: name,
	name: { formatted: name },
	...(title && { title }),
	active,
	emails: [{ value: email, type: 'work', primary: true }],
	meta: { resourceType: 'User', location: `${base}/Users/${id}` }
});

export const asGroup = ({ id, name, externalId, members }: GroupHere, base: string) => ({
	schemas: [GROUP],
	id: String(id),
	...(externalId !== null && { externalId }),
	displayName: name,
	members: members.map((member) => ({ value: String(member.id), display: member.name, $ref: `${base}/Users/${member.id}` })),
	meta: { resourceType: 'Group', location: `${base}/Groups/${id}` }
});

const attribute = (name: string, more: Record<string, unknown> = {}) => ({
	name,
	type: 'string',
	multiValued: false,
	required: false,
	caseExact: false,
	mutability: 'readWrite',
	returned: 'default',
	uniqueness: 'none',
	...more
});

/** What this interface can do, as the standard wants it told (RFC 7643, sections 5 to 7). */
export const SERVICE = {
	schemas: ['urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig'],
	patch: { supported: true },
	bulk: { supported: false, maxOperations: 0, maxPayloadSize: 0 },
	filter: { supported: true, maxResults: 200 },
	changePassword: { supported: false },
	sort: { supported: false },
	etag: { supported: false },
	authenticationSchemes: [
		{ type: 'oauthbearertoken', name: 'Access token', description: 'A token of this application for people', primary: true }
	]
};
const TYPES = [
	{ id: 'User', endpoint: '/Users', schema: USER },
	{ id: 'Group', endpoint: '/Groups', schema: GROUP }
].map((type) => ({ schemas: ['urn:ietf:params:scim:schemas:core:2.0:ResourceType'], name: type.id, ...type }));
const SCHEMAS = [
	{
		id: USER,
		name: 'User',
		attributes: [
			attribute('userName', { required: true, uniqueness: 'server' }),
			attribute('externalId', { caseExact: true }),
			attribute('displayName'),
			attribute('name', { type: 'complex', subAttributes: ['formatted', 'givenName', 'familyName'].map((name) => attribute(name)) }),
			attribute('title'),
			attribute('active', { type: 'boolean' }),
			attribute('emails', {
				type: 'complex',
				multiValued: true,
				subAttributes: [attribute('value'), attribute('primary', { type: 'boolean' })]
			})
		]
	},
	{
		id: GROUP,
		name: 'Group',
		attributes: [
			attribute('displayName', { required: true, uniqueness: 'server' }),
			attribute('externalId', { caseExact: true }),
			attribute('members', { type: 'complex', multiValued: true, subAttributes: [attribute('value')] })
		]
	}
].map((schema) => ({ schemas: ['urn:ietf:params:scim:schemas:core:2.0:Schema'], ...schema }));
export const DISCOVERY: Readonly<Record<string, readonly { id: string }[]>> = { ResourceTypes: TYPES, Schemas: SCHEMAS };
