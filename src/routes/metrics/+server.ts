import { createHash, timingSafeEqual } from 'node:crypto';
import { env } from '$env/dynamic/private';
import { addressOf } from '$lib/server/gate';
import { metricsText } from '$lib/server/metrics';

const hashOf = (text: string): Buffer => createHash('sha256').update(text).digest();

/**
 * Figures for a monitoring system, in the Prometheus text format: for who knows the token that METRICS_TOKEN sets; without
 * one for programs on this machine that come by no proxy.
 */
export async function GET(event) {
	const { request } = event;
	const token = env.METRICS_TOKEN;
	const given = /^Bearer (.+)$/.exec(request.headers.get('authorization') ?? '')?.[1] ?? '';
	const isNear = /^(::1|(::ffff:)?127\.\d+\.\d+\.\d+)$/.test(addressOf(event)) && !request.headers.has('x-forwarded-for');
	if (token ? !timingSafeEqual(hashOf(given), hashOf(token)) : !isNear) return new Response('Not allowed.\n', { status: 403 });
	return new Response(await metricsText(), { headers: { 'content-type': 'text/plain; version=0.0.4; charset=utf-8' } });
}
