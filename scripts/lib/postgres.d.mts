export function startPostgres(options?: { dir?: string; throwAway?: boolean }): Promise<{ url: string; stop: () => Promise<void> }>;
export function removeCluster(dir: string): void;
export function freePort(): Promise<number>;
