import type { IncomingMessage } from 'node:http';
import { clientAddress, readProxies } from './address';

let proxies: ReturnType<typeof readProxies> | undefined;

/** The network address of whoever sent a request; proxies that TRUSTED_PROXIES names are asked for whom they ask. */
export function addressOf(event: { request: Request; platform?: unknown; getClientAddress: () => string }): string {
	const { req } = (event.platform ?? {}) as { req?: IncomingMessage };
	proxies ??= readProxies(process.env.TRUSTED_PROXIES ?? '');
	return clientAddress(req?.socket.remoteAddress ?? event.getClientAddress(), event.request.headers.get('x-forwarded-for'), proxies);
}
