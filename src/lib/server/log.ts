import pino from 'pino';

/** Structured log lines on standard output; LOG_LEVEL chooses how much. */
export const log = pino({ level: process.env.LOG_LEVEL ?? 'warn', base: undefined });
