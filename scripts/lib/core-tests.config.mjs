// The core's tests alone: no database and no interface, for runs that begin them many times.
export default { test: { include: ['src/lib/core/**/*.test.ts'], testTimeout: 60_000 } };
