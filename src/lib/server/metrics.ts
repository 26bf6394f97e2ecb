import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client';
import { pool } from './database';
import { enginesRunning } from './engine';
import { streamsOpen } from './events';

// Kept on globalThis so that a reload in development does not register everything twice.
const shared = globalThis as unknown as { metrics?: ReturnType<typeof register> };

function register() {
	const registry = new Registry();
	collectDefaultMetrics({ register: registry, prefix: 'lattice_' });
	const gauge = (name: string, help: string, read: () => number) =>
		new Gauge({
			name: `lattice_${name}`,
			help,
			registers: [registry],
			collect() {
				this.set(read());
			}
		});
	gauge('engines', 'Threads that hold a model', enginesRunning);
	gauge('event_streams', 'Open event streams', streamsOpen);
	gauge('database_connections', 'Connections of this server to the database', () => pool().totalCount);
	gauge('database_waiting', 'Requests that wait for a connection', () => pool().waitingCount);
	return {
		registry,
		requests: new Counter({
			name: 'lattice_requests_total',
			help: 'Requests answered, by route and status',
			labelNames: ['route', 'status'] as const,
			registers: [registry]
		}),
		seconds: new Histogram({
			name: 'lattice_request_seconds',
			help: 'Time until a request is answered, by route',
			labelNames: ['route'] as const,
			buckets: [0.01, 0.03, 0.1, 0.3, 1, 3, 10],
			registers: [registry]
		})
	};
}

const metrics = () => (shared.metrics ??= register());

/** Counts a request that has been answered. */
export function countRequest(route: string | null, status: number, seconds: number): void {
	const { requests, seconds: histogram } = metrics();
	requests.inc({ route: route ?? 'none', status: String(status) });
	histogram.observe({ route: route ?? 'none' }, seconds);
}

/** All figures in the Prometheus text format. */
export const metricsText = (): Promise<string> => metrics().registry.metrics();
