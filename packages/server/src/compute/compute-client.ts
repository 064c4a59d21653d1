import { WorkerCalls } from '../worker-calls.js';
import type { Compute } from './tasks.js';

/** Starts the thread for heavy computation. */
export async function startCompute(file: URL): Promise<{ compute: Compute; close: () => Promise<unknown> }> {
  const calls = await WorkerCalls.start(file, {});
  const compute = new Proxy({} as Compute, {
    get: (_, method) => (typeof method === 'string' && method !== 'then' ? (...args: unknown[]) => calls.call(method, args) : undefined),
  });
  return { compute, close: () => calls.worker.terminate() };
}
