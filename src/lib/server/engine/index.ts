/** The engine: one worker thread per open model, asked by messages. */
export { askEngine, askRunner, catchUpEngine, enginesRunning, onNews, stopEngines } from './host';
export { MARKS } from './messages';
export type * from './messages';
