import { parentPort } from 'node:worker_threads';
import { tasks } from './tasks.js';

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

port.on('message', ({ id, method, args }: { id: number; method: keyof typeof tasks; args: unknown[] }) => {
  try {
    const task = tasks[method] as (...given: unknown[]) => unknown;
    port.postMessage({ id, result: task(...args) });
  } catch (error) {
    port.postMessage({ id, error: error instanceof Error ? error.message : String(error) });
  }
});
port.postMessage({ ready: true });
