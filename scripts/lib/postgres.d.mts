export function startPostgres(options?: {
	dir?: string;
	throwAway?: boolean;
}): Promise<{ url: string; secretKeyFile: string; stop: () => Promise<void>; sharedWith?: number }>;
export function removeCluster(dir: string): void;
export function freePort(): Promise<number>;
