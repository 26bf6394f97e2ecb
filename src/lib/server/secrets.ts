/** Secrets of other systems, as they are stored: sealed with the installation's key (AES-256-GCM), never shown. */
import { createCipheriv, createDecipheriv, createHash, randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { Fault } from './fault';

const MARK = 'sealed:1:';
const NONCE_BYTES = 12;
const TAG_BYTES = 16;

/** The key: SECRET_KEY, or what stands in the file that SECRET_KEY_FILE names. */
function key(): Buffer {
	const file = process.env.SECRET_KEY_FILE;
	const secret = process.env.SECRET_KEY ?? (file ? readFileSync(file, 'utf8').trim() : '');
	if (secret.length < 16)
		throw new Fault(
			503,
			'no key',
			'This installation has no key to keep secrets with. Set SECRET_KEY_FILE (see docs/operating.md) and start it again.'
		);
	return createHash('sha256').update(secret).digest();
}

export const isSealed = (stored: string): boolean => stored.startsWith(MARK);

/** @throws Fault 503 without a key */
export function seal(text: string): string {
	const nonce = randomBytes(NONCE_BYTES);
	const cipher = createCipheriv('aes-256-gcm', key(), nonce);
	const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
	return MARK + Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString('base64');
}

/** @throws Fault 503 without the key it was sealed with */
export function unseal(stored: string): string {
	if (!isSealed(stored)) return stored;
	const bytes = Buffer.from(stored.slice(MARK.length), 'base64');
	const decipher = createDecipheriv('aes-256-gcm', key(), bytes.subarray(0, NONCE_BYTES));
	decipher.setAuthTag(bytes.subarray(NONCE_BYTES, NONCE_BYTES + TAG_BYTES));
	try {
		return Buffer.concat([decipher.update(bytes.subarray(NONCE_BYTES + TAG_BYTES)), decipher.final()]).toString('utf8');
	} catch {
		throw new Fault(503, 'other key', 'A secret was sealed with another key than this installation has now. Enter it again.');
	}
}
