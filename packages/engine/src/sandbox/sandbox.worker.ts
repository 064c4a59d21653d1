import { parentPort } from 'node:worker_threads';
import type { CodeAnswer, CodeCall } from './code-threads.js';
import { CodeError, leastMemoryMb, openSandbox } from './sandbox.js';

const port = parentPort;
if (!port) throw new Error('This file runs in a worker thread only.');

const say = (answer: CodeAnswer): void => {
  port.postMessage(answer);
};
const run = async ({ source, input, limits }: CodeCall): Promise<CodeAnswer> => {
  const sandbox = await openSandbox(limits.memoryMb);
  try {
    return { kind: 'output', output: sandbox.run(source, input, limits.timeMs) };
  } catch (error) {
    return error instanceof CodeError
      ? { kind: 'failed', message: error.message, line: error.line }
      : { kind: 'failed', message: error instanceof Error ? error.message : String(error), line: null };
  }
};
port.on('message', (call: CodeCall) => {
  void run(call).then(say);
});
// The interpreter is loaded before the first code comes, so that loading it is not counted as the code's time.
void openSandbox(leastMemoryMb).then(() => {
  say({ kind: 'ready' });
});
