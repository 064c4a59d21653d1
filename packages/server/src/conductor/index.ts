/** What plays runs, without the store, the interface and the recorder that stand around it in the product. */
export { Problem } from '../problem/problem.js';
export { Conductor } from './conductor.js';
export type { RunStore } from './run-store.js';
export { LinkedTransport, WorkerThreads } from './transport.js';
