/** The core's public face: everything the server and the pages may use of it. */
export * from './access';
export * from './cycle';
export * from './calendar';
export type * from './cell';
export * from './cube';
export * from './currency';
export * from './dimension';
export * from './entry';
export * from './form';
export * from './formula';
export * from './insight';
export * from './mapping';
export * from './model';
export * from './number';
export * from './allocation';
export * from './runbook';
export * from './script';
export * from './structure';
