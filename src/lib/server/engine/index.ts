/** The engine: one worker thread per open model, asked by messages. */
export { askEngine, askRunner, catchUpEngine, enginesRunning, onNews, stopEngines } from './host';
export { MARKS } from './marks';
export type * from './messages';
export type { AnswerOf, AskOf, EngineRequestName } from './requests';
export type * from './requests/collapsed';
export type * from './requests/effect';
export type * from './requests/enter';
export type * from './requests/form';
export type * from './requests/inspect';
export type * from './requests/layout';
export type * from './requests/leaf-cells';
export type * from './requests/method';
export type * from './requests/moved';
export type * from './requests/plan-save';
export type * from './requests/run';
export type * from './requests/script';
export type * from './requests/flow';
export type * from './requests/trace';
