/** An identity provider of another house, simulated: OpenID Connect's code flow, for whom one picks from its list. */
import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { exportJWK, generateKeyPair, SignJWT, type JWK } from 'jose';
import { directoryPeople } from './directory';

export const STAND_IN_CLIENT = 'noble-lattice';
const CODE_MILLISECONDS = 120_000;

interface Granted {
	subject: string;
	redirect: string;
	nonce: string;
	challenge: string;
	until: number;
}
interface StandIn {
	secret: string;
	keys: Promise<{ sign: CryptoKey; jwk: JWK }>;
	codes: Map<string, Granted>;
}
const shared = globalThis as unknown as { identityStandIn?: StandIn };
const standIn = (): StandIn =>
	(shared.identityStandIn ??= {
		secret: randomBytes(24).toString('hex'),
		keys: generateKeyPair('RS256').then(async ({ privateKey, publicKey }) => ({
			sign: privateKey,
			jwk: { ...(await exportJWK(publicKey)), kid: 'one', alg: 'RS256', use: 'sig' }
		})),
		codes: new Map()
	});

/** The secret of this process: only its own application may ask. */
export const standInSecret = (): string => standIn().secret;

/** What the stand-in says of itself (OpenID Connect Discovery 1.0). */
export const identityMetadata = (issuer: string) => ({
	issuer,
	authorization_endpoint: `${issuer}/authorize`,
	token_endpoint: `${issuer}/token`,
	jwks_uri: `${issuer}/keys`,
	response_types_supported: ['code'],
	subject_types_supported: ['public'],
	id_token_signing_alg_values_supported: ['RS256'],
	token_endpoint_auth_methods_supported: ['client_secret_post'],
	code_challenge_methods_supported: ['S256'],
	scopes_supported: ['openid', 'email', 'profile']
});

export const identityKeys = async (): Promise<{ keys: JWK[] }> => ({ keys: [(await standIn().keys).jwk] });

/** Who can be picked: everybody whom the directory knows and who works there. */
export const pickable = () => directoryPeople().filter(({ active }) => active);

/** What an application asks for when it sends somebody here; undefined where it asks for something else. */
export function askedFor(search: URLSearchParams, origin: string): (Omit<Granted, 'subject' | 'until'> & { state: string }) | undefined {
	const redirect = search.get('redirect_uri') ?? '';
	if (search.get('client_id') !== STAND_IN_CLIENT || redirect !== `${origin}/sign-in/return` || search.get('response_type') !== 'code')
		return undefined;
	return {
		redirect,
		nonce: search.get('nonce') ?? '',
		challenge: search.get('code_challenge') ?? '',
		state: search.get('state') ?? ''
	};
}

/** A code for somebody who was picked, to go back with; undefined where there is no such person. */
export function grantCode(asked: Omit<Granted, 'subject' | 'until'>, subject: string): string | undefined {
	const { codes } = standIn();
	for (const [code, { until }] of codes) if (until < Date.now()) codes.delete(code);
	if (!pickable().some(({ id }) => id === subject)) return undefined;
	const code = randomBytes(24).toString('base64url');
	codes.set(code, { ...asked, subject, until: Date.now() + CODE_MILLISECONDS });
	return code;
}

const same = (one: string, other: string): boolean => {
	const [a, b] = [Buffer.from(one), Buffer.from(other)];
	return a.length === b.length && timingSafeEqual(a, b);
};

/** A code against tokens, once; undefined where something does not hold. */
export async function redeemCode(form: FormData, issuer: string): Promise<Record<string, unknown> | undefined> {
	const { codes, keys, secret } = standIn();
	const field = (name: string) => String(form.get(name) ?? '');
	const granted = codes.get(field('code'));
	codes.delete(field('code'));
	const challenge = createHash('sha256').update(field('code_verifier')).digest('base64url');
	const person = pickable().find(({ id }) => id === granted?.subject);
	if (!granted || !person || granted.until < Date.now() || granted.redirect !== field('redirect_uri')) return undefined;
	if (!same(challenge, granted.challenge) || field('client_id') !== STAND_IN_CLIENT || !same(field('client_secret'), secret))
		return undefined;
	const { sign } = await keys;
	const idToken = await new SignJWT({ nonce: granted.nonce, email: person.email, email_verified: true, name: person.name })
		.setProtectedHeader({ alg: 'RS256', kid: 'one' })
		.setIssuer(issuer)
		.setAudience(STAND_IN_CLIENT)
		.setSubject(person.id)
		.setIssuedAt()
		.setExpirationTime('5 minutes')
		.sign(sign);
	return { access_token: randomBytes(16).toString('hex'), token_type: 'Bearer', expires_in: 300, id_token: idToken };
}
