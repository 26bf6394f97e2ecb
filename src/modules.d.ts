// No import or export at the top of this file: the wildcard would stop working.
declare module '*?nodeworker' {
	import type { Worker, WorkerOptions } from 'node:worker_threads';
	/** Starts the module as a worker thread. */
	const create: (options?: Omit<WorkerOptions, 'eval'>) => Worker;
	export default create;
}
