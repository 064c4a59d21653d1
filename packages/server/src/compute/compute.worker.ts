import { parentPort } from 'node:worker_threads';
import { tasks } from './tasks.js';

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

/** Progress is told at most this often. */
const leastBetweenMs = 100;

port.on('message', ({ id, method, args }: { id: number; method: keyof typeof tasks; args: unknown[] }) => {
  const failed = (error: unknown): void => {
    const { name, message } = error instanceof Error ? error : { name: 'Error', message: String(error) };
    port.postMessage({ id, error: message, name });
  };
  try {
    const task = tasks[method] as (...given: unknown[]) => unknown;
    let toldMs = 0;
    // Tasks that tell their progress take this after what they were called with; the others do not look at it.
    const progress = (done: number, total: number): void => {
      if (performance.now() - toldMs < leastBetweenMs) return;
      toldMs = performance.now();
      port.postMessage({ id, progress: { done, total } });
    };
    Promise.resolve(task(...args, progress)).then((result) => {
      port.postMessage({ id, result });
    }, failed);
  } catch (error) {
    failed(error);
  }
});
port.postMessage({ ready: true });
